"""What follows when the engine has listened: a check is measured, the computer's playback becomes a backing track."""

import asyncio
import logging
import shutil
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING
from uuid import UUID, uuid4

from psycopg import Error as DatabaseError
from psycopg_pool import AsyncConnectionPool, PoolTimeout

from fatsignal.config import Settings
from fatsignal.engine.protocol import Ended, ListenOrder
from fatsignal.errors import FatSignalError
from fatsignal.rig.interface import NAME
from fatsignal.store import backings, interfaces, rig_checks, sessions
from fatsignal.store.database import Connection
from fatsignal.web.live import Hub

if TYPE_CHECKING:
    from fatsignal.acts.run_check import CheckFound

CHECKS = "checks"
# Gives the engine an order and returns when it listens.
Start = Callable[[ListenOrder], Awaitable[None]]

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class _Asked:
    """An order and what its measurement needs besides; the second pass of a latency check knows the first."""

    order: ListenOrder
    playing_dbfs: dict[str, float]
    first_pass_frames: float | None = None


class ListeningDesk:
    """Orders to listen, and what becomes of them."""

    def __init__(self, place: Settings, pool: AsyncConnectionPool[Connection], hub: Hub, start: Start) -> None:
        self._place = place
        self._pool = pool
        self._hub = hub
        self._start = start
        self._asked: dict[UUID, _Asked] = {}
        self._working: set[asyncio.Task[None]] = set()

    async def listen(self, order: ListenOrder, *, playing_dbfs: dict[str, float] | None = None) -> None:
        """Start to listen; returns when the engine does.

        Raises
        ------
        RollRefused
            If something rolls already, or the engine cannot.
        """
        self._asked[order.roll_id] = _Asked(order, playing_dbfs or {})
        try:
            await self._start(order)
        except BaseException:
            self._asked.pop(order.roll_id, None)
            raise

    def ended(self, event: Ended) -> None:
        """The engine has listened: measure, in the background."""
        asked = self._asked.pop(event.roll_id, None)
        if asked is None:
            # Asked by a server that is gone: nobody waits for it.
            shutil.rmtree(event.folder, ignore_errors=True)
            return
        task = asyncio.create_task(self._finish(asked, event))
        self._working.add(task)
        task.add_done_callback(self._working.discard)

    async def _finish(self, asked: _Asked, event: Ended) -> None:
        order = asked.order
        try:
            if event.problem:
                self._tell(order, problem=event.problem)
            elif event.frames == 0:
                self._tell(order, problem="it was stopped before anything was heard: nothing was measured")
            elif order.kind == "computer":
                await self._keep_playback(order)
            else:
                await self._measure(asked)
        except (FatSignalError, OSError) as trouble:
            self._tell(order, problem=str(trouble))
        except (PoolTimeout, DatabaseError):
            self._tell(
                order, problem="the database is not reached: what was measured is not kept; check again when it is back"
            )
        except Exception:
            log.exception("a check failed")
            self._tell(order, problem="the check failed, which should not happen: see the application's log")
        finally:
            if order.kind != "computer":
                await asyncio.to_thread(shutil.rmtree, order.folder, ignore_errors=True)

    async def _measure(self, asked: _Asked) -> None:
        from fatsignal.acts.run_check import run_check

        order = asked.order
        found = await asyncio.to_thread(
            run_check, order, playing_dbfs=asked.playing_dbfs, first_pass_frames=asked.first_pass_frames
        )
        if order.kind == "latency":
            if asked.first_pass_frames is None:
                await self._prove(order, found.result["round_trip_frames"])
                return
            if found.verdict == "good":
                await self._keep_offset(order, found)
        assert order.part_id is not None, "a check belongs to a part"
        async with self._pool.connection() as conn:
            await rig_checks.add_check(
                conn, part_id=order.part_id, kind=found.kind, verdict=found.verdict, says=found.says,
                result=found.result,
            )  # fmt: skip
        self._tell(order)

    async def _prove(self, order: ListenOrder, first_pass_frames: float) -> None:
        """Ping once more with the offset applied: what is left must be within one sample."""
        again = order.model_copy(
            update={
                "roll_id": uuid4(),
                "folder": order.folder.with_name(f"{order.folder.name}-proof"),
                "record_offset_frames": max(0, round(first_pass_frames)),
            }
        )
        self._asked[again.roll_id] = _Asked(again, {}, first_pass_frames)
        await self._start(again)

    async def _keep_offset(self, order: ListenOrder, found: "CheckFound") -> None:
        async with self._pool.connection() as conn:
            await interfaces.keep_settings(conn, NAME, order.interface.model_dump(mode="json"))
            await interfaces.keep_offset(
                conn, NAME, rate_hz=order.rate_hz, buffer_frames=order.interface.buffer_frames,
                offset_frames=found.result["round_trip_frames"], spread_frames=found.result["spread_frames"],
            )  # fmt: skip

    async def _keep_playback(self, order: ListenOrder) -> None:
        from fatsignal.acts.import_backing import join_playback

        async with self._pool.connection() as conn:
            session = await sessions.get_session(conn, order.session_id)
        left, right = (order.folder / f"{order.stem} - {side}.wav" for side in ("left", "right"))
        kept = await asyncio.to_thread(
            lambda: join_playback(
                left, right, name=order.stem, from_frame=order.from_frame, session=session,
                sessions_folder=self._place.sessions_folder, waves_folder=self._place.pyramids_folder,
            )
        )  # fmt: skip
        async with self._pool.connection() as conn:
            await backings.add_backing(
                conn, session_id=session.id, name=kept.name, file=kept.file, origin="computer", frames=kept.frames,
                channels=kept.channels, placed_frame=order.from_frame, loudness_lufs=kept.loudness_lufs,
                pulse=kept.pulse, backing_id=kept.id,
            )  # fmt: skip
        # Only now: what was recorded lies there until it is entered.
        await asyncio.to_thread(shutil.rmtree, order.folder, ignore_errors=True)
        self._hub.tell({"event": "backing", "session_id": str(session.id), "backing_id": str(kept.id)})

    def _tell(self, order: ListenOrder, *, problem: str = "") -> None:
        self._hub.tell(
            {
                "event": "check",
                "session_id": str(order.session_id),
                "part_id": str(order.part_id) if order.part_id else None,
                "kind": order.kind,
                "problem": problem,
            }
        )
