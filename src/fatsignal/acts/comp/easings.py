"""Acts on single strokes of a comp: eased in time, what rings between them stretched, and tuned by cents."""

import asyncio
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from uuid import UUID

from fatsignal.acts.comp.edit import Editing, editing
from fatsignal.acts.comp.shifts import AGAINST, Against, Strokes, nothing_says_where, struck_in
from fatsignal.acts.materials import material_of_take
from fatsignal.core.clip import Samples
from fatsignal.core.comp.easings import Change, SoundingStroke, Struck, ease_span, sounding_strokes
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
# A stroke by its take and its frame there.
Key = tuple[UUID, int]


async def ease(
    conn: Connection, part_id: UUID, span: Window, by_frames: int, strokes: Strokes, sessions_folder: Path
) -> None:
    """Let every stroke that sounds in a range come later, or earlier; what rings before and after closes the gap."""

    def says(of: Editing) -> str:
        ms = 1000 * by_frames / of.session.rate_hz
        return f"{of.part.name}: strokes in {of.in_bars(span)} eased by {ms:+.1f} ms"

    async with editing(conn, part_id, sessions_folder, kind="ease", says=says) as of:
        of.settle(span)
        _ease(of, span, lambda sounding: _later(sounding, by_frames), struck_in(of, strokes))


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
        struck = struck_in(of, strokes)
        wanted = _onto(_sounding(of, span, struck), against, share, _placed(strokes, struck))
        if not wanted:
            raise nothing_says_where(against, "ease")
        _ease(of, span, lambda sounding: _later(sounding, wanted[_key(sounding)]), struck)


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
        struck = struck_in(of, strokes)
        played = await _pitches(conn, of, span, struck, sessions_folder)
        if not played:
            raise InvalidSetting(
                "no single note of a tenth of a second or more sounds there: chords and short notes cannot be tuned"
            )

        def tuned(sounding: SoundingStroke) -> EasedStroke | None:
            off = played.get(_key(sounding))
            if off is None:
                return None
            return replace(sounding.stroke, cents=round(-share * off, 1) if cents is None else cents)

        _ease(of, span, tuned, struck)


def _ease(of: Editing, span: Window, change: Change, struck: Struck) -> None:
    of.comp = ease_span(
        of.comp, span, change, struck=struck, recorded=of.recorded(), rate_hz=of.session.rate_hz
    )  # fmt: skip


def _later(sounding: SoundingStroke, by_frames: int) -> EasedStroke:
    return replace(sounding.stroke, by_frames=sounding.stroke.by_frames + by_frames)


def _key(sounding: SoundingStroke) -> Key:
    return sounding.take_id, sounding.stroke.take_frame


def _sounding(of: Editing, span: Window, struck: Struck) -> list[SoundingStroke]:
    return [
        each
        for piece in of.comp.pieces
        for each in sounding_strokes(piece, struck.get(piece.take_id, ()), span, rate_hz=of.session.rate_hz)
    ]


def _placed(strokes: Strokes, struck: Struck) -> dict[Key, PlacedStroke]:
    return {
        (take_id, frame): stroke
        for take_id, frames in struck.items()
        for frame, stroke in zip(frames, strokes[take_id], strict=True)
    }


def _onto(
    sounding: Sequence[SoundingStroke], against: Against, share: float, placed: Mapping[Key, PlacedStroke]
) -> dict[Key, int]:
    """By how many frames each stroke is to come later; those of which nobody knows go with their neighbours."""
    known: list[tuple[int, int]] = []
    for each in sounding:
        stroke = placed.get(_key(each))
        off = None if stroke is None else _off(stroke, against)
        if stroke is not None and off is not None:
            known.append((each.frame, -round(share * (off + each.frame - stroke.frame))))
    return {_key(each): _with_neighbours(each.frame, known) for each in sounding} if known else {}


def _off(stroke: PlacedStroke, against: Against) -> int | None:
    return stroke.off_click_frames if against == "click" else stroke.off_others_frames


def _with_neighbours(frame: int, known: Sequence[tuple[int, int]]) -> int:
    """What lies between two places of which it is known, in proportion; beyond them as the nearest."""
    before = max((each for each in known if each[0] <= frame), default=known[0])
    after = min((each for each in known if each[0] >= frame), default=known[-1])
    if before[0] >= after[0]:
        return before[1]
    return before[1] + round((after[1] - before[1]) * (frame - before[0]) / (after[0] - before[0]))


async def _pitches(
    conn: Connection, of: Editing, span: Window, struck: Struck, sessions_folder: Path
) -> dict[Key, float]:
    """By how many cents each single note was played too high."""
    sounding = _sounding(of, span, struck)
    ids = sorted({each.take_id for each in sounding})
    known, channels = await takes.takes_by_id(conn, ids), await takes.channels_of(conn, ids)

    def read_all() -> dict[Key, float]:
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
