"""What a part sounds like, from the store: its comp over its takes, and where these lie. Whoever asks, asks here."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from uuid import UUID

from fatsignal.acts.materials import played
from fatsignal.acts.piece_sources import PieceSource, sources_of
from fatsignal.core.comp.comp import Comp, performance
from fatsignal.core.comp.easings import where_they_sound
from fatsignal.core.comp.pieces import Pieces
from fatsignal.core.comp.sound import material_of_pieces
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.placed_stroke import PlacedStroke
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import comps, takes
from fatsignal.store.comps import StoredComp
from fatsignal.store.database import Connection
from fatsignal.store.takes import Take


async def pieces_of_part(conn: Connection, part_id: UUID) -> Pieces:
    """The pieces that a part sounds by now."""
    return (await _performed(conn, part_id))[1]


async def pieces_of_version(conn: Connection, version: StoredComp) -> Pieces:
    """The pieces of one version of a comp."""
    return performance(version.comp, await takes.kept_placed(conn, version.part_id))


async def _performed(conn: Connection, part_id: UUID) -> tuple[list[Played], Pieces]:
    """A part's takes, the newest first, and the pieces that it sounds by."""
    current, newest_first = await comps.current_of_part(conn, part_id), await takes.kept_placed(conn, part_id)
    return newest_first, performance(current.comp if current else Comp(), newest_first)


async def strokes_as_they_sound(
    conn: Connection, part_id: UUID, strokes: Mapping[UUID, Sequence[PlacedStroke]], *, rate_hz: int
) -> dict[UUID, list[int]]:
    """Where the strokes of takes sound in the song, or were recorded where they do not."""
    newest_first, pieces = await _performed(conn, part_id)
    begins_at = {take.take_id: take.begins for take in newest_first}
    found = {}
    for take_id, of_take in strokes.items():
        begins = begins_at.get(take_id, 0)
        found[take_id] = where_they_sound(
            take_id, begins, [stroke.frame - begins for stroke in of_take], pieces, rate_hz=rate_hz
        )
    return found


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
    found = {}
    for part_id, pieces in sounding.items():
        read_from = await sources_of(pieces, by_id, channels, sessions_folder)
        sounds = _material(part_id, pieces, read_from, by_id)
        if sounds is not None:
            found[part_id] = sounds
    return found


def _material(
    part_id: UUID, pieces: Pieces, read_from: Mapping[UUID, PieceSource], takes_by_id: Mapping[UUID, Take]
) -> MaterialOnDisk | None:
    if not read_from:
        return None
    sources = {source_id: source for source_id, (source, _) in read_from.items()}
    rate_hz = next(takes_by_id[piece.take_id].rate_hz for piece in pieces if piece.take_id in takes_by_id)
    material = material_of_pieces(part_id, pieces, sources, rate_hz=rate_hz)
    assert material is not None, "there are pieces"
    return MaterialOnDisk(material, tuple(file for _, files in read_from.values() for file in files))
