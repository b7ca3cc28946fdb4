"""Waves to draw: the columns of many takes and prints in one answer."""

import asyncio
import json
from pathlib import Path
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response

from fatsignal.web.context import Place

router = APIRouter(prefix="/api", tags=["waves"])

MOST_WAVES = 100


@router.get("/waves", response_class=Response, responses={200: {"content": {"application/octet-stream": {}}}})
async def waves(
    place: Place,
    ids: Annotated[list[UUID], Query(alias="id", min_length=1, max_length=MOST_WAVES)],
    frames_per_column: Annotated[int, Query(ge=256, le=1 << 20)] = 1024,
) -> Response:
    """Columns of takes and prints: one line of JSON, then the bytes.

    The line lists the waves that exist, each with its id, channels, columns and loudest byte of each channel.
    The bytes follow wave by wave and channel by channel: signed, minimum and maximum by turns, in 127ths.
    """
    body = await asyncio.to_thread(_pack, place.pyramids_folder, ids, frames_per_column)
    # "identity" keeps the compressor away: on the loopback, or a cable, packing takes longer than sending.
    return Response(body, media_type="application/octet-stream", headers={"Content-Encoding": "identity"})


def _pack(folder: Path, ids: list[UUID], frames_per_column: int) -> bytes:
    from fatsignal.acts.survey import load_wave
    from fatsignal.core.level.pyramid import loudest

    entries, pieces = [], []
    for key in dict.fromkeys(ids):
        try:
            columns = load_wave(folder, str(key), frames_per_column=frames_per_column)
        except FileNotFoundError:
            continue
        entries.append(
            {"id": str(key), "channels": columns.shape[0], "columns": columns.shape[1], "loudest": loudest(columns)}
        )
        pieces.append(columns.tobytes())
    return b"\n".join([json.dumps(entries).encode(), b"".join(pieces)])
