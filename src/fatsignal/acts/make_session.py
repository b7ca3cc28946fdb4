"""A new session: its row, and its folder on disk."""

import asyncio
import contextlib
from pathlib import Path

from psycopg.errors import UniqueViolation

from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import FileRefused
from fatsignal.files.claims import claim_folder
from fatsignal.files.names import file_name
from fatsignal.store import sessions
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session


async def make_session(
    conn: Connection, sessions_folder: Path, *, name: str, artist: str, depth: str, tempo: TempoMap, song_bars: int,
    reference_pitch_hz: float = 440.0,
) -> Session:  # fmt: skip
    """Make a session; its folder has its name, or that with a number after it. Several at once get one each.

    Raises
    ------
    FileRefused
        If no folder can be made.
    """
    while True:
        try:
            folder = await asyncio.to_thread(claim_folder, sessions_folder / file_name(name))
        except OSError as trouble:
            raise FileRefused(
                f"no folder can be made for the session ({trouble.strerror}): look at the data folder and its disk"
            ) from None
        try:
            async with conn.transaction():
                return await sessions.add_session(
                    conn, name=name, artist=artist, depth=depth, tempo=tempo, song_bars=song_bars, folder=folder.name,
                    reference_pitch_hz=reference_pitch_hz,
                )  # fmt: skip
        except UniqueViolation as taken:
            # A session has a folder of this name that was taken away from the disk: the name stays its own.
            if taken.diag.constraint_name != "session_folder_unique":
                _drop(folder)
                raise
        except BaseException:
            _drop(folder)
            raise


def _drop(folder: Path) -> None:
    with contextlib.suppress(OSError):
        folder.rmdir()
