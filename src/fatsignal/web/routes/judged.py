"""The phrase grid: what is found in each take of a section, phrase by phrase, and how it stands against the click."""

import asyncio
from typing import TYPE_CHECKING, Any, Literal
from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from fatsignal.core.takes.windows import Window
from fatsignal.store import parts, sections, sessions, takes
from fatsignal.web.context import Place, Transaction

if TYPE_CHECKING:
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


class CascadeView(BaseModel):
    """It follows a late take that was heard, instead of the click."""

    take_id: UUID
    says: str


class JudgedTakeView(BaseModel):
    take_id: UUID
    cells: list[CellView]
    timing: TimingView
    cascade: CascadeView | None


class JudgedView(BaseModel):
    section_id: UUID
    takes: list[JudgedTakeView]


@router.get("/judged/{section_id}")
async def judged(part_id: UUID, section_id: UUID, conn: Transaction, place: Place, request: Request) -> JudgedView:
    """Every take that touches a section, newest first, compared phrase by phrase."""
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    section = await sections.get_section(conn, section_id)
    tempo = session.tempo
    edges = [*range(section.first_bar, section.first_bar + section.bars, section.phrase_bars)]
    ends = [*edges[1:], section.first_bar + section.bars]
    phrases = [Window(tempo.bar_frame(bar), tempo.bar_frame(end)) for bar, end in zip(edges, ends, strict=True)]
    whole = Window(phrases[0].from_frame, phrases[-1].to_frame)
    found = [
        take
        for take in await takes.list_takes(conn, session.id)
        if take.part_id == part_id and take.binned_at is None
        and any(w.from_frame < whole.to_frame and whole.from_frame < w.to_frame for w in take.windows)
    ]  # fmt: skip
    heard = {
        take.id: take
        for take in await takes.list_takes(conn, session.id)
        if any(take.id in each.heard for each in found)
    }
    names = {each.id: each.name for each in await parts.list_parts(conn, session.id)}
    key = (section_id, tempo, tuple(edges), tuple((take.id, take.from_frame, take.windows) for take in found))
    kept: dict[Any, JudgedView] = request.app.state.judged
    if key not in kept:
        channels = await takes.channels_of(conn, [*(take.id for take in found), *heard])
        view = await asyncio.to_thread(
            _judge,
            place,
            section_id,
            found,
            heard,
            names,
            channels,
            phrases,
            edges,
            whole,
            tempo,
            session.click_settings,
        )
        kept[key] = view
        while len(kept) > MOST_KEPT:
            kept.pop(next(iter(kept)))
    return kept[key]


def _judge(
    place: Place, section_id: UUID, found: list[takes.Take], heard_takes: dict[UUID, takes.Take],
    names: dict[UUID, str], channels: dict[UUID, list[takes.TakeChannel]],
    phrases: list[Window], edges: list[int], whole: Window, tempo: Any,
    click: Any,
) -> JudgedView:  # fmt: skip
    from fatsignal.acts.judge_takes import judged_take
    from fatsignal.core.takes.findings import worst_first
    from fatsignal.core.takes.judge import judge, timing_of

    heard = [
        (take, known)
        for take in found
        if (known := judged_take(
            take, channels[take.id], sessions_folder=place.sessions_folder, waves_folder=place.pyramids_folder,
            click=(tempo, click),
        ))
    ]  # fmt: skip
    verdicts = judge([known for _, known in heard], phrases, tempo)
    views = []
    for (take, known), row in zip(heard, verdicts, strict=True):
        cells = [
            CellView(
                first_bar=bar, played=verdict.played,
                marks=[_finding(each) for each in worst_first(verdict.findings)[:3]],
                findings=[_finding(each) for each in verdict.findings],
            )
            for bar, verdict in zip(edges, row, strict=True)
        ]  # fmt: skip
        own = timing_of(known, whole, tempo)
        followed = [heard_takes[each] for each in take.heard if each in heard_takes]
        cascade = _cascade(place, own, followed, names, channels, whole, tempo)
        timing = TimingView.model_validate(own)
        views.append(JudgedTakeView(take_id=take.id, cells=cells, timing=timing, cascade=cascade))
    return JudgedView(section_id=section_id, takes=views)


def _cascade(
    place: Place, own: Any, followed: list[takes.Take], names: dict[UUID, str],
    channels: dict[UUID, list[takes.TakeChannel]], whole: Window, tempo: Any,
) -> CascadeView | None:  # fmt: skip
    """The take that an overdub follows most closely, if it follows one."""
    from fatsignal.acts.judge_takes import judged_take
    from fatsignal.core.takes.cascade import follows
    from fatsignal.core.takes.judge import timing_of

    for take in followed:
        known = judged_take(
            take, channels[take.id], sessions_folder=place.sessions_folder, waves_folder=place.pyramids_folder
        )
        found = follows(own.strokes, timing_of(known, whole, tempo).strokes) if known else None
        if found is not None:
            named = f"{names[take.part_id]} {take.number:02d}"
            says = (
                f"follows {named}, which is {found.heard_late_ms:.0f} ms late: this is {found.own_late_ms:.0f} ms late "
                "with it; play to the click, and turn that part down"
            )
            return CascadeView(take_id=take.id, says=says)
    return None


def _finding(found: "Finding") -> FindingView:
    from fatsignal.core.takes.findings import explained

    return FindingView(
        kind=found.kind, at_frame=found.at_frame, to_frame=found.to_frame, amount=found.amount, says=found.says,
        verdict=found.verdict, channel=found.channel, explained=explained(found),
    )  # fmt: skip
