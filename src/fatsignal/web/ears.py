"""From the engine to a page's ears: sound as it is mixed, passed on unchanged."""

import asyncio
import contextlib
from uuid import UUID

from fastapi import APIRouter, WebSocket, WebSocketDisconnect

from fatsignal.config import Settings
from fatsignal.engine.client import open_ears

router = APIRouter()

_RETRY_S = 0.5
_PIECE_BYTES = 65_536


@router.websocket("/api/ears/{cue_id}")
async def ears(socket: WebSocket, cue_id: UUID) -> None:
    """What a listener hears: binary messages as `engine/ears.py` writes them, cut anywhere."""
    await socket.accept()
    settings: Settings = socket.app.state.settings
    passing = asyncio.create_task(_pass_on(socket, settings, cue_id))
    try:
        while True:
            await socket.receive_text()
    except (WebSocketDisconnect, RuntimeError, KeyError):
        pass
    finally:
        passing.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await passing


async def _pass_on(socket: WebSocket, settings: Settings, cue_id: UUID) -> None:
    """Stay connected to the engine, also to one that is started anew."""
    while True:
        with contextlib.suppress(OSError, WebSocketDisconnect, RuntimeError):
            reader, writer = await open_ears(settings.run_folder, cue_id)
            try:
                while data := await reader.read(_PIECE_BYTES):
                    await socket.send_bytes(data)
            finally:
                writer.close()
        await asyncio.sleep(_RETRY_S)
