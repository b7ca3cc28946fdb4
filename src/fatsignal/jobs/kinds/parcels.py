"""Parcels: what is handed over, as one ZIP, kept until three newer ones are made."""

import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any
from uuid import UUID

from fatsignal.config import Settings
from fatsignal.jobs.kind import SHORT, Tell, WorkKind
from fatsignal.store import works
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.hand_over import Parcel

PARCEL_KIND = "parcel"
KEPT = 3


@dataclass(frozen=True, slots=True)
class _Prepared:
    work_id: UUID
    parcel: "Parcel"
    folder: Path
    # Parcels that may be saved still, and those that are being made: their files stay.
    wanted: frozenset[str]


def parcel_file(settings: Settings, work_id: UUID) -> Path:
    """The ZIP that came of a work."""
    return settings.parcels_folder / f"{work_id}.zip"


async def _prepare(conn: Connection, work: Work, settings: Settings) -> _Prepared:
    from fatsignal.acts.hand_over import ParcelAsked, parcel_of

    assert work.session_id is not None, "it is asked for in a session"
    asked = ParcelAsked.model_validate(work.input)
    parcel = await parcel_of(conn, work.session_id, asked, settings.sessions_folder)
    others = [each for each in await works.list_works(conn, kind=PARCEL_KIND) if each.id != work.id]
    wanted = frozenset(str(each.id) for each in others if each.state in ("waiting", "working", "done"))
    return _Prepared(work.id, parcel, settings.parcels_folder, wanted)


def _tidy(prepared: _Prepared) -> None:
    """What was half written, and parcels that are forgotten; who saves one of them reads it to its end."""
    prepared.folder.mkdir(parents=True, exist_ok=True)
    for left in prepared.folder.iterdir():
        if left.name[:36] not in prepared.wanted:
            if left.is_dir():
                shutil.rmtree(left, ignore_errors=True)
            else:
                left.unlink(missing_ok=True)


def _compute(prepared: _Prepared, holder: str, tell: Tell) -> Path:
    from fatsignal.acts.hand_over import write_parcel

    partial = prepared.folder / f"{prepared.work_id}-{holder}.zip"
    try:
        write_parcel(prepared.parcel, partial, tell)
    except BaseException:
        partial.unlink(missing_ok=True)
        raise
    return partial


async def _keep(conn: Connection, prepared: _Prepared, partial: Path) -> Any:
    size = partial.stat().st_size
    partial.replace(prepared.folder / f"{prepared.work_id}.zip")
    return {"bytes": size, "files": len(prepared.parcel.items)}


PARCEL = WorkKind(
    name=PARCEL_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=_keep, tidy=_tidy, remembered=KEPT
)
