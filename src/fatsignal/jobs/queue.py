"""Background work on procrastinate, in the same PostgreSQL: here or on other machines."""

import asyncio
import logging
import threading
from uuid import UUID

from procrastinate import App, JobContext, PsycopgConnector
from procrastinate.exceptions import JobAborted
from psycopg import AsyncConnection

from fatsignal.config import settings
from fatsignal.errors import FatSignalError
from fatsignal.store import parts, prints, sessions, takes, tones
from fatsignal.store.database import RECONNECT_S, WAIT_S, Connection

RENDERS = "renders"
_PROGRESS_S = 0.1
# A worker that died is noticed after this long; its jobs go back to the queue.
HEARTBEAT_S = 1.0
STALLED_S = 4.0

log = logging.getLogger(__name__)


def make_queue(database_url: str) -> App:
    """The queue's application; open it before use."""
    connector = PsycopgConnector(
        conninfo=database_url, min_size=1, max_size=4, timeout=WAIT_S, reconnect_timeout=RECONNECT_S
    )
    app = App(connector=connector)
    app.task(name="render_print", queue=RENDERS, pass_context=True)(_render_print)
    return app


async def ask_to_render(app: App, conn: Connection, print_: prints.Print) -> None:
    """Queue the rendering of a print for its newest asking."""
    task = app.configure_task("render_print", queue=RENDERS)
    job_id = await task.defer_async(print_id=str(print_.id), asking=print_.asking)
    await prints.set_job(conn, print_.id, job_id)


async def stop_rendering(app: App, conn: Connection, print_id: UUID) -> None:
    """Take a waiting print out of the queue, or end its rendering; nothing of it is left."""
    print_ = await prints.get_print(conn, print_id)
    if print_.job_id is not None:
        await app.job_manager.cancel_job_by_id_async(print_.job_id, abort=True)
    await prints.set_ended(conn, print_id, asking=print_.asking, state="stopped")


async def work(app: App, database_url: str, *, concurrency: int, name: str) -> None:
    """Render what is asked for until cancelled, and take over from workers that died."""
    rescue = asyncio.create_task(_rescue(app, database_url))
    try:
        await app.run_worker_async(
            queues=[RENDERS],
            concurrency=concurrency,
            name=name,
            install_signal_handlers=False,
            update_heartbeat_interval=HEARTBEAT_S,
            stalled_worker_timeout=STALLED_S,
            abort_job_polling_interval=0.3,
            shutdown_graceful_timeout=1.0,
            additional_context={"database_url": database_url},
        )
    finally:
        rescue.cancel()


def told_to_end() -> bool:
    """Whether this task was cancelled; a database that is away may put its own trouble in the place of that."""
    task = asyncio.current_task()
    return task is not None and task.cancelling() > 0


async def _rescue(app: App, database_url: str) -> None:
    """Every second: jobs of workers that died, and prints that a stopped worker left, are rendered again."""
    while not told_to_end():
        try:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_S):
                await app.job_manager.retry_job(job)
            async with await AsyncConnection.connect(database_url, autocommit=True) as conn:
                for lost in await prints.list_lost(conn, older_s=STALLED_S):
                    await ask_to_render(app, conn, lost)
        except Exception as trouble:  # the database may be away for a while; the next round tries again
            log.warning("looking for lost renders failed: %s", trouble)
        await asyncio.sleep(HEARTBEAT_S)


async def _render_print(context: JobContext, print_id: str, asking: int) -> None:
    """The task: everything it needs is read from the store, and all it learns is written there.

    A print that was stopped and asked for again may have two of these for a moment. The older one ends without a
    word: what it says of its own asking does not count any more, and its half-written file has another name.
    """
    # Imported here: the web process that only queues work does not pay for scipy and numba.
    from fatsignal.acts.render_print import render_print

    place = settings()
    key = UUID(print_id)
    async with await AsyncConnection.connect(context.additional_context["database_url"], autocommit=True) as conn:
        print_ = await prints.get_print(conn, key)
        if print_.asking != asking or print_.state in ("ready", "stopped"):
            return
        take = await takes.get_take(conn, print_.take_id)
        channels = (await takes.channels_of(conn, [take.id]))[take.id]
        part = await parts.get_part(conn, take.part_id)
        session = await sessions.get_session(conn, part.session_id)
        revision = await tones.get_revision(conn, print_.tone_revision_id)
        loop = asyncio.get_running_loop()
        progress = {"share": 0.0, "speed": 0.0}
        leaving = threading.Event()

        def on_progress(share: float, times_real_time: float) -> None:
            progress.update(share=share, speed=times_real_time)
            if leaving.is_set() or context.should_abort():
                raise JobAborted

        rendering = loop.run_in_executor(
            None,
            lambda: render_print(
                print_id=print_id, asking=asking, session=session, take=take, channels=channels, revision=revision,
                sessions_folder=place.sessions_folder, waves_folder=place.pyramids_folder, on_progress=on_progress,
            ),
        )  # fmt: skip
        try:
            told = -1.0
            while not (await asyncio.wait({asyncio.ensure_future(rendering)}, timeout=_PROGRESS_S))[0]:
                if progress["share"] != told:
                    told = progress["share"]
                    await prints.set_progress(
                        conn, key, asking=asking, progress=told, times_real_time=progress["speed"] or None
                    )
            done = await rendering
        except asyncio.CancelledError:
            # The worker is being stopped: the thread gives up, and the print is rendered again by whoever comes.
            leaving.set()
            rendering.add_done_callback(lambda given_up: given_up.cancelled() or given_up.exception())
            raise
        except JobAborted:
            await prints.set_ended(conn, key, asking=asking, state="stopped")
            raise
        except FatSignalError as refusal:
            await prints.set_ended(conn, key, asking=asking, state="failed", problem=str(refusal))
            return
        except OSError as trouble:
            sentence = f"the print could not be written: {trouble.strerror or trouble}; make room and print again"
            await prints.set_ended(conn, key, asking=asking, state="failed", problem=sentence)
            return
        await prints.set_ready(
            conn, key, file=done.file, sha256=done.sha256, frames=done.frames, origin=done.origin,
            checks=done.checks, times_real_time=done.times_real_time,
        )  # fmt: skip
