"""Tidying a part: what its comps use and what is starred is kept, the rest goes into the bin."""

import asyncio
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

from fatsignal.acts.bin import bin_takes
from fatsignal.acts.materials import played
from fatsignal.core.comp.comp import Comp, performance
from fatsignal.errors import ConfirmationRequired, InvalidSetting
from fatsignal.store import comps, parts, takes
from fatsignal.store.database import Connection
from fatsignal.store.takes import Take


@dataclass(frozen=True, slots=True)
class Spare:
    """Takes of a part that no comp uses and that have no star, of so many there are, and how large their files are."""

    takes: list[Take]
    of: int
    bytes: int


async def spare_takes(conn: Connection, part_id: UUID, sessions_folder: Path) -> Spare:
    """What tidying a part would throw away: nothing that any of its versions uses, or that sounds now."""
    kept = await takes.kept_of_part(conn, part_id)
    versions = await comps.list_comps(conn, part_id)
    current = next((each.comp for each in versions if each.current), Comp())
    used = {take_id for each in versions for take_id in each.comp.take_ids}
    used |= {piece.take_id for piece in performance(current, [played(take) for take in kept])}
    spare = [take for take in kept if take.id not in used and take.rating != "starred"]
    channels = await takes.channels_of(conn, [take.id for take in spare])
    files = [sessions_folder / take.folder / channel.file for take in spare for channel in channels[take.id]]
    return Spare(spare, len(kept), await asyncio.to_thread(_size, files))


async def tidy(conn: Connection, part_id: UUID, sessions_folder: Path, *, agreed: bool) -> int:
    """Put them into the bin; how many. Undo brings them back.

    Raises
    ------
    ConfirmationRequired
        As long as it was not agreed to: it says how many, and how large they are.
    InvalidSetting
        If there is none.
    """
    part = await parts.get_part(conn, part_id)
    spare = await spare_takes(conn, part_id, sessions_folder)
    if not spare.takes:
        raise InvalidSetting(f"every take of {part.name} is used by a comp or starred: there is nothing to tidy")
    if not agreed:
        many = "one take" if len(spare.takes) == 1 else f"{len(spare.takes)} takes"
        raise ConfirmationRequired(
            f"{many} of {spare.of} that no comp of {part.name} uses and that have no star go into the bin "
            f"({spare.bytes / 1e6:.0f} MB when it is emptied); undo brings them back"
        )
    await bin_takes(conn, part.session_id, [take.id for take in spare.takes], binned=True)
    return len(spare.takes)


def _size(files: list[Path]) -> int:
    return sum(file.stat().st_size for file in files if file.exists())
