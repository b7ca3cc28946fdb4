"""What follows when the engine has listened: a check is measured, the computer's playback becomes a backing track."""

import asyncio
import logging
import shutil
from collections.abc import Awaitable, Callable
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING
from uuid import UUID, uuid4

from psycopg import Error as DatabaseError
from psycopg_pool import AsyncConnectionPool, PoolTimeout

from fatsignal.engine.events import Ended
from fatsignal.engine.orders import ListenOrder
from fatsignal.engine.protocol import COMPUTER
from fatsignal.errors import FatSignalError
from fatsignal.jobs.kinds.backings import PLAYBACK_KIND
from fatsignal.jobs.kinds.checking import CHECK_KIND
from fatsignal.store.database import Connection
from fatsignal.web.live import Hub
from fatsignal.web.live_messages import BackingMade, CheckEnded
from fatsignal.web.work_queue import WorkQueue

if TYPE_CHECKING:
    from fatsignal.acts.checks.kind import CheckFound

# Where what is listened to for checks lies meanwhile, below the run folder.
LISTENED = "checks"
# Gives the engine an order and returns when it listens.
Start = Callable[[ListenOrder], Awaitable[None]]

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class _Asked:
    """An order and what its measurement needs besides; a further pass of a check knows what the one before found."""

    order: ListenOrder
    playing_dbfs: dict[str, float]
    before: "CheckFound | None" = None


class CaptureFollowUp:
    """Orders to listen, and what becomes of them."""

    def __init__(self, pool: AsyncConnectionPool[Connection], hub: Hub, works: WorkQueue, start: Start) -> None:
        self._pool = pool
        self._works = works
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
            if event.folder is not None:
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
            elif order.kind == COMPUTER:
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
            if order.kind != COMPUTER:
                await asyncio.to_thread(shutil.rmtree, order.folder, ignore_errors=True)

    async def _measure(self, asked: _Asked) -> None:
        from fatsignal.acts.checks.kind import CheckFound
        from fatsignal.acts.checks.run import next_pass, store_check

        order = asked.order
        measured = await self._works.computed(
            CHECK_KIND,
            {
                "order": order.model_dump(mode="json"), "playing_dbfs": asked.playing_dbfs,
                "before": None if asked.before is None else asdict(asked.before),
            },
        )  # fmt: skip
        found = CheckFound(**measured)
        again = next_pass(order, found, asked.before, listen_id=uuid4())
        if again is not None:
            self._asked[again.roll_id] = _Asked(again, asked.playing_dbfs, found)
            await self._start(again)
            return
        assert order.part_id is not None, "a check belongs to a part"
        async with self._pool.connection() as conn:
            await store_check(conn, order, order.part_id, found)
        self._tell(order)

    async def _keep_playback(self, order: ListenOrder) -> None:
        work = await self._works.ask(
            kind=PLAYBACK_KIND, fingerprint=str(order.roll_id), session_id=order.session_id,
            work_input=order.model_dump(mode="json"),
        )  # fmt: skip
        kept = await self._works.result(work)
        # Only now: what was recorded lies there until it is entered.
        await asyncio.to_thread(shutil.rmtree, order.folder, ignore_errors=True)
        self._hub.tell(BackingMade(session_id=order.session_id, backing_id=UUID(kept["backing_id"])))

    def _tell(self, order: ListenOrder, *, problem: str = "") -> None:
        self._hub.tell(CheckEnded(session_id=order.session_id, part_id=order.part_id, kind=order.kind, problem=problem))
