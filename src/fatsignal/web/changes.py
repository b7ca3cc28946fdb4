"""Two browsers at once: what one changes, the others are told, so that all show the same."""

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fatsignal.web.live import Hub
from fatsignal.web.live_messages import Changed

# By this header a page names itself; it is told of no change of its own.
PAGE_HEADER = "x-page"
_CHANGING = frozenset({"POST", "PUT", "PATCH", "DELETE"})


class ChangeBroadcast:
    """ASGI middleware: a request that changed something is told to every other page, as the event `changed`."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] not in _CHANGING:
            await self._app(scope, receive, send)
            return
        status = 500

        async def watching(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        await self._app(scope, receive, watching)
        if status < 300:
            # After the transaction: it is committed before the answer begins.
            hub: Hub = scope["app"].state.hub
            hub.tell(Changed(by=Headers(scope=scope).get(PAGE_HEADER, "")))
