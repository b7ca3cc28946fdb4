"""Requests whose body is larger than anything this server reads are refused before it is put on disk."""

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from fatsignal.web.problems import problem

# What a form adds to the file in it.
_ENVELOPE_BYTES = 1 << 16


class MaxBodySize:
    """ASGI middleware: a body announced as larger than `largest_bytes` is thrown away as it comes, then refused.

    It is read to its end because a browser that is cut off while it sends shows no answer at all.
    """

    def __init__(self, app: ASGIApp, *, largest_bytes: int) -> None:
        self._app = app
        self._largest_bytes = largest_bytes

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        announced = Headers(scope=scope).get("content-length", "") if scope["type"] == "http" else ""
        if not announced.isdigit() or int(announced) <= self._largest_bytes + _ENVELOPE_BYTES:
            await self._app(scope, receive, send)
            return
        while True:
            message = await receive()
            if message["type"] == "http.disconnect":
                return
            if not message.get("more_body", False):
                break
        size_gb, limit_gb = int(announced) / 1024**3, self._largest_bytes / 1024**3
        detail = (
            f"this file has {size_gb:.1f} GB, and files of up to {limit_gb:.3g} GB are brought in: "
            "cut it into parts, or re-amp it with ./fatsignal reamp"
        )
        await problem(413, "Too large", detail)(scope, receive, send)
