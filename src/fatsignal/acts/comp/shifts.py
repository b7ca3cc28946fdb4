"""Acts on what sounds in a range of a comp: moved in time, lifted elsewhere, turned up or down."""

from collections.abc import Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Literal
from uuid import UUID

from fatsignal.acts.comp.edit import Editing, editing
from fatsignal.core.comp.comp import performance
from fatsignal.core.comp.easings import at_other_tempo, uneased
from fatsignal.core.comp.edits import use_take
from fatsignal.core.comp.pieces import CompPiece, Pieces
from fatsignal.core.comp.shifts import lift as lifted
from fatsignal.core.comp.shifts import louder_span, move_span, picked
from fatsignal.core.takes.placed_stroke import PlacedStroke, lag_frames
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import InvalidSetting
from fatsignal.store.database import Connection

# By the take, as it was recorded.
Strokes = Mapping[UUID, Sequence[PlacedStroke]]
Against = Literal["click", "others"]
AGAINST: dict[Against, str] = {"click": "the click", "others": "how the other takes play it"}


async def move(conn: Connection, part_id: UUID, span: Window, by_frames: int, sessions_folder: Path) -> None:
    """Let what sounds in a range come later, or earlier."""

    def says(of: Editing) -> str:
        ms = 1000 * by_frames / of.session.rate_hz
        return f"{of.part.name}: {of.in_bars(span)} moved by {_ms(ms)}"

    async with editing(conn, part_id, sessions_folder, kind="move", says=says) as of:
        _settle_both(of, span, span.moved(by_frames))
        _move(of, span, by_frames)


async def move_onto(
    conn: Connection, part_id: UUID, span: Window, against: Against, share: float, strokes: Strokes,
    sessions_folder: Path,
) -> None:  # fmt: skip
    """Let what sounds in a range lie on the click, or as the other takes play it, by a share from 0 to 1.

    `strokes` are those of each take, as they were recorded.

    Raises
    ------
    InvalidSetting
        If nothing says where it should lie, or it lies there already.
    """
    by = 0

    def says(of: Editing) -> str:
        ms = 1000 * by / of.session.rate_hz
        return f"{of.part.name}: {of.in_bars(span)} {100 * share:.0f} % onto {AGAINST[against]}, {_ms(ms)}"

    async with editing(conn, part_id, sessions_folder, kind="move onto", says=says) as of:
        of.settle(span)
        late = lag_frames(_as_they_lie(of, span, strokes), by=against)
        if late is None:
            raise nothing_says_where(against, "move")
        by = -round(share * late)
        if by == 0:
            raise InvalidSetting(f"it lies on {AGAINST[against]} already: nothing was moved")
        _move(of, span, by)


def nothing_says_where(against: Against, act: str) -> InvalidSetting:
    """What to tell a person who wanted to `act`, where nothing says where it should lie."""
    return InvalidSetting(
        f"no clear stroke is near the click there: {act} it by milliseconds instead"
        if against == "click"
        else f"fewer than two other takes play these notes: {act} it onto the click, or by milliseconds"
    )


async def move_back(conn: Connection, part_id: UUID, span: Window, sessions_folder: Path) -> None:
    """Let what sounds in a range lie where it was recorded, its strokes as they were played."""

    def says(of: Editing) -> str:
        return f"{of.part.name}: {of.in_bars(span)} back where it was played"

    async with editing(conn, part_id, sessions_folder, kind="move back", says=says) as of:
        of.settle(span)
        here = [piece for piece in picked(of.comp.pieces, span, rate_hz=of.session.rate_hz) if piece.moved_frames]
        moved = [piece for piece in here if not piece.lifted]
        played = uneased(of.comp, span, rate_hz=of.session.rate_hz)
        if here and not moved and played is None:
            raise InvalidSetting("this was lifted from elsewhere: Backspace leaves it empty, or use a take here")
        if not moved and played is None:
            raise InvalidSetting("nothing in this range was moved")
        of.comp = played or of.comp
        _settle_both(of, span, *(piece.place.moved(-piece.moved_frames) for piece in moved))
        for piece in moved:
            _move(of, piece.place, -piece.moved_frames)


async def lift(
    conn: Connection, part_id: UUID, span: Window, to_frame: int, sessions_folder: Path, *, take_id: UUID | None,
    under: bool, strokes: Strokes | None = None,
) -> None:  # fmt: skip
    """Let a copy of a range sound elsewhere: of what sounds there now, or of a take.

    With `strokes` it lies as it was played by the tempo of where it comes to: what rings between them is stretched.
    """

    def says(of: Editing) -> str:
        target = Window(to_frame, to_frame + span.frames)
        return f"{of.part.name}: {of.in_bars(span)} lifted to {of.in_bars(target)}"

    async with editing(conn, part_id, sessions_folder, kind="lift", says=says) as of:
        chosen = _to_lift(of, span, take_id)
        if strokes is None:
            # What was chosen may begin after the range does: it keeps its place in it.
            at = to_frame + chosen[0].place.from_frame - span.from_frame
        else:
            chosen = at_other_tempo(
                chosen, partial(by_the_beat, of.session.tempo, span.from_frame, to_frame),
                struck=struck_in(of, strokes), rate_hz=of.session.rate_hz,
            )  # fmt: skip
            at = chosen[0].place.from_frame
        of.settle(Window(at, at + chosen[-1].place.to_frame - chosen[0].place.from_frame))
        of.comp = lifted(of.comp, chosen, at, song=of.song, under=under)


async def turn(conn: Connection, part_id: UUID, span: Window, by_db: float, sessions_folder: Path) -> None:
    """Turn up or down what sounds in a range."""

    def says(of: Editing) -> str:
        way = "up" if by_db > 0 else "down"
        return f"{of.part.name}: {of.in_bars(span)} turned {way} by {abs(by_db):.1f} dB"

    async with editing(conn, part_id, sessions_folder, kind="turn", says=says) as of:
        of.settle(span)
        of.comp = louder_span(of.comp, span, by_db, rate_hz=of.session.rate_hz)


def by_the_beat(tempo: TempoMap, from_frame: int, to_frame: int, frame: int) -> int:
    """Where a frame lies that keeps its beats and parts of them after `from_frame`, counted from `to_frame` on."""
    quarters = tempo.quarter_at(frame) - tempo.quarter_at(from_frame)
    start = tempo.quarter_at(to_frame)
    return to_frame + tempo.frames_between(start, start + quarters)


def struck_in(of: Editing, strokes: Strokes) -> dict[UUID, list[int]]:
    """The strokes of takes by frames of their files."""
    begins = {take.take_id: take.begins for take in of.newest_first}
    return {
        take_id: [stroke.frame - begins[take_id] for stroke in of_take]
        for take_id, of_take in strokes.items()
        if take_id in begins
    }


def _move(of: Editing, span: Window, by_frames: int) -> None:
    of.comp = move_span(
        of.comp, span, by_frames, recorded=of.recorded(), song=of.song, rate_hz=of.session.rate_hz
    )  # fmt: skip


def _settle_both(of: Editing, *spans: Window) -> None:
    """Settle from the first to the last of some spans, within the song."""
    song = of.song
    first, last = min(span.from_frame for span in spans), max(span.to_frame for span in spans)
    of.settle(Window(max(first, song.from_frame), min(last, song.to_frame)))


def _to_lift(of: Editing, span: Window, take_id: UUID | None) -> Pieces:
    if take_id is None:
        return picked(performance(of.comp, of.newest_first), span, rate_hz=of.session.rate_hz)
    alone = use_take(
        type(of.comp)(), of.take(take_id), span, [], within=span, rate_hz=of.session.rate_hz
    )  # fmt: skip
    return alone.pieces


def _as_they_lie(of: Editing, span: Window, strokes: Strokes) -> list[PlacedStroke]:
    """The strokes that sound in a range, as late as they are there."""
    return [
        PlacedStroke(
            stroke.frame + piece.moved_frames, _later(stroke.off_click_frames, piece),
            _later(stroke.off_others_frames, piece),
        )
        for piece in picked(of.comp.pieces, span, rate_hz=of.session.rate_hz)
        for stroke in strokes.get(piece.take_id, [])
        if piece.place.from_frame <= stroke.frame + piece.moved_frames < piece.place.to_frame
    ]  # fmt: skip


def _later(off: int | None, piece: CompPiece) -> int | None:
    return None if off is None else off + piece.moved_frames


def _ms(ms: float) -> str:
    return f"{'+' if ms > 0 else '−'}{abs(ms):.1f} ms"
