"""The phrase grid: what is found in each take of a section, phrase by phrase, and how it stands against the click."""

import asyncio
from typing import TYPE_CHECKING, Any, Literal
from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from fatsignal.core.takes.sheet import Phrase, phrases_of
from fatsignal.core.takes.windows import Window, touches
from fatsignal.store import parts, sections, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.web.context import Place, Transaction

if TYPE_CHECKING:
    from fatsignal.acts.judge_section import Recordings
    from fatsignal.core.takes.findings import Finding

router = APIRouter(prefix="/api/parts/{part_id}", tags=["takes"])

MOST_KEPT = 16


class FindingView(BaseModel, from_attributes=True):
    """One thing at one place; `says` are the words of the mark."""

    kind: str
    at_frame: int
    to_frame: int | None
    amount: float
    says: str
    verdict: Literal["look", "fix"]
    channel: str | None
    explained: str


class CellView(BaseModel):
    """One take at one phrase: at most three marks, the worst first, and everything that was found."""

    first_bar: int
    played: bool
    marks: list[FindingView] = Field(max_length=3)
    findings: list[FindingView]


class StrokeView(BaseModel, from_attributes=True):
    frame: int
    place_frame: int
    ms: float


class TimingView(BaseModel, from_attributes=True):
    """Against the click, ms: positive is late."""

    mean_ms: float
    spread_ms: float
    drift_ms: float
    subdivision: int
    strokes: list[StrokeView]


class NoteView(BaseModel, from_attributes=True):
    """A note whose pitch can be read, against equal temperament."""

    frame: int
    name: str
    cents: float


class CascadeView(BaseModel, from_attributes=True):
    """It follows a late take that was heard, instead of the click."""

    take_id: UUID
    says: str


class JudgedTakeView(BaseModel):
    take_id: UUID
    cells: list[CellView]
    timing: TimingView
    notes: list[NoteView]
    cascade: CascadeView | None


class JudgedView(BaseModel):
    section_id: UUID
    takes: list[JudgedTakeView]


class TuningDriftView(BaseModel):
    """A note that moved by so many cents between two takes of the part."""

    note: str
    cents: float
    first_number: int
    last_number: int
    says: str


@router.get("/judged/{section_id}")
async def judged(part_id: UUID, section_id: UUID, conn: Transaction, place: Place, request: Request) -> JudgedView:
    """Every take that touches a section, newest first, compared phrase by phrase."""
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    section = await sections.get_section(conn, section_id)
    tempo = session.tempo
    phrases = phrases_of(tempo, first_bar=section.first_bar, bars=section.bars, phrase_bars=section.phrase_bars)
    whole = Window(phrases[0].from_frame, phrases[-1].to_frame)
    everything = await takes.list_takes(conn, session.id)
    found = [
        take
        for take in everything
        if take.part_id == part_id and take.binned_at is None and touches(take.windows, whole)
    ]
    heard = {take.id: take for take in everything if any(take.id in each.heard for each in found)}
    names = {each.id: each.name for each in await parts.list_parts(conn, session.id)}
    key = (
        section_id, tempo, session.reference_pitch_hz, tuple(phrases),
        tuple((take.id, take.from_frame, take.windows) for take in found),
    )  # fmt: skip
    kept: dict[Any, JudgedView] = request.app.state.judged
    if key not in kept:
        recordings = await _recordings(conn, place, session, [*(take.id for take in found), *heard])
        kept[key] = await asyncio.to_thread(_judge, section_id, found, phrases, recordings, heard, names)
        while len(kept) > MOST_KEPT:
            kept.pop(next(iter(kept)))
    return kept[key]


@router.get("/tuning-drift")
async def tuning_drift(part_id: UUID, conn: Transaction, place: Place) -> list[TuningDriftView]:
    """Notes that went out of tune from take to take of a part, the farthest first."""
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    found = sorted(
        (take for take in await takes.list_takes(conn, session.id) if take.part_id == part_id and not take.binned_at),
        key=lambda take: take.recorded_at,
    )
    recordings = await _recordings(conn, place, session, [take.id for take in found])
    return await asyncio.to_thread(_drifts, found, recordings)


async def _recordings(conn: Connection, place: Place, session: Session, take_ids: list[UUID]) -> "Recordings":
    from fatsignal.acts.judge_section import Recordings

    return Recordings(
        sessions_folder=place.sessions_folder, waves_folder=place.pyramids_folder,
        channels=await takes.channels_of(conn, take_ids), tempo=session.tempo, click=session.click_settings,
        reference_hz=float(session.reference_pitch_hz),
    )  # fmt: skip


def _judge(
    section_id: UUID, found: list[takes.Take], phrases: list[Phrase], recordings: "Recordings",
    heard: dict[UUID, takes.Take], names: dict[UUID, str],
) -> JudgedView:  # fmt: skip
    from fatsignal.acts.judge_section import judge_section
    from fatsignal.core.pitch.notes import note_name
    from fatsignal.core.takes.findings import worst_first

    spans = [Window(phrase.from_frame, phrase.to_frame) for phrase in phrases]
    verdicts = judge_section(found, spans, recordings, heard_takes=heard, part_names=names)
    return JudgedView(
        section_id=section_id,
        takes=[
            JudgedTakeView(
                take_id=take.take_id,
                cells=[
                    CellView(
                        first_bar=phrase.first_bar, played=verdict.played,
                        marks=[_finding(each) for each in worst_first(verdict.findings)[:3]],
                        findings=[_finding(each) for each in verdict.findings],
                    )
                    for phrase, verdict in zip(phrases, take.phrases, strict=True)
                ],
                timing=TimingView.model_validate(take.timing),
                notes=[
                    NoteView(frame=note.frame, name=note_name(note.midi_note), cents=note.cents) for note in take.notes
                ],
                cascade=CascadeView.model_validate(take.cascade) if take.cascade else None,
            )
            for take in verdicts
        ],
    )  # fmt: skip


def _drifts(found: list[takes.Take], recordings: "Recordings") -> list[TuningDriftView]:
    from fatsignal.core.pitch.notes import note_name
    from fatsignal.core.takes.tuning_drift import pitches_of, tuning_drifts

    known = [(take, heard) for take in found if (heard := recordings.heard_out(take))]
    pitches = [pitches_of(heard.performance, take.used, reference_hz=recordings.reference_hz) for take, heard in known]
    views = []
    for drift in tuning_drifts(pitches):
        first, last = known[drift.first][0].number, known[drift.last][0].number
        went = "sharp" if drift.cents > 0 else "flat"
        name = note_name(drift.midi_note)
        says = f"{name} went {abs(drift.cents):.0f} cents {went} from take {first} to take {last}: tune before the next"
        views.append(TuningDriftView(note=name, cents=drift.cents, first_number=first, last_number=last, says=says))
    return views


def _finding(found: "Finding") -> FindingView:
    from fatsignal.core.takes.findings import explained

    return FindingView(
        kind=found.kind, at_frame=found.at_frame, to_frame=found.to_frame, amount=found.amount, says=found.says,
        verdict=found.verdict, channel=found.channel, explained=explained(found),
    )  # fmt: skip
