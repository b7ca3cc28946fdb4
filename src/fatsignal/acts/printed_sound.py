"""A part heard by its prints through a tone instead of by its miked amp."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from uuid import UUID

from fatsignal.acts.materials import material_of_print
from fatsignal.acts.part_sound import sounds_of_session
from fatsignal.core.material.channels import sides
from fatsignal.core.material.material import Source
from fatsignal.errors import NotFound
from fatsignal.files.material_files import MaterialOnDisk, SourceFile
from fatsignal.store import comps, parts, prints
from fatsignal.store.database import Connection
from fatsignal.store.prints import Print


@dataclass(frozen=True, slots=True)
class PrintedPart:
    """`sound` is null where prints are missing: of how many takes, or of a comp as a whole."""

    tone_id: UUID
    tone_name: str
    sound: MaterialOnDisk | None
    missing: int
    # When the newest of these prints was asked for.
    asked_at: datetime | None


async def printed_parts(
    conn: Connection, session_id: UUID, sessions_folder: Path, sounds: Mapping[UUID, MaterialOnDisk] | None = None
) -> dict[UUID, PrintedPart]:
    """The parts of a session that are to be heard by prints, by the part; `sounds` are what they sound like, if known.

    A comp is heard by a print of itself where there is one as it sounds now, else by the prints of the takes that it
    is made of; joins then lie in what was printed. Eased strokes are in prints of the comp only.
    """
    chosen = await parts.heard_through(conn, session_id)
    if not chosen:
        return {}
    if sounds is None:
        sounds = await sounds_of_session(conn, session_id, sessions_folder)
    ready = [each for each in await prints.list_prints(conn, session_id) if each.state == "ready"]
    current = {each.part_id: each.id for each in await comps.current_of_session(conn, session_id)}
    found = {}
    for part_id, (tone_id, tone_name) in chosen.items():
        # The newest revision first, and of that what was asked for last.
        through = [each for each in reversed(ready) if each.tone_id == tone_id]
        through.sort(key=lambda each: -each.tone_revision)
        sound = sounds.get(part_id)
        if sound is None:
            found[part_id] = PrintedPart(tone_id, tone_name, None, 0, None)
            continue
        printed, missing = _of_comp(sound, current.get(part_id), through, sessions_folder), 0
        if printed is None:
            printed, missing = _of_takes(sound, through, sessions_folder)
        found[part_id] = PrintedPart(
            tone_id, tone_name, printed, missing, max((each.asked_at for each in through), default=None)
        )
    return found


async def printed_part(conn: Connection, part_id: UUID, sessions_folder: Path) -> MaterialOnDisk | None:
    """What a part is heard by instead of what it recorded; None where that is no part, or is heard as it was."""
    try:
        session_id = (await parts.get_part(conn, part_id)).session_id
    except NotFound:
        return None
    printed = await printed_parts(conn, session_id, sessions_folder)
    return printed[part_id].sound if part_id in printed else None


def _of_comp(
    sound: MaterialOnDisk, comp_id: UUID | None, through: Sequence[Print], sessions_folder: Path
) -> MaterialOnDisk | None:
    now = sound.material
    for each in through:
        if each.material_id == comp_id and each.material_fingerprint == now.fingerprint:
            return material_of_print(
                each, first_frame=now.first_frame, rate_hz=now.rate_hz, sessions_folder=sessions_folder
            )
    return None


def _of_takes(
    sound: MaterialOnDisk, through: Sequence[Print], sessions_folder: Path
) -> tuple[MaterialOnDisk | None, int]:
    """The same pieces of prints of the same takes; and of how many there is none."""
    by_take: dict[UUID, Print] = {}
    for source in sound.material.sources:
        print_ = next(
            (p for p in through if p.material_id == source.id and p.material_fingerprint == source.fingerprint), None
        )
        if print_ is not None:
            by_take[source.id] = print_
    missing = len(sound.material.sources) - len(by_take)
    if missing or not by_take:
        return None, missing
    # Mono ones are heard on both sides where others are stereo.
    widest = max(by_take.values(), key=lambda each: each.channels)
    channels = sides("sim", widest.tone_name, widest.channels)
    sources, files = [], []
    for source in sound.material.sources:
        print_ = by_take[source.id]
        assert print_.file is not None, "it is ready"
        assert print_.sha256 is not None, "it is ready"
        sources.append(Source(id=source.id, fingerprint=print_.sha256, frames=source.frames, channels=channels))
        files += [
            SourceFile(
                source.id, channel, sessions_folder / print_.file, min(column, print_.channels - 1),
                sha256=print_.sha256,
            )
            for column, channel in enumerate(channels)
        ]  # fmt: skip
    return MaterialOnDisk(replace(sound.material, sources=tuple(sources)), tuple(files)), 0
