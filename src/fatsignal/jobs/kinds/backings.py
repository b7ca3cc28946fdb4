"""Backing tracks: a file that was received, or what the computer played, is measured and its pulse looked for."""

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.engine.orders import ListenOrder
from fatsignal.jobs.kind import SHORT, Tell, WorkKind
from fatsignal.store import sessions
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.import_backing import BackingFile

BACKING_KIND, PLAYBACK_KIND = "backing", "playback"
_REMEMBERED = 100


class BackingInput(BaseModel):
    """The file as it lies in the folder of what was received, and the name that the person knows."""

    path: Path
    shown_name: str


@dataclass(frozen=True, slots=True)
class _Prepared:
    asked: BackingInput
    session: Session
    mark: str
    settings: Settings


async def _prepare(conn: Connection, work: Work, settings: Settings) -> _Prepared:
    assert work.session_id is not None, "it is asked for in a session"
    session = await sessions.get_session(conn, work.session_id)
    return _Prepared(BackingInput.model_validate(work.input), session, f"importing-{work.id}", settings)


def _tidy(prepared: _Prepared) -> None:
    """What an attempt before this one has half written."""
    from fatsignal.acts.import_backing import backing_folder

    for left in backing_folder(prepared.settings.sessions_folder, prepared.session).glob(
        f"{prepared.mark}*.partial.wav"
    ):
        left.unlink(missing_ok=True)


def _compute(prepared: _Prepared, holder: str, tell: Tell) -> "BackingFile":
    from fatsignal.acts.import_backing import import_backing

    return import_backing(
        prepared.asked.path, shown_name=prepared.asked.shown_name, session=prepared.session,
        sessions_folder=prepared.settings.sessions_folder, waves_folder=prepared.settings.waves_folder,
        mark=f"{prepared.mark}-{holder}", on_progress=tell,
    )  # fmt: skip


async def _keep(conn: Connection, prepared: _Prepared, made: "BackingFile") -> Any:
    from fatsignal.acts.import_backing import enter_backing

    # Its first downbeat, where one was found, is laid on bar 1; otherwise its first sample is.
    at = prepared.session.tempo.bar_frame(1) - (made.pulse["first_downbeat"] if made.pulse else 0)
    stored = await enter_backing(conn, prepared.session, made, origin="file", placed_frame=at)
    return {"backing_id": str(stored.id), "no_pulse": made.no_pulse}


BACKING = WorkKind(
    name=BACKING_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=_keep, tidy=_tidy, remembered=_REMEMBERED
)


@dataclass(frozen=True, slots=True)
class _Played:
    order: ListenOrder
    session: Session
    settings: Settings


async def _prepare_played(conn: Connection, work: Work, settings: Settings) -> _Played:
    order = ListenOrder.model_validate(work.input)
    return _Played(order, await sessions.get_session(conn, order.session_id), settings)


def _join_played(played: _Played, holder: str, tell: Tell) -> "BackingFile":
    from fatsignal.acts.import_backing import join_playback

    return join_playback(
        played.order, played.session, sessions_folder=played.settings.sessions_folder,
        waves_folder=played.settings.waves_folder,
    )  # fmt: skip


async def _keep_played(conn: Connection, played: _Played, made: "BackingFile") -> Any:
    from fatsignal.acts.import_backing import enter_backing

    placed_frame = played.order.from_frame
    stored = await enter_backing(conn, played.session, made, origin="computer", placed_frame=placed_frame)
    return {"backing_id": str(stored.id)}


PLAYBACK = WorkKind(name=PLAYBACK_KIND, queue=SHORT, prepare=_prepare_played, compute=_join_played, keep=_keep_played)
