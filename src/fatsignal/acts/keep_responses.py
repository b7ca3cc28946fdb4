"""Impulse responses that a person brings in, or that come with a tone: kept on the disk, known by name."""

import asyncio
from pathlib import Path

from fatsignal.core.tone.document import Tone, files_of
from fatsignal.files.responses import ResponseFolder
from fatsignal.store import impulse_responses
from fatsignal.store.database import Connection
from fatsignal.store.impulse_responses import KnownResponse

_LONGEST_NAME = 120


async def keep_response(conn: Connection, folder: ResponseFolder, content: bytes, shown_name: str) -> KnownResponse:
    """Keep a file.

    Raises
    ------
    FileRefused
        If no response can be made of it, or it cannot be written.
    """
    facts = await asyncio.to_thread(folder.keep, content, shown_name)
    name = "".join(sign for sign in Path(shown_name).stem if sign.isprintable() and sign not in "/\\").strip()
    return await impulse_responses.add_response(
        conn, sha256=facts.sha256, name=name[:_LONGEST_NAME] or "response", rate_hz=facts.rate_hz,
        channels=facts.channels, sound_s=facts.sound_s,
    )  # fmt: skip


async def keep_responses_of(conn: Connection, folder: ResponseFolder, tone: Tone, brought: dict[str, bytes]) -> None:
    """Keep those that came with a tone's document and that it names.

    Raises
    ------
    FileRefused
        As `keep_response`.
    """
    for file in files_of(tone):
        if file.sha256 in brought:
            await keep_response(conn, folder, brought[file.sha256], f"{file.name}.wav")
