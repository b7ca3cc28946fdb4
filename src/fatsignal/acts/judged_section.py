"""What a person sees of a judged section: read from the store, judged, and as plain values that are kept."""

import hashlib
import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any
from uuid import UUID

from fatsignal.acts.judge_section import Recordings, judge_section
from fatsignal.core.comp.sheet import Phrase, phrases_of
from fatsignal.core.pitch.notes import note_name
from fatsignal.core.takes.findings import Finding, explained, worst_first
from fatsignal.core.takes.tuning_drift import tuning_drifts
from fatsignal.core.takes.windows import Window
from fatsignal.files.analysis_cache import VERSION as HEARING_VERSION
from fatsignal.store import parts, sections, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sections import Section
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel

# Raised when the same takes are judged otherwise: what was kept before is not asked for any more.
VERSION = 1


@dataclass(frozen=True, slots=True)
class ToJudge:
    """A section with the takes of a part that touch it, and those of others that were heard while they rolled."""

    session: Session
    section: Section
    phrases: list[Phrase]
    found: list[Take]
    heard: dict[UUID, Take]
    channels: dict[UUID, list[TakeChannel]]
    part_names: dict[UUID, str]

    def fingerprint(self) -> str:
        """Of all that the verdicts follow from: the song, the click, where every take lies and what is in its files."""
        return _hashed(
            [
                VERSION, HEARING_VERSION, str(self.section.id), repr(self.session.tempo), self.session.click,
                float(self.session.reference_pitch_hz), [asdict(phrase) for phrase in self.phrases],
                [_of_take(take, self.channels[take.id]) for take in self.found],
                [
                    [*_of_take(take, self.channels[take.id]), self.part_names[take.part_id]]
                    for take in self.heard.values()
                ],
            ]
        )  # fmt: skip


async def load_section(conn: Connection, part_id: UUID, section_id: UUID) -> ToJudge:
    """All that judging a part's takes in a section needs from the store."""
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    section = await sections.get_section(conn, section_id)
    phrases = phrases_of(session.tempo, first_bar=section.first_bar, bars=section.bars, phrase_bars=section.phrase_bars)
    whole = Window(phrases[0].from_frame, phrases[-1].to_frame)
    found = await takes.touching(conn, part_id, whole)
    heard = await takes.takes_by_id(conn, sorted({take_id for take in found for take_id in take.heard}))
    channels = await takes.channels_of(conn, [*(take.id for take in found), *heard])
    names = {each.id: each.name for each in await parts.list_parts(conn, session.id)}
    return ToJudge(session, section, phrases, found, heard, channels, names)


def judged(loaded: ToJudge, *, sessions_folder: Path, waves_folder: Path) -> dict[str, Any]:
    """Every take compared phrase by phrase, the newest first."""
    recordings = recordings_of(loaded.session, loaded.channels, sessions_folder, waves_folder)
    spans = [Window(phrase.from_frame, phrase.to_frame) for phrase in loaded.phrases]
    verdicts = judge_section(loaded.found, spans, recordings, heard_takes=loaded.heard, part_names=loaded.part_names)
    return {
        "section_id": str(loaded.section.id),
        "takes": [
            {
                "take_id": str(take.take_id),
                "cells": [
                    {
                        "first_bar": phrase.first_bar,
                        "played": verdict.played,
                        "marks": [_finding(each) for each in worst_first(verdict.findings)[:3]],
                        "findings": [_finding(each) for each in verdict.findings],
                    }
                    for phrase, verdict in zip(loaded.phrases, take.phrases, strict=True)
                ],
                "timing": asdict(take.timing),
                "notes": [
                    {"frame": note.frame, "name": note_name(note.midi_note), "cents": note.cents} for note in take.notes
                ],
                "cascade": {"take_id": str(take.cascade.take_id), "says": take.cascade.says} if take.cascade else None,
            }
            for take in verdicts
        ],
    }


@dataclass(frozen=True, slots=True)
class PartToHear:
    """A part's takes in the order in which they were recorded."""

    session: Session
    found: list[Take]
    channels: dict[UUID, list[TakeChannel]]

    def fingerprint(self) -> str:
        """Of all that the drift of its tuning follows from."""
        return _hashed(
            [
                VERSION, HEARING_VERSION, float(self.session.reference_pitch_hz),
                [_of_take(take, self.channels[take.id]) for take in self.found],
            ]
        )  # fmt: skip


async def load_part(conn: Connection, part_id: UUID) -> PartToHear:
    """All takes of a part that are not in the bin."""
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    found = sorted(await takes.kept_of_part(conn, part_id), key=lambda take: take.recorded_at)
    return PartToHear(session, found, await takes.channels_of(conn, [take.id for take in found]))


def drifts(loaded: PartToHear, *, sessions_folder: Path, waves_folder: Path) -> list[dict[str, Any]]:
    """Notes that went out of tune from take to take of a part, the farthest first."""
    recordings = recordings_of(loaded.session, loaded.channels, sessions_folder, waves_folder)
    known = [(take, pitches) for take in loaded.found if (pitches := recordings.pitches(take)) is not None]
    views = []
    for drift in tuning_drifts([pitches for _, pitches in known]):
        first, last = known[drift.first][0].number, known[drift.last][0].number
        went = "sharp" if drift.cents > 0 else "flat"
        name = note_name(drift.midi_note)
        says = f"{name} went {abs(drift.cents):.0f} cents {went} from take {first} to take {last}: tune before the next"
        views.append({"note": name, "cents": drift.cents, "first_number": first, "last_number": last, "says": says})
    return views


def recordings_of(
    session: Session, channels: dict[UUID, list[TakeChannel]], sessions_folder: Path, waves_folder: Path
) -> Recordings:
    """Where the takes of a song lie."""
    return Recordings(
        sessions_folder=sessions_folder, waves_folder=waves_folder, channels=channels, tempo=session.tempo,
        click=session.click_settings, reference_hz=float(session.reference_pitch_hz),
    )  # fmt: skip


def _of_take(take: Take, channels: Iterable[TakeChannel]) -> list[Any]:
    return [
        str(take.id), take.number, take.from_frame, take.recorded_frame, take.origin,
        [list(window) for window in take.windows], [[gap.at_frame, gap.frames] for gap in take.gaps],
        [str(each) for each in take.heard], [channel.sha256 for channel in channels],
    ]  # fmt: skip


def _finding(found: Finding) -> dict[str, Any]:
    return {
        "kind": found.kind, "at_frame": found.at_frame, "to_frame": found.to_frame, "amount": found.amount,
        "says": found.says, "verdict": found.verdict, "channel": found.channel, "explained": explained(found),
    }  # fmt: skip


def _hashed(of: list[Any]) -> str:
    return hashlib.sha256(json.dumps(of, sort_keys=True, default=str).encode()).hexdigest()
