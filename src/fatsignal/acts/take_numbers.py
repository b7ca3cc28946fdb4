"""The number of a part's next take, and of its next trial clip."""

import asyncio
from pathlib import Path

from fatsignal.files.claims import highest_take_number, highest_trial_number
from fatsignal.files.names import file_name
from fatsignal.store.database import Connection
from fatsignal.store.numbers import highest_number
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session


def part_folder(sessions_folder: Path, session: Session, part: Part) -> Path:
    """Where the takes of a part lie."""
    return sessions_folder / session.folder / file_name(part.name)


async def next_number(conn: Connection, sessions_folder: Path, session: Session, part: Part) -> int:
    """Number that a part's next take probably gets: what waits in its folder to be entered counts too.

    Whoever makes the take's folder first has the number (`files/claims.py`); another takes the next.
    """
    in_folder = await asyncio.to_thread(highest_take_number, part_folder(sessions_folder, session, part))
    return 1 + max(await highest_number(conn, "take", part.id), in_folder)


async def next_trial_number(conn: Connection, sessions_folder: Path, session: Session, part: Part) -> int:
    """The same of its next trial clip."""
    in_folder = await asyncio.to_thread(highest_trial_number, part_folder(sessions_folder, session, part))
    return 1 + max(await highest_number(conn, "trial", part.id), in_folder)
