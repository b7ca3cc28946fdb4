"""Takes as pages show them."""

from collections.abc import Sequence
from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.core.material.channels import HEARD_FIRST, RecordedKind, place_of_first
from fatsignal.core.takes.windows import Gap, Window
from fatsignal.core.verdict import Verdict
from fatsignal.store import parts, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.web.revisions import revision_of
from fatsignal.web.take_lists import PerTake


class ChecksView(BaseModel):
    """Level figures over the window; null where there is only silence."""

    peak_dbfs: float | None
    true_peak_dbtp: float | None
    average_dbfs: float | None
    loudness_lufs: float | None
    crest_db: float | None
    dc: float
    flat_top_runs: int
    advice: str | None
    spectrum_difference_db: float | None = None


class TakeChannelView(BaseModel, from_attributes=True):
    position: int
    name: str
    kind: RecordedKind
    file: str
    checks: ChecksView


class TakeView(BaseModel):
    id: UUID
    part_id: UUID
    part_name: str
    number: int
    recorded_at: datetime
    rate_hz: int
    from_frame: int
    frames: int
    windows: list[Window] = Field(description="The ranges that are used, on the session's time line.")
    gaps: list[Gap] = Field(description="Frames of its files that the device lost.")
    window_from_frame: int = Field(description="Where the first window begins; all of it where nothing is used yet.")
    window_to_frame: int
    first_bar: int
    last_bar: int
    origin: Literal["rolled", "imported", "recovered"]
    slip_frames: int = Field(description="By how much a person moved it away from its place.")
    slip_ms: float
    went_along: bool = Field(description="Its section has moved since it was recorded.")
    rating: Literal["starred", "struck"] | None
    sim_tone: str | None = Field(description="The tone that was printed beside the DI.")
    said: str = Field(description="What the program has to say of it.")
    note: str = Field(description="The person's own.")
    folder: str
    binned: bool
    revision: str = Field(description="Of what a person decides about it: a change is sent with it (If-Match).")
    verdict: Verdict = Field(description="Of the DI's level: the worst thing that was found.")
    verdict_says: str
    channels: list[TakeChannelView]
    heard_first: int = Field(description="Place of the channel that it is heard by, and drawn by.")


def _json(session: Session, part_name: str, take: takes.Take, channels: list[takes.TakeChannel]) -> bytes:
    return _view(session, part_name, take, channels).model_dump_json().encode()


TAKES = PerTake("takes", _json)


async def one_take(conn: Connection, take_id: UUID) -> TakeView:
    """A take as pages show it."""
    take = await takes.get_take(conn, take_id)
    part = await parts.get_part(conn, take.part_id)
    session = await sessions.get_session(conn, part.session_id)
    return _view(session, part.name, take, (await takes.channels_of(conn, [take_id]))[take_id])


def _view(session: Session, part_name: str, take: takes.Take, channels: list[takes.TakeChannel]) -> TakeView:
    tempo = session.tempo
    verdict, says = _verdict(take, channels)
    return TakeView(
        id=take.id,
        part_id=take.part_id,
        part_name=part_name,
        number=take.number,
        recorded_at=take.recorded_at,
        rate_hz=take.rate_hz,
        from_frame=take.from_frame,
        frames=take.frames,
        windows=list(take.windows),
        gaps=list(take.gaps),
        window_from_frame=take.used.from_frame,
        window_to_frame=take.used.to_frame,
        first_bar=tempo.bar_beat_at(take.used.from_frame)[0],
        last_bar=tempo.bar_beat_at(take.used.to_frame - 1)[0],
        origin=take.origin,
        slip_frames=take.slip_frames,
        slip_ms=round(1000 * take.slip_frames / take.rate_hz, 3),
        went_along=take.from_frame - take.slip_frames != take.recorded_frame,
        rating=take.rating,
        sim_tone=take.sim_tone["name"] if take.sim_tone else None,
        said=take.said,
        note=take.note,
        folder=take.folder,
        binned=take.binned_at is not None,
        revision=take_revision(take),
        verdict=verdict,
        verdict_says=says,
        channels=[TakeChannelView.model_validate(channel) for channel in channels],
        heard_first=place_of_first(channels, HEARD_FIRST),
    )


def take_revision(take: takes.Take) -> str:
    """Of windows, slip, rating and note: what a person decides about a take."""
    return revision_of([tuple(window) for window in take.windows], take.slip_frames, take.rating, take.note)


def what_is_broken(channels: Sequence[takes.TakeChannel]) -> str:
    """Channels at which nothing arrived, else those that clipped, in words; empty where there are none."""
    clipped = [channel.name for channel in channels if channel.checks["flat_top_runs"]]
    silent = [channel.name for channel in channels if channel.checks["peak_dbfs"] is None]
    if silent:
        return f"{', '.join(silent)}: nothing arrived"
    return f"{', '.join(clipped)}: clipped" if clipped else ""


def _verdict(take: takes.Take, channels: list[takes.TakeChannel]) -> tuple[Verdict, str]:
    """The worst thing that the checks found, in words."""
    if broken := what_is_broken(channels):
        return "fix", broken
    advice = next((channel.checks["advice"] for channel in channels if channel.checks["advice"]), None)
    if advice:
        return "look", advice
    if take.gaps or take.origin == "recovered":
        return "look", take.said
    if take.said:
        return "good", take.said
    return "good", "levels are right"
