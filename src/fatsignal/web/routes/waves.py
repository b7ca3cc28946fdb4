"""Waves to draw: the columns of many takes and prints in one answer."""

import asyncio
import contextlib
import json
from typing import TYPE_CHECKING, Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response

from fatsignal.acts.find_material import find_materials
from fatsignal.errors import WorkFailed
from fatsignal.jobs.kinds.waves import WAVE_KIND, WaveInput
from fatsignal.web.context import Pool, SettingsDep, WorkQueueDep
from fatsignal.web.work_queue import WorkQueue

if TYPE_CHECKING:
    from pathlib import Path

    from fatsignal.core.level.waveform_peaks import Columns
    from fatsignal.files.material_files import MaterialOnDisk

router = APIRouter(prefix="/api", tags=["waves"])

MOST_WAVES = 100
# What takes longer to make again is there when it is asked for next.
_MADE_WITHIN_S = 20.0


@router.get("/waves", response_class=Response, responses={200: {"content": {"application/octet-stream": {}}}})
async def waves(
    pool: Pool, settings: SettingsDep, queue: WorkQueueDep,
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
    columns = await asyncio.to_thread(_kept, settings.waves_folder, found, frames_per_column)
    if gone := {key: sounds for key, sounds in found.items() if key not in columns}:
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(asyncio.gather(*(_made(queue, each) for each in gone.values())), _MADE_WITHIN_S)
        columns |= await asyncio.to_thread(_kept, settings.waves_folder, gone, frames_per_column)
    body = await asyncio.to_thread(_pack, [(key, columns[key]) for key in dict.fromkeys(ids) if key in columns])
    # "identity" keeps the compressor away: on the loopback, or a cable, packing takes longer than sending.
    return Response(body, media_type="application/octet-stream", headers={"Content-Encoding": "identity"})


def _kept(folder: "Path", of: "dict[UUID, MaterialOnDisk]", frames_per_column: int) -> "dict[UUID, Columns]":
    from fatsignal.acts.waves import load_wave

    loaded = {
        key: load_wave(folder, sounds.material.fingerprint, frames_per_column=frames_per_column)
        for key, sounds in of.items()
    }
    return {key: columns for key, columns in loaded.items() if columns is not None}


async def _made(queue: WorkQueue, sounds: "MaterialOnDisk") -> None:
    """Let a worker make it; where its sound is gone too, there is none."""
    work_input = WaveInput(material_id=sounds.material.id).model_dump(mode="json")
    with contextlib.suppress(WorkFailed):
        # What was made before is gone again.
        await queue.result(
            await queue.ask(kind=WAVE_KIND, fingerprint=sounds.material.fingerprint, work_input=work_input, anew=True)
        )


def _pack(waves: "list[tuple[UUID, Columns]]") -> bytes:
    from fatsignal.core.level.waveform_peaks import loudest

    entries = [
        {"id": str(key), "channels": columns.shape[0], "columns": columns.shape[1], "loudest": loudest(columns)}
        for key, columns in waves
    ]
    return b"\n".join([json.dumps(entries).encode(), b"".join(columns.tobytes() for _, columns in waves)])
