"""Large answers: made and written as JSON beside the event loop, through which the sound flows."""

import asyncio
from collections.abc import Callable
from functools import lru_cache
from typing import Any, TypeVar

from fastapi import Response
from pydantic import TypeAdapter

Answer = TypeVar("Answer")


async def answer_beside(kind: Any, make: Callable[[], Answer]) -> Response:
    """What `make` gives, of a kind that is the endpoint's `response_model`; both run in a thread."""
    data = await asyncio.to_thread(lambda: _adapter(kind).dump_json(make()))
    return Response(data, media_type="application/json")


async def json_beside(make: Callable[[], bytes]) -> Response:
    """JSON that `make` writes, in a thread."""
    return Response(await asyncio.to_thread(make), media_type="application/json")


def written(kind: Any, value: Any) -> bytes:
    """A value of a kind as JSON."""
    return _adapter(kind).dump_json(value)


@lru_cache(maxsize=64)
def _adapter(kind: Any) -> TypeAdapter[Any]:
    return TypeAdapter(kind)
