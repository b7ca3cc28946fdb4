"""Working on what was asked for, on procrastinate in the same PostgreSQL: here or on other machines.

The queue only wakes a worker; who may work on what is settled by the rows of `store/works.py`. A worker claims a piece
of work under a name of its own, says every moment that it lives, and stops when it is not the holder any more. One
rescuer, wherever it runs, puts back what dead workers have left.
"""

import asyncio
import contextlib
import logging
import os
import threading
from typing import Any
from uuid import UUID, uuid4

from procrastinate import App, JobContext, PsycopgConnector
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import Status
from psycopg import AsyncConnection

from fatsignal.config import Settings, current_settings
from fatsignal.core.tone.response_shelf import look_on
from fatsignal.errors import FatSignalError
from fatsignal.files.responses import ResponseFolder
from fatsignal.jobs.kind import PROMPT, RENDERS, SHORT, AnyKind, Stopped
from fatsignal.store import works
from fatsignal.store.database import RECONNECT_S, WAIT_S, Connection
from fatsignal.store.works import Work

_SAY_S = 0.1
# A worker says at least so often that it lives, well before it would be taken for dead.
_ALIVE_S = 1.0
HEARTBEAT_S = 1.0
# Any number that no other program on the same server uses: one rescuer at a time.
_RESCUE_LOCK = 7_120_417
_SHORT_AT_ONCE = 2
_PROMPT_AT_ONCE = 2

log = logging.getLogger(__name__)


def make_queue(database_url: str) -> App:
    """The queue's application; open it before use."""
    connector = PsycopgConnector(
        conninfo=database_url, min_size=1, max_size=4, timeout=WAIT_S, reconnect_timeout=RECONNECT_S
    )
    app = App(connector=connector)
    app.task(name="work", pass_context=True)(_task)
    return app


async def wake(app: App, work: Work) -> None:
    """Let a worker know; one that is not reached finds the work by itself a little later."""
    from fatsignal.jobs.kinds import KINDS

    kind = KINDS.get(work.kind)
    task = app.configure_task("work", queue=kind.queue if kind else SHORT, queueing_lock=str(work.id))
    with contextlib.suppress(AlreadyEnqueued):
        await task.defer_async(work_id=str(work.id))


async def work(app: App, database_url: str, *, concurrency: int, name: str) -> None:
    """Work until cancelled, and put back what dead workers have left."""
    rescue = asyncio.create_task(_rescue(app, database_url))
    options: dict[str, Any] = {
        "install_signal_handlers": False,
        "update_heartbeat_interval": HEARTBEAT_S,
        "stalled_worker_timeout": works.STALLED_S,
        "shutdown_graceful_timeout": 1.0,
        "delete_jobs": "always",
        "additional_context": {"database_url": database_url},
    }

    async def line(queue: str, at_once: int) -> None:
        await app.run_worker_async(queues=[queue], concurrency=at_once, name=f"{name} {queue}", **options)

    queues = {RENDERS: concurrency, SHORT: _SHORT_AT_ONCE, PROMPT: _PROMPT_AT_ONCE}
    lines = [asyncio.create_task(line(queue, at_once)) for queue, at_once in queues.items()]
    try:
        await asyncio.gather(*lines)
    finally:
        for task in (*lines, rescue):
            task.cancel()
        await asyncio.gather(*lines, rescue, return_exceptions=True)


def told_to_end() -> bool:
    """Whether this task was cancelled; a database that is away may put its own trouble in the place of that."""
    task = asyncio.current_task()
    return task is not None and task.cancelling() > 0


async def _rescue(app: App, database_url: str) -> None:
    """Every second: what waits and no job works on, and what dead workers held, is put into the queue again."""
    while not told_to_end():
        try:
            async with await AsyncConnection.connect(database_url, autocommit=True) as conn:
                # Held for as long as this connection is: a rescuer that dies lets another in.
                row = await (await conn.execute("SELECT pg_try_advisory_lock(%s)", (_RESCUE_LOCK,))).fetchone()
                while row is not None and row[0] and not told_to_end():
                    await _rescue_once(app, conn)
                    await asyncio.sleep(HEARTBEAT_S)
        except Exception as trouble:  # the database may be away for a while; the next round tries again
            log.warning("looking for work that was left failed: %s", trouble)
        await asyncio.sleep(HEARTBEAT_S)


async def _rescue_once(app: App, conn: Connection) -> None:
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=works.STALLED_S):
        # What it worked on is told by its work, not by the job.
        await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=True)
    await works.take_from_the_dead(conn)
    for work_id in await works.left_alone(conn):
        left = await works.get_work(conn, work_id)
        log.info("%s %s was left alone in its attempt %d, and is taken up", left.kind, work_id, left.attempts)
        await wake(app, left)


async def _task(context: JobContext, work_id: str) -> None:
    async with await AsyncConnection.connect(context.additional_context["database_url"], autocommit=True) as conn:
        await carry_out(conn, UUID(work_id), current_settings())


async def carry_out(conn: Connection, work_id: UUID, settings: Settings) -> None:
    """Claim a piece of work and do it; whatever happens to it is told by its row, never by an exception.

    Where somebody else works on it, or it ended, nothing happens.
    """
    from fatsignal.jobs.kinds import KINDS

    look_on(ResponseFolder(settings.responses_folder))
    holder = uuid4()
    claimed = await works.claim(conn, work_id, holder=holder)
    if claimed is None:
        return
    kind = KINDS.get(claimed.kind)
    log.info("%s %s: attempt %d by %d", claimed.kind, work_id, claimed.attempts, os.getpid())
    if kind is None:
        problem = f"this release does not know {claimed.kind}: start the newest one"
        await works.end(conn, work_id, holder=holder, state="failed", problem=problem)
        return
    try:
        await _do(conn, kind, claimed, holder, settings)
    except Stopped:
        log.info("%s %s: stopped, or taken over", claimed.kind, work_id)
    except asyncio.CancelledError:
        await asyncio.shield(works.give_back(conn, work_id, holder=holder))
        raise
    except FatSignalError as refusal:
        log.info("%s %s: refused: %s", claimed.kind, work_id, refusal)
        await works.end(conn, work_id, holder=holder, state="failed", problem=str(refusal))
    except OSError as trouble:
        log.warning("%s %s: %s", claimed.kind, work_id, trouble)
        sentence = f"it could not be written: {trouble.strerror or trouble}; make room and try again"
        await works.end(conn, work_id, holder=holder, state="failed", problem=sentence)
    except Exception as trouble:
        if conn.closed or conn.broken:
            # The database went away: the work is taken up again when it is back.
            raise
        log.exception("%s %s met a fault", claimed.kind, work_id)
        sentence = f"a fault that should not happen ({trouble}); see the log of the workers"
        await works.end(conn, work_id, holder=holder, state="failed", problem=sentence)


async def _do(conn: Connection, kind: AnyKind, work: Work, holder: UUID, settings: Settings) -> None:
    prepared = await kind.prepare(conn, work, settings)
    if kind.tidy is not None:
        # Whoever was taken for dead meanwhile must not tidy away what the next one writes: at once, not in a thread,
        # which may have to wait for its turn.
        if not await works.say(conn, work.id, holder=holder, progress=0.0, detail={}):
            raise Stopped
        kind.tidy(prepared)
    told: dict[str, Any] = {"share": 0.0, "detail": {}}
    leaving = threading.Event()

    def tell(share: float, **detail: Any) -> None:
        told["share"], told["detail"] = share, detail
        if leaving.is_set():
            raise Stopped

    loop = asyncio.get_running_loop()
    computing = loop.run_in_executor(None, lambda: kind.compute(prepared, str(holder), tell))
    said: tuple[float, dict[str, Any]] = (0.0, {})
    said_at_s = loop.time()
    try:
        while not (await asyncio.wait({asyncio.ensure_future(computing)}, timeout=_SAY_S))[0]:
            now = (told["share"], told["detail"])
            if now == said and loop.time() - said_at_s < _ALIVE_S:
                continue
            said, said_at_s = now, loop.time()
            if not await works.say(conn, work.id, holder=holder, progress=now[0], detail=now[1]):
                raise Stopped
        result = await computing
    except BaseException:
        # The thread gives up at its next word; what it then says interests nobody.
        leaving.set()
        computing.add_done_callback(lambda given_up: given_up.cancelled() or given_up.exception())
        raise
    async with conn.transaction():
        remembered = await kind.keep(conn, prepared, result)
        if not await works.say(conn, work.id, holder=holder, progress=1.0, detail=told["detail"]):
            raise Stopped
        await works.end(conn, work.id, holder=holder, state="done", result=remembered)
        if kind.remembered is not None:
            await works.forget_old(conn, kind.name, kept=kind.remembered)
