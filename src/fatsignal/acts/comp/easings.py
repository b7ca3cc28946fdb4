"""Acts on single strokes of a comp: eased in time, what rings between them stretched, and tuned by cents."""

import asyncio
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from uuid import UUID

from fatsignal.acts.comp.edit import Editing, editing
from fatsignal.acts.comp.shifts import AGAINST, Against, Strokes, struck_in
from fatsignal.acts.materials import material_of_take
from fatsignal.core.clip import Samples
from fatsignal.core.comp.easings import Change, SoundingStroke, ease_span, sounding_strokes
from fatsignal.core.easing.easing import ATTACK_S, EasedStroke
from fatsignal.core.material.channels import MEASURED_FIRST, Wanted, first_of
from fatsignal.core.takes.placed_stroke import PlacedStroke
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused, InvalidSetting
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import takes
from fatsignal.store.database import Connection

# A pitch is read from so much of a note, and from no less.
_READ_S, _LEAST_S = 0.5, 0.12


async def ease(
    conn: Connection, part_id: UUID, span: Window, by_frames: int, strokes: Strokes, sessions_folder: Path
) -> None:
    """Let every stroke that sounds in a range come later, or earlier; what rings before and after closes the gap."""

    def says(of: Editing) -> str:
        ms = 1000 * by_frames / of.session.rate_hz
        return f"{of.part.name}: strokes in {of.in_bars(span)} eased by {ms:+.1f} ms"

    def later(sounding: SoundingStroke) -> EasedStroke:
        return replace(sounding.stroke, by_frames=sounding.stroke.by_frames + by_frames)

    async with editing(conn, part_id, sessions_folder, kind="ease", says=says) as of:
        of.settle(span)
        _ease(of, span, later, strokes)


async def ease_onto(
    conn: Connection, part_id: UUID, span: Window, against: Against, share: float, strokes: Strokes,
    sessions_folder: Path,
) -> None:  # fmt: skip
    """Let every stroke that sounds in a range lie on the click, or as the other takes play it, by a share from 0 to 1.

    Raises
    ------
    InvalidSetting
        If of none is known where it should lie, or all lie there already.
    """

    def says(of: Editing) -> str:
        return f"{of.part.name}: strokes in {of.in_bars(span)} eased {100 * share:.0f} % onto {AGAINST[against]}"

    async with editing(conn, part_id, sessions_folder, kind="ease onto", says=says) as of:
        of.settle(span)
        wanted = _onto(of, span, against, share, strokes)
        if not wanted:
            raise InvalidSetting(
                "no clear stroke is near the click there: ease it by milliseconds instead"
                if against == "click"
                else "fewer than two other takes play these notes: ease it onto the click, or by milliseconds"
            )
        _ease(of, span, lambda sounding: _later_by(sounding, wanted), strokes)


async def tune(
    conn: Connection, part_id: UUID, span: Window, cents: float | None, share: float, strokes: Strokes,
    sessions_folder: Path,
) -> None:  # fmt: skip
    """Let every note that sounds in a range be so many cents higher than it was played; None: onto the note that it is
    nearest to, by a share from 0 to 1.

    Raises
    ------
    InvalidSetting
        If no single note sounds there.
    """

    def says(of: Editing) -> str:
        how = "onto the note" if cents is None else f"by {cents:+.0f} cents"
        return f"{of.part.name}: {of.in_bars(span)} tuned {how}"

    async with editing(conn, part_id, sessions_folder, kind="tune", says=says) as of:
        of.settle(span)
        played = await _pitches(conn, of, span, strokes, sessions_folder)
        if not played:
            raise InvalidSetting(
                "no single note of a tenth of a second or more sounds there: chords and short notes cannot be tuned"
            )

        def tuned(sounding: SoundingStroke) -> EasedStroke | None:
            off = played.get((sounding.take_id, sounding.stroke.take_frame))
            if off is None:
                return None
            return replace(sounding.stroke, cents=round(-share * off, 1) if cents is None else cents)

        _ease(of, span, tuned, strokes)


def _ease(of: Editing, span: Window, change: Change, strokes: Strokes) -> None:
    of.comp = ease_span(
        of.comp, span, change, struck=struck_in(of, strokes), recorded=of.recorded(), rate_hz=of.session.rate_hz
    )


def _sounding(of: Editing, span: Window, strokes: Strokes) -> list[SoundingStroke]:
    struck = struck_in(of, strokes)
    return [
        each
        for piece in of.comp.pieces
        for each in sounding_strokes(piece, struck.get(piece.take_id, ()), span, rate_hz=of.session.rate_hz)
    ]


LaterBy = Mapping[tuple[UUID, int], int]


def _onto(of: Editing, span: Window, against: Against, share: float, strokes: Strokes) -> LaterBy:
    """By how many frames each stroke is to come later; those of which nobody knows go with their neighbours."""
    begins = {take.take_id: take.begins for take in of.newest_first}
    placed = {
        (take_id, stroke.frame - begins[take_id]): stroke
        for take_id, of_take in strokes.items()
        if take_id in begins
        for stroke in of_take
    }
    sounding = _sounding(of, span, strokes)
    known: list[tuple[int, int]] = []
    for each in sounding:
        stroke = placed.get((each.take_id, each.stroke.take_frame))
        off = None if stroke is None else _off(stroke, against)
        if stroke is not None and off is not None:
            known.append((each.frame, -round(share * (off + each.frame - stroke.frame))))
    if not known:
        return {}
    return {(each.take_id, each.stroke.take_frame): _with_neighbours(each.frame, known) for each in sounding}


def _off(stroke: PlacedStroke, against: Against) -> int | None:
    return stroke.off_click_frames if against == "click" else stroke.off_others_frames


def _with_neighbours(frame: int, known: Sequence[tuple[int, int]]) -> int:
    """What lies between two places of which it is known, in proportion; beyond them as the nearest."""
    before = max((each for each in known if each[0] <= frame), default=known[0])
    after = min((each for each in known if each[0] >= frame), default=known[-1])
    if before[0] >= after[0]:
        return before[1]
    return before[1] + round((after[1] - before[1]) * (frame - before[0]) / (after[0] - before[0]))


def _later_by(sounding: SoundingStroke, wanted: LaterBy) -> EasedStroke:
    by = wanted[sounding.take_id, sounding.stroke.take_frame]
    return replace(sounding.stroke, by_frames=sounding.stroke.by_frames + by)


async def _pitches(
    conn: Connection, of: Editing, span: Window, strokes: Strokes, sessions_folder: Path
) -> dict[tuple[UUID, int], float]:
    """By how many cents each single note was played too high, by its take and stroke."""
    sounding, struck = _sounding(of, span, strokes), struck_in(of, strokes)
    ids = sorted({each.take_id for each in sounding})
    known, channels = await takes.takes_by_id(conn, ids), await takes.channels_of(conn, ids)

    def read_all() -> dict[tuple[UUID, int], float]:
        found = {}
        for take in known.values():
            recorded = material_of_take(take, channels[take.id], sessions_folder)
            for each in sounding:
                if each.take_id == take.id:
                    at = each.stroke.take_frame
                    ends = min((frame for frame in struck[take.id] if frame > at), default=take.frames)
                    off = _off_note(recorded, at, ends, float(of.session.reference_pitch_hz))
                    if off is not None:
                        found[take.id, at] = off
        return found

    return await asyncio.to_thread(read_all)


def _off_note(recorded: MaterialOnDisk, at: int, ends: int, reference_pitch_hz: float) -> float | None:
    """By how many cents a note is above the one it is nearest to; None where it is none by itself."""
    # What reads a pitch takes longer to load than all else of the server.
    from fatsignal.core.pitch.notes import nearest_note
    from fatsignal.core.pitch.reading import read_pitch

    channel = first_of(recorded.material.channels, MEASURED_FIRST)
    rate_hz = recorded.material.rate_hz
    settled = at + round(ATTACK_S * rate_hz)
    frames = min(ends - settled, round(_READ_S * rate_hz))
    if channel is None or frames < _LEAST_S * rate_hz:
        return None
    try:
        with recorded.reader() as reader:
            note: Samples = reader.read(
                Wanted.exactly(channel), recorded.material.first_frame + settled, frames
            )  # fmt: skip
    except (FileRefused, OSError):
        return None
    found = read_pitch(note, rate_hz=rate_hz)
    return None if found is None else nearest_note(found.frequency_hz, reference_pitch_hz=reference_pitch_hz)[1]
