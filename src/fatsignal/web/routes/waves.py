"""Waves to draw: the columns of many takes and prints in one answer."""

import asyncio
import json
from typing import TYPE_CHECKING, Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response

from fatsignal.acts.find_material import find_materials
from fatsignal.web.context import Pool, SettingsDep

if TYPE_CHECKING:
    from pathlib import Path

    from fatsignal.files.material_files import MaterialOnDisk

router = APIRouter(prefix="/api", tags=["waves"])

MOST_WAVES = 100


@router.get("/waves", response_class=Response, responses={200: {"content": {"application/octet-stream": {}}}})
async def waves(
    pool: Pool, settings: SettingsDep,
    ids: Annotated[list[UUID], Query(alias="id", min_length=1, max_length=MOST_WAVES)],
    frames_per_column: Annotated[int, Query(ge=256, le=1 << 20)] = 1024,
) -> Response:  # fmt: skip
    """Columns of takes, prints and backing tracks: one line of JSON, then the bytes.

    The line lists the waves that there are, each with its id, channels, columns and loudest byte of each channel.
    The bytes follow wave by wave and channel by channel: signed, minimum and maximum by turns, in 127ths. A wave that
    is not kept any more is made again from its sound.
    """
    # No connection is held while columns are read, or made.
    async with pool.connection() as conn:
        found = await find_materials(conn, ids, settings.sessions_folder)
    body = await asyncio.to_thread(_pack, settings.waves_folder, ids, found, frames_per_column)
    # "identity" keeps the compressor away: on the loopback, or a cable, packing takes longer than sending.
    return Response(body, media_type="application/octet-stream", headers={"Content-Encoding": "identity"})


def _pack(folder: "Path", ids: list[UUID], found: "dict[UUID, MaterialOnDisk]", frames_per_column: int) -> bytes:
    from fatsignal.acts.waves import load_wave, make_wave
    from fatsignal.core.level.waveform_peaks import loudest

    entries, pieces = [], []
    for key in dict.fromkeys(ids):
        sounds = found.get(key)
        if sounds is None:
            continue
        fingerprint = sounds.material.fingerprint
        columns = load_wave(folder, fingerprint, frames_per_column=frames_per_column)
        if columns is None and make_wave(folder, sounds):
            columns = load_wave(folder, fingerprint, frames_per_column=frames_per_column)
        if columns is None:
            continue
        entries.append(
            {"id": str(key), "channels": columns.shape[0], "columns": columns.shape[1], "loudest": loudest(columns)}
        )
        pieces.append(columns.tobytes())
    return b"\n".join([json.dumps(entries).encode(), b"".join(pieces)])
