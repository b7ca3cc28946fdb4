"""Levels: pieces of a part's comp that drop or jump beside their neighbours."""

from typing import TYPE_CHECKING, Any
from uuid import UUID

from fatsignal.config import Settings
from fatsignal.errors import ChangedMeanwhile
from fatsignal.jobs.kind import SHORT, Tell, WorkKind, keep_result
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.comp.levels import ToLevel

COMP_LEVELS_KIND = "comp levels"
_REMEMBERED = 100


async def _prepare(conn: Connection, work: Work, settings: Settings) -> "ToLevel":
    from fatsignal.acts.comp.levels import load_levels

    loaded = await load_levels(conn, UUID(work.input["part_id"]), settings.sessions_folder)
    if loaded.fingerprint() != work.fingerprint:
        raise ChangedMeanwhile("the comp has changed since its levels were asked for: look again")
    return loaded


def _compute(prepared: "ToLevel", _: str, tell: Tell) -> Any:
    from fatsignal.acts.comp.levels import levels_off

    return [
        {
            "take_id": str(each.take_id), "from_frame": each.place.from_frame, "to_frame": each.place.to_frame,
            "off_db": each.off_db, "says": each.says,
        }
        for each in levels_off(prepared)
    ]  # fmt: skip


COMP_LEVELS = WorkKind(
    name=COMP_LEVELS_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=keep_result, remembered=_REMEMBERED
)
