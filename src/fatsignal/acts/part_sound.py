"""What a part sounds like, from the store: its comp over its takes, and where these lie. Whoever asks, asks here."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from uuid import UUID

from fatsignal.acts.materials import files_of, played, source_of
from fatsignal.core.comp.comp import Comp, performance
from fatsignal.core.comp.pieces import Pieces
from fatsignal.core.comp.sound import material_of_pieces
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import comps, takes
from fatsignal.store.comps import StoredComp
from fatsignal.store.database import Connection
from fatsignal.store.takes import Take, TakeChannel


async def pieces_of_part(conn: Connection, part_id: UUID) -> Pieces:
    """The pieces that a part sounds by now."""
    current = await comps.current_of_part(conn, part_id)
    return performance(current.comp if current else Comp(), await takes.kept_placed(conn, part_id))


async def sound_of_part(conn: Connection, part_id: UUID, sessions_folder: Path) -> MaterialOnDisk | None:
    """What a part sounds like now; None where nothing is used yet."""
    kept = await takes.kept_of_part(conn, part_id)
    current = await comps.current_of_part(conn, part_id)
    comp = {} if current is None else {part_id: current.comp}
    return (await _sounds(conn, {part_id: kept}, comp, sessions_folder)).get(part_id)


async def sound_of_comp(conn: Connection, part_id: UUID, comp: Comp, sessions_folder: Path) -> MaterialOnDisk | None:
    """What a part would sound like by another comp."""
    kept = await takes.kept_of_part(conn, part_id)
    return (await _sounds(conn, {part_id: kept}, {part_id: comp}, sessions_folder)).get(part_id)


async def sound_of_version(conn: Connection, version: StoredComp, sessions_folder: Path) -> MaterialOnDisk | None:
    """What a version of a comp sounds like, as a material of its own: prints are made of it."""
    sound = await sound_of_comp(conn, version.part_id, version.comp, sessions_folder)
    return sound and replace(sound, material=replace(sound.material, id=version.id))


async def sounds_of_session(conn: Connection, session_id: UUID, sessions_folder: Path) -> dict[UUID, MaterialOnDisk]:
    """What every part of a session that sounds at all sounds like, by the part."""
    by_part: dict[UUID, list[Take]] = {}
    for take in await takes.list_kept(conn, session_id):
        by_part.setdefault(take.part_id, []).append(take)
    comp = {each.part_id: each.comp for each in await comps.current_of_session(conn, session_id)}
    return await _sounds(conn, {**{part_id: [] for part_id in comp}, **by_part}, comp, sessions_folder)


async def comps_of_session(
    conn: Connection, session_id: UUID, sessions_folder: Path
) -> list[tuple[StoredComp, MaterialOnDisk]]:
    """The comps that sound, part by part, each with what its part sounds like; who follows the takes has none."""
    current = await comps.current_of_session(conn, session_id)
    sounds = await sounds_of_session(conn, session_id, sessions_folder) if current else {}
    return [(comp, sounds[comp.part_id]) for comp in current if comp.part_id in sounds]


async def _sounds(
    conn: Connection, newest_first: Mapping[UUID, Sequence[Take]], comp: Mapping[UUID, Comp], sessions_folder: Path
) -> dict[UUID, MaterialOnDisk]:
    sounding = {
        part_id: performance(comp.get(part_id, Comp()), [played(take) for take in of_part])
        for part_id, of_part in newest_first.items()
    }
    by_id = {take.id: take for of_part in newest_first.values() for take in of_part}
    used = {piece.take_id for pieces in sounding.values() for piece in pieces}
    # What a comp uses sounds though it was put into the bin since: a page says so.
    by_id |= await takes.takes_by_id(conn, sorted(used - by_id.keys()))
    channels = await takes.channels_of(conn, sorted(used & by_id.keys()))
    found = {
        part_id: _material(part_id, pieces, by_id, channels, sessions_folder) for part_id, pieces in sounding.items()
    }
    return {part_id: sounds for part_id, sounds in found.items() if sounds is not None}


def _material(
    part_id: UUID, pieces: Pieces, takes_by_id: Mapping[UUID, Take], channels: Mapping[UUID, Sequence[TakeChannel]],
    sessions_folder: Path,
) -> MaterialOnDisk | None:  # fmt: skip
    used = [takes_by_id[each] for each in dict.fromkeys(piece.take_id for piece in pieces) if each in takes_by_id]
    if not used:
        return None
    sources = {take.id: source_of(take, channels[take.id]) for take in used}
    material = material_of_pieces(part_id, pieces, sources, rate_hz=used[0].rate_hz)
    assert material is not None, "there are pieces"
    return MaterialOnDisk(
        material, tuple(file for take in used for file in files_of(take, channels[take.id], sessions_folder))
    )
