"""The bin: into it, out of it, and emptying it, the one act that removes what was recorded."""

import asyncio
import contextlib
import logging
from collections.abc import Sequence
from pathlib import Path
from uuid import UUID

from fatsignal.store import history, prints, takes
from fatsignal.store.database import Connection

log = logging.getLogger(__name__)


async def bin_takes(conn: Connection, session_id: UUID, take_ids: Sequence[UUID], *, binned: bool) -> None:
    """Put takes into the bin, or take them out of it, as one act; their audio stays where it is."""
    if not take_ids:
        return
    numbers = [str(take.number) for take in (await takes.takes_by_id(conn, take_ids)).values()]
    said = f"take {numbers[0]}" if len(numbers) == 1 else f"takes {', '.join(numbers)}"
    says = f"{said} put into the bin" if binned else f"{said} taken out of the bin"
    async with history.act(conn, session_id, kind="bin", says=says, scope={"take": take_ids}):
        for take_id in take_ids:
            await takes.set_binned(conn, take_id, binned=binned)


async def gone_with(conn: Connection, session_id: UUID, sessions_folder: Path) -> int:
    """Bytes that emptying a session's bin frees."""
    files = await _files(conn, session_id, sessions_folder)
    return await asyncio.to_thread(lambda: sum(_size(path) for path in files))


async def empty_bin(conn: Connection, session_id: UUID, sessions_folder: Path) -> int:
    """Remove the takes of a session that are in its bin, with their prints and all files; how many they were.

    The rows go first: a file that cannot be removed is left over, and no take is left without its file.
    """
    binned = await takes.list_binned(conn, session_id)
    files = await _files(conn, session_id, sessions_folder)
    folders = [sessions_folder / take.folder for take in binned]
    await takes.remove_takes(conn, [take.id for take in binned])
    await conn.commit()
    await asyncio.to_thread(_remove, files, folders)
    log.info("the bin of session %s was emptied: %d takes", session_id, len(binned))
    return len(binned)


async def _files(conn: Connection, session_id: UUID, sessions_folder: Path) -> list[Path]:
    binned = await takes.list_binned(conn, session_id)
    channels = await takes.channels_of(conn, [take.id for take in binned])
    files = [sessions_folder / take.folder / channel.file for take in binned for channel in channels[take.id]]
    ids = {take.id for take in binned}
    made = [each for each in await prints.list_prints(conn, session_id) if each.material_id in ids and each.file]
    return [*files, *(sessions_folder / str(each.file) for each in made)]


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0


def _remove(files: list[Path], folders: list[Path]) -> None:
    for path in files:
        with contextlib.suppress(OSError):
            path.unlink()
    for folder in folders:
        # Its own notes go with it; what a person has put there stays.
        for note in ("take.json",):
            with contextlib.suppress(OSError):
                (folder / note).unlink()
        with contextlib.suppress(OSError):
            folder.rmdir()
