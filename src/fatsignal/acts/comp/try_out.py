"""A take heard where it would be used: in its place, running into what follows, as loud as what sounds there now."""

import asyncio
import math
from dataclasses import dataclass, replace
from pathlib import Path
from uuid import UUID

from fatsignal.acts.comp.edit import tried
from fatsignal.acts.part_sound import sound_of_comp, sound_of_part
from fatsignal.core.clip import Clip
from fatsignal.core.comp.comp import Comp, with_pieces
from fatsignal.core.comp.pieces import within
from fatsignal.core.material.channels import Wanted
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import InvalidSetting
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store.database import Connection

# What differs by more was played so softly on purpose, or is silence.
_MOST_GAIN_DB = 12.0


@dataclass(frozen=True, slots=True)
class Tried:
    """What is heard, from where to where, and what may be heard of its joins; `gain_db` makes it as loud as now."""

    sound: MaterialOnDisk
    played: Window
    gain_db: float
    looks: tuple[str, ...]


async def try_take(
    conn: Connection, part_id: UUID, take_id: UUID, span: Window, sessions_folder: Path, *, wanted: Wanted
) -> Tried:
    """What a part would sound like with a take used in `span`.

    Raises
    ------
    InvalidSetting
        If the take was not recorded there.
    """
    session, comp = await tried(conn, part_id, take_id, span, sessions_folder)
    now = await sound_of_part(conn, part_id, sessions_folder)
    then = await sound_of_comp(conn, part_id, comp, sessions_folder)
    if then is None:
        raise InvalidSetting("nothing of this take can be read: is its folder there?")
    gain_db = 0.0
    if now is not None:
        levels = await asyncio.gather(*(asyncio.to_thread(_loudness, each, span, wanted) for each in (now, then)))
        if all(math.isfinite(level) for level in levels):
            gain_db = max(-_MOST_GAIN_DB, min(_MOST_GAIN_DB, levels[0] - levels[1]))
    heard = await sound_of_comp(conn, part_id, _louder(comp, take_id, span, gain_db), sessions_folder)
    assert heard is not None, "there are pieces"
    looks = tuple(
        dict.fromkeys(piece.join.look for piece in within(comp.pieces, span) if piece.join and piece.join.look)
    )
    return Tried(heard, _with_a_beat_around(session.tempo, span), gain_db, looks)


def _louder(comp: Comp, take_id: UUID, span: Window, gain_db: float) -> Comp:
    """A comp whose piece of a take in `span` is louder; of what continues beyond, the rest stays as it is."""
    middle = (span.from_frame + span.to_frame) // 2
    return with_pieces(
        comp,
        (
            replace(piece, gain_db=piece.gain_db + gain_db)
            if piece.take_id == take_id and piece.place.from_frame <= middle < piece.place.to_frame
            else piece
            for piece in comp.pieces
        ),
    )


def _loudness(sound: MaterialOnDisk, span: Window, wanted: Wanted) -> float:
    # What measures loudness loads scipy, and is needed here only.
    from fatsignal.core.level.loudness import integrated_loudness_lufs

    with sound.reader() as reader:
        samples = reader.read(wanted, span.from_frame, span.frames)
    return integrated_loudness_lufs(Clip(samples[:, None], sound.material.rate_hz))


def _with_a_beat_around(tempo: TempoMap, span: Window) -> Window:
    """From the beat before a span to the beat after it."""
    before = tempo.place_at(span.from_frame - 1)
    after = tempo.place_at(span.to_frame)
    beats = tempo.meter_at(after.bar).beats
    end = tempo.bar_frame(after.bar + 1) if after.beat >= beats else tempo.beat_frame(after.bar, after.beat + 1)
    return Window(tempo.beat_frame(before.bar, before.beat), end)
