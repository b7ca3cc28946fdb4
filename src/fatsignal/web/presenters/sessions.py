"""A session and its song as pages show them."""

import asyncio
from fractions import Fraction
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.core.song.questions import Question, changes_inside, tempo_in_words
from fatsignal.core.timing.beats import bar_tempos, beats_of
from fatsignal.core.timing.click import ClickSettings
from fatsignal.core.timing.tempo import LEAD_IN_BARS, LONGEST_SONG_BARS, MeterChange, TempoChange
from fatsignal.store import parts, sections, sessions
from fatsignal.store.database import Connection
from fatsignal.store.sections import Section
from fatsignal.store.sessions import Session
from fatsignal.web.presenters.parts import PartView, part_view
from fatsignal.web.revisions import check_revision, revision_of

Depth = Literal["16", "24", "32f"]


class SectionView(BaseModel, from_attributes=True):
    id: UUID
    name: str
    first_bar: int
    bars: int
    phrase_bars: int


class TempoView(BaseModel):
    """A change of tempo; `says` is the tempo as it is typed: "104", "104.2" or "311/3"."""

    bar: int
    bpm: float
    says: str
    ramp: bool
    meant: bool


class SessionView(BaseModel):
    id: UUID
    name: str
    artist: str
    rate_hz: int
    depth: Depth
    reference_pitch_hz: float
    arm_together: bool
    folder: str
    tempo_words: str = Field(description='As in "104 beats a minute, 4/4".')
    tempos: list[TempoView]
    meters: list[MeterChange]
    song_bars: int
    bar_bpm: list[float] = Field(
        description="Tempo at the beginning of each bar, from bar 1; the song's end comes last."
    )
    questions: list[Question]
    click: ClickSettings
    last_bar: int
    beat_frames: list[int] = Field(description="Frame of every beat, from some bars before the song on.")
    beat_bars: list[int] = Field(description="Bar of each of `beat_frames`.")
    beat_numbers: list[int] = Field(description="Beat within its bar of each of `beat_frames`, from 1.")
    sections: list[SectionView]
    parts: list[PartView]
    revision: str = Field(description="Of tempo map and sections: a change of them is sent with it (If-Match).")


async def one_session(session_id: UUID, conn: Connection) -> SessionView:
    """The song as pages show it."""
    session = await sessions.get_session(conn, session_id)
    found = await sections.list_sections(conn, session_id)
    tempo = session.tempo
    last_bar = session.song_bars
    # One bar more than the song has: a last chord rings into it.
    # Beside the loop through which the sound flows; mostly they are known already.
    to_bar = min(last_bar, LONGEST_SONG_BARS) + 2
    beats = await asyncio.to_thread(beats_of, tempo, 1 - LEAD_IN_BARS, to_bar)
    bar_bpm = await asyncio.to_thread(bar_tempos, tempo, session.song_bars)
    return SessionView(
        id=session.id,
        name=session.name,
        artist=session.artist,
        rate_hz=session.rate_hz,
        depth=session.depth,
        reference_pitch_hz=float(session.reference_pitch_hz),
        arm_together=session.arm_together,
        folder=session.folder,
        tempo_words=tempo_in_words(tempo),
        tempos=[tempo_view(change) for change in tempo.tempos],
        meters=list(tempo.meters),
        song_bars=session.song_bars,
        bar_bpm=bar_bpm,
        questions=changes_inside(tempo, [section.in_song for section in found]),
        click=session.click_settings,
        last_bar=last_bar,
        beat_frames=beats.frames,
        beat_bars=beats.bars,
        beat_numbers=beats.numbers,
        sections=[SectionView.model_validate(section) for section in found],
        parts=[part_view(part) for part in await parts.list_parts(conn, session_id)],
        revision=_song_revision(session, found),
    )


async def check_song(conn: Connection, session: Session, seen: str | None) -> None:
    """See that a page changes the tempo map and the sections that there are.

    Raises
    ------
    ChangedElsewhere
        If it saw older ones.
    """
    now = _song_revision(session, await sections.list_sections(conn, session.id))
    check_revision(seen, now, what="the song")


def _song_revision(session: Session, found: list[Section]) -> str:
    laid = [(str(each.id), each.name, each.first_bar, each.bars, each.phrase_bars) for each in found]
    return revision_of(session.tempos, session.meters, session.song_bars, session.bar_one_frame, laid)


def tempo_view(change: TempoChange) -> TempoView:
    """A change of tempo as a page shows it."""
    return TempoView(
        bar=change.bar, bpm=float(change.bpm), says=_typed(change.bpm), ramp=change.ramp, meant=change.meant
    )


def _typed(bpm: Fraction) -> str:
    """A tempo as a person would type it: decimals where they say it exactly, else a fraction."""
    decimal = f"{float(bpm):.4f}".rstrip("0").rstrip(".")
    return decimal if Fraction(decimal) == bpm else str(bpm)
