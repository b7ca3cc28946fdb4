"""Only our own page may talk to this server: `Host` and `Origin` are checked before anything else.

A page from elsewhere in the same browser can send requests to a loopback address; without these
checks it could roll, read takes, or open the live socket.
"""

from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from fatsignal.web.problems import problem

_LOOPBACK = {"127.0.0.1", "localhost", "::1"}
_SAFE = {"GET", "HEAD", "OPTIONS"}
_POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; "
    "style-src 'self' 'unsafe-inline'; connect-src 'self'; frame-ancestors 'none'; base-uri 'none'"
)


class SameOriginOnly:
    """ASGI middleware for HTTP and WebSocket alike."""

    def __init__(self, app: ASGIApp, *, allowed_hosts: list[str]) -> None:
        self._app = app
        self._hosts = _LOOPBACK | {host.lower() for host in allowed_hosts}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        if _name(f"//{host}") not in self._hosts:
            await _refuse(scope, receive, send, "this server does not go by that name; open the address it printed")
            return
        origin = headers.get("origin")
        must_match = scope["type"] == "websocket" or scope["method"] not in _SAFE
        if must_match and origin is not None and urlsplit(origin).netloc != host:
            await _refuse(scope, receive, send, "another web page may not use this server")
            return
        if headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
            await _refuse(scope, receive, send, "another web page may not use this server")
            return

        async def send_guarded(message: dict[str, object]) -> None:
            if message["type"] == "http.response.start":
                raw = list(message["headers"])  # type: ignore[call-overload]
                raw += [
                    (b"content-security-policy", _POLICY.encode()),
                    (b"x-content-type-options", b"nosniff"),
                    (b"referrer-policy", b"no-referrer"),
                ]
                message = {**message, "headers": raw}
            await send(message)

        await self._app(scope, receive, send_guarded)  # type: ignore[arg-type]


def _name(address: str) -> str:
    try:
        return (urlsplit(address).hostname or "").lower()
    except ValueError:
        return ""


async def _refuse(scope: Scope, receive: Receive, send: Send, detail: str) -> None:
    if scope["type"] == "websocket":
        # Before it is accepted, closing answers the handshake with 403.
        await receive()
        await send({"type": "websocket.close", "code": 4403, "reason": detail})
        return
    await problem(403, "Refused", detail)(scope, receive, send)
