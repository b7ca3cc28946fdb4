"""What happens now, to every open page: one WebSocket with meters, growing waves, takes and prints."""

import asyncio
from typing import Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect

from fatsignal.web.live_messages import AnyMessage, LiveState, NoticeTold

router = APIRouter()

_BEHIND = 120


class Hub:
    """Tells every listener; one that cannot keep up misses meters, never anything else."""

    def __init__(self) -> None:
        self._listeners: set[asyncio.Queue[str]] = set()
        self._state = LiveState()

    def tell(self, message: AnyMessage) -> None:
        """Send one message to all pages."""
        text = message.model_dump_json()
        for queue in list(self._listeners):
            if message.event in ("meters", "bench_meters", "pitch") and queue.qsize() > _BEHIND:
                continue
            queue.put_nowait(text)

    def notice(self, problem: str) -> None:
        """Tell every page a sentence for the person."""
        self.tell(NoticeTold(problem=problem))

    def set_state(self, **changes: Any) -> None:
        """Change what a page that opens later is told first, and tell those that are open."""
        self._state = self._state.model_copy(update=changes)
        self.tell(self._state)

    def join(self) -> asyncio.Queue[str]:
        queue: asyncio.Queue[str] = asyncio.Queue()
        queue.put_nowait(self._state.model_dump_json())
        self._listeners.add(queue)
        return queue

    def leave(self, queue: asyncio.Queue[str]) -> None:
        self._listeners.discard(queue)


@router.websocket("/api/live")
async def live(socket: WebSocket) -> None:
    """Everything that happens, as JSON messages with an `event`."""
    await socket.accept()
    hub: Hub = socket.app.state.hub
    queue = hub.join()
    listening = asyncio.create_task(_until_gone(socket))
    try:
        while not listening.done():
            sending = asyncio.create_task(queue.get())
            done, _ = await asyncio.wait({sending, listening}, return_when=asyncio.FIRST_COMPLETED)
            if sending in done:
                await socket.send_text(sending.result())
            else:
                sending.cancel()
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        listening.cancel()
        hub.leave(queue)


async def _until_gone(socket: WebSocket) -> None:
    try:
        while True:
            await socket.receive_text()
    except (WebSocketDisconnect, RuntimeError, KeyError):
        return
