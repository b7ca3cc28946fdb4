"""Waves: the columns of a material are made again where they are gone, or were never kept."""

from typing import TYPE_CHECKING, Any
from uuid import UUID

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.jobs.kind import PROMPT, Tell, WorkKind, keep_result
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.files.material_files import MaterialOnDisk

WAVE_KIND = "wave"
_REMEMBERED = 500


class WaveInput(BaseModel):
    material_id: UUID


async def _prepare(conn: Connection, work: Work, settings: Settings) -> "tuple[MaterialOnDisk, Settings]":
    from fatsignal.acts.find_material import find_material

    asked = WaveInput.model_validate(work.input)
    return await find_material(conn, asked.material_id, settings.sessions_folder), settings


def _compute(prepared: "tuple[MaterialOnDisk, Settings]", _: str, tell: Tell) -> Any:
    from fatsignal.acts.waves import make_wave

    sounds, settings = prepared
    return make_wave(settings.waves_folder, sounds)


WAVE = WorkKind(
    name=WAVE_KIND, queue=PROMPT, prepare=_prepare, compute=_compute, keep=keep_result, remembered=_REMEMBERED
)
