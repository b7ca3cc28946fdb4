"""Prints: the DI of a material through a tone."""

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any
from uuid import UUID

from fatsignal.acts.dry_sound import dry_sound
from fatsignal.config import Settings
from fatsignal.core.tone.print_settings import PrintSettings
from fatsignal.errors import ChangedMeanwhile
from fatsignal.files.names import file_name, take_stem
from fatsignal.jobs.kind import RENDERS, Tell, WorkKind
from fatsignal.store import comps, parts, prints, sessions, takes, tones
from fatsignal.store.database import Connection
from fatsignal.store.tones import ToneRevision
from fatsignal.store.works import Work

if TYPE_CHECKING:
    # What computes is imported when it is wanted: the web process, which only asks, does not pay for scipy and numba.
    from fatsignal.acts.render_print import RenderedPrint, ToPrint

FOLDER = "Prints"


@dataclass(frozen=True, slots=True)
class _Prepared:
    print_id: UUID
    what: "ToPrint"
    revision: ToneRevision
    made: PrintSettings
    folder: Path
    settings: Settings


async def _prepare(conn: Connection, work: Work, settings: Settings) -> _Prepared:
    from fatsignal.acts.render_print import ToPrint

    print_ = await prints.get_print(conn, UUID(work.input["print_id"]))
    dry = await dry_sound(conn, print_.material_id, settings.sessions_folder)
    versions = await comps.comps_by_id(conn, [print_.material_id])
    if versions:
        version = versions[print_.material_id]
        part = await parts.get_part(conn, version.part_id)
        if dry.fingerprint != print_.material_fingerprint:
            raise ChangedMeanwhile(f"{version.name} was changed since its print was asked for: print it again")
        used, name, at = dry.recorded.material.span, f"{file_name(part.name)} {version.name}", version.made_at
    else:
        take = await takes.get_take(conn, print_.material_id)
        part = await parts.get_part(conn, take.part_id)
        used, name, at = take.used, take_stem(file_name(part.name), take.number), take.recorded_at
    what = ToPrint(dry, used, name, at)
    session = await sessions.get_session(conn, part.session_id)
    revision = await tones.get_revision(conn, print_.tone_revision_id)
    made = PrintSettings.model_validate(print_.settings)
    return _Prepared(print_.id, what, revision, made, settings.sessions_folder / session.folder / FOLDER, settings)


def _compute(prepared: _Prepared, holder: str, tell: Tell) -> "RenderedPrint":
    from fatsignal.acts.render_print import render_print

    done = render_print(
        prepared.what, prepared.revision, prepared.made, print_id=prepared.print_id, holder=holder,
        folder=prepared.folder, sessions_folder=prepared.settings.sessions_folder,
        waves_folder=prepared.settings.waves_folder,
        on_progress=lambda share, speed: tell(share, times_real_time=round(speed, 2)),
    )  # fmt: skip
    tell(1.0, times_real_time=round(done.times_real_time, 2))
    return done


async def _keep(conn: Connection, prepared: _Prepared, done: "RenderedPrint") -> Any:
    await prints.set_file(
        conn, prepared.print_id, file=done.file, sha256=done.sha256, frames=done.frames, origin=done.origin,
        checks=done.checks, channels=done.channels,
    )  # fmt: skip
    return {"file": done.file}


PRINTING = WorkKind(name=prints.KIND, queue=RENDERS, prepare=_prepare, compute=_compute, keep=_keep)
