"""Asking for work, and waiting for what comes of it, without a connection while it is done."""

import asyncio
import contextlib
import hashlib
import json
import logging
import os
import signal
import sys
from typing import Any
from uuid import UUID

from procrastinate import App
from psycopg import AsyncConnection, OperationalError
from psycopg_pool import AsyncConnectionPool

import fatsignal
from fatsignal.config import Settings
from fatsignal.errors import ChangedMeanwhile, WorkFailed
from fatsignal.jobs.worker import told_to_end, wake
from fatsignal.store import prints, works
from fatsignal.store.database import Connection
from fatsignal.store.works import Work
from fatsignal.web.live import Hub
from fatsignal.web.live_messages import PrintTold, WorkTold

_RECONNECT_S = 1.0
# What is told may be lost with a connection: whoever waits looks for himself so often.
_LOOK_S = 1.0
_FAREWELL_S = 6.0
# What waits for so long may wait for a worker that does not come.
_LONG_S = 10.0
_NOBODY = (
    "no worker runs: takes are safe on disk, and are entered, measured and printed when one is started "
    "(./fatsignal worker)"
)

log = logging.getLogger(__name__)


class WorkQueue:
    """Hands work to workers, and passes on what they tell."""

    def __init__(self, settings: Settings, pool: AsyncConnectionPool[Connection], queue: App, hub: Hub) -> None:
        self._settings, self._pool, self._queue, self._hub = settings, pool, queue, hub
        self._told: dict[UUID, set[asyncio.Event]] = {}
        self._nobody_works = False

    async def ask(
        self, *, kind: str, fingerprint: str, work_input: dict[str, Any], session_id: UUID | None = None,
        anew: bool = False,
    ) -> Work:  # fmt: skip
        """The work on an input: what was computed before is there at once, unless it is asked for `anew`."""
        async with self._pool.connection() as conn:
            work, asked = await works.ask(
                conn, kind=kind, fingerprint=fingerprint, work_input=work_input, session_id=session_id, anew=anew,
            )  # fmt: skip
        # The worker must see it when it is woken.
        if asked:
            await self.wake(work)
        return work

    async def computed(self, kind: str, work_input: dict[str, Any]) -> Any:
        """What a calculation gives for an input; a release computes it once for the same one.

        Raises
        ------
        WorkFailed
            If it cannot be computed; the sentence says why.
        """
        told = f"{fatsignal.__version__} {json.dumps(work_input, sort_keys=True)}"
        fingerprint = hashlib.sha256(told.encode()).hexdigest()
        return await self.result(await self.ask(kind=kind, fingerprint=fingerprint, work_input=work_input))

    async def wake(self, work: Work) -> None:
        """Let a worker know of a work that is stored; where that fails, workers find it by themselves."""
        try:
            await wake(self._queue, work)
        except Exception as trouble:
            log.warning("%s %s waits for a worker that looks: %s", work.kind, work.id, trouble)

    async def result(self, work: Work) -> Any:
        """What comes of it; returns when it is done.

        Raises
        ------
        WorkFailed
            If it failed or was stopped; the sentence says why.
        ChangedMeanwhile
            If what it was asked about is not so any more.
        """
        told = asyncio.Event()
        asked_at_s = asyncio.get_running_loop().time()
        waiting = self._told.setdefault(work.id, set())
        waiting.add(told)
        try:
            while not work.ended:
                # Looked at before it is waited for: it may have ended since it was asked for.
                async with self._pool.connection() as conn:
                    work = await works.get_work(conn, work.id)
                    if work.state == "waiting" and asyncio.get_running_loop().time() - asked_at_s > _LONG_S:
                        await self._say_whether_somebody_works(conn)
                if not work.ended:
                    with contextlib.suppress(TimeoutError):
                        await asyncio.wait_for(told.wait(), timeout=_LOOK_S)
                    told.clear()
        finally:
            waiting.discard(told)
            if not waiting:
                self._told.pop(work.id, None)
        if work.state == "done":
            return work.result
        if work.problem.startswith(ChangedMeanwhile.SAYS):
            raise ChangedMeanwhile(work.problem)
        raise WorkFailed(work.problem or "it was stopped before it was done: ask again")

    async def _say_whether_somebody_works(self, conn: Connection) -> None:
        if await works.somebody_works(conn):
            self._nobody_works = False
        elif not self._nobody_works:
            self._nobody_works = True
            self._hub.notice(_NOBODY)

    async def hear(self) -> None:
        """Pass on what any worker, here or elsewhere, tells; until cancelled."""
        while not told_to_end():
            with contextlib.suppress(OperationalError):
                async with await AsyncConnection.connect(self._settings.database_url, autocommit=True) as conn:
                    await conn.execute(f"LISTEN {works.CHANNEL}")
                    async for note in conn.notifies():
                        self._pass_on(json.loads(note.payload))
            await asyncio.sleep(_RECONNECT_S)

    def _pass_on(self, news: dict[str, Any]) -> None:
        if news["state"] in works.ENDS:
            for told in self._told.get(UUID(news["work_id"]), ()):
                told.set()
        self._hub.tell(WorkTold.model_validate(news))
        if news["kind"] == prints.KIND:
            detail = news["detail"]
            self._hub.tell(
                PrintTold(
                    print_id=detail["print_id"], material_id=detail["material_id"],
                    state=prints.STATES[news["state"]], progress=news["progress"],
                    times_real_time=detail.get("times_real_time"),
                )
            )  # fmt: skip


async def keep_a_worker(settings: Settings) -> None:
    """A worker beside this server, in a process of its own; one that ends is started again, until cancelled."""
    environment = {
        **os.environ,
        "FATSIGNAL_DATA": str(settings.data),
        "FATSIGNAL_DATABASE_URL": settings.database_url,
        "FATSIGNAL_WORKERS": str(settings.workers),
    }
    while True:
        process = await asyncio.create_subprocess_exec(
            sys.executable, "-m", "fatsignal.cli", "worker", "--name", "application", "--beside", str(os.getpid()),
            env=environment, stdin=asyncio.subprocess.DEVNULL, stdout=asyncio.subprocess.DEVNULL,
            start_new_session=True,
        )  # fmt: skip
        try:
            status = await process.wait()
            log.warning("the worker ended with %d and is started again", status)
        except asyncio.CancelledError:
            with contextlib.suppress(ProcessLookupError):
                process.send_signal(signal.SIGTERM)
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(process.wait(), timeout=_FAREWELL_S)
            if process.returncode is None:
                process.kill()
            raise
        await asyncio.sleep(_RECONNECT_S)
