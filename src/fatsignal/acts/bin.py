"""The bin: into it, out of it, and emptying it, the one act that removes what was recorded."""

import asyncio
import contextlib
import logging
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

from fatsignal.core.easing.easing import Easing
from fatsignal.engine.journal import ENTERED_NAME
from fatsignal.files.eased_files import FOLDER, unused_files
from fatsignal.store import comps, history, parts, prints, sessions, takes, trials
from fatsignal.store.database import Connection
from fatsignal.store.prints import Print
from fatsignal.store.takes import Take
from fatsignal.store.trials import Trial

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


@dataclass(frozen=True, slots=True)
class Bin:
    """Takes and trial clips of a session that are in its bin, prints made of them, and where all of it lies.

    `held` are takes that stay in it when it is emptied, each with the comps that use it.
    """

    session_id: UUID
    takes: list[Take]
    held: list[tuple[Take, list[str]]]
    trials: list[Trial]
    prints: list[Print]
    files: list[Path]
    folders: list[Path]

    def bytes(self) -> int:
        """That emptying it frees."""
        return sum(_size(path) for path in self.files)


async def look_into_bin(conn: Connection, session_id: UUID, sessions_folder: Path) -> Bin:
    """What is in a session's bin."""
    users: dict[UUID, list[str]] = {}
    eased: list[tuple[UUID, Easing]] = []
    names = {part.id: part.name for part in await parts.list_parts(conn, session_id)}
    for comp in await comps.all_of_session(conn, session_id):
        eased += [(piece.take_id, piece.easing) for piece in comp.comp.pieces if piece.easing is not None]
        for take_id in comp.comp.take_ids:
            users.setdefault(take_id, []).append(f"{names[comp.part_id]}, {comp.name}")
    there = await takes.list_binned(conn, session_id)
    held = [(take, users[take.id]) for take in there if take.id in users]
    binned = [take for take in there if take.id not in users]
    channels = await takes.channels_of(conn, [take.id for take in binned])
    ids = {take.id for take in binned}
    made = [print_ for print_ in await prints.list_prints(conn, session_id) if print_.material_id in ids]
    tried = await trials.list_binned(conn, session_id)
    recorded = [sessions_folder / take.folder / channel.file for take in binned for channel in channels[take.id]]
    recorded += [sessions_folder / trial.folder / channel.file for trial in tried for channel in trial.channels]
    printed = [sessions_folder / file for print_ in made for file in (print_.file, print_.copy_file) if file]
    # What was made of takes for a comp that is not so any more.
    session = await sessions.get_session(conn, session_id)
    printed += await asyncio.to_thread(unused_files, eased, sessions_folder / session.folder / FOLDER)
    folders = [sessions_folder / take.folder for take in binned]
    folders += [sessions_folder / trial.folder for trial in tried]
    return Bin(session_id, binned, held, tried, made, recorded + printed, folders)


async def empty_bin(conn: Connection, found: Bin) -> None:
    """Remove the takes and trial clips that are in it, with their prints and all files; what a comp uses stays.

    The rows go first: a file that cannot be removed is left over, and no take is left without its file.
    """
    await takes.remove_takes(conn, [take.id for take in found.takes])
    await trials.remove_trials(conn, [trial.id for trial in found.trials])
    await conn.commit()
    await asyncio.to_thread(_remove, found.files, found.folders)
    log.info(
        "the bin of session %s was emptied: %d takes, %d trials", found.session_id, len(found.takes), len(found.trials)
    )


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
        with contextlib.suppress(OSError):
            (folder / ENTERED_NAME).unlink()
        with contextlib.suppress(OSError):
            folder.rmdir()
