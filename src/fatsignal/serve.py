"""Running the server and the worker: migrations, the demonstration on first start, then uvicorn."""

import asyncio
import contextlib
import os
import signal
from collections.abc import Iterator
from pathlib import Path

from psycopg import AsyncConnection, OperationalError

from fatsignal.config import Settings, current_settings
from fatsignal.errors import SetUpFailed
from fatsignal.log import write_log
from fatsignal.store.database import migrate


def serve() -> None:
    """Bring the database up to date, make the demonstration when there is no session, and serve."""
    import uvicorn

    from fatsignal.web.app import create_app

    settings = current_settings()
    settings.sessions_folder.mkdir(parents=True, exist_ok=True)
    settings.run_folder.mkdir(parents=True, exist_ok=True)
    write_log(settings.logs_folder, "server")
    asyncio.run(_prepare(settings))
    config = uvicorn.Config(
        create_app(settings), host=settings.host, port=settings.port, log_level="warning", ws_ping_interval=20,
        timeout_graceful_shutdown=2,
    )  # fmt: skip
    try:
        asyncio.run(_serve_and_tell(_server_class()(config), settings))
    finally:
        _end_engine(settings.run_folder)


def _server_class() -> type:
    import uvicorn

    class Server(uvicorn.Server):
        """Leaves signals to us: uvicorn would raise them again at its end, before the engine is told to finish."""

        @contextlib.contextmanager
        def capture_signals(self) -> Iterator[None]:
            loop = asyncio.get_running_loop()
            for number in (signal.SIGTERM, signal.SIGINT):
                loop.add_signal_handler(number, self.handle_exit, number, None)
            yield

    return Server


async def run_worker(name: str, *, beside: int | None = None) -> None:
    """Work until told to stop, or until the process it works beside is gone."""
    from fatsignal.jobs.worker import make_queue, work
    from fatsignal.preload import OF_A_WORKER, preload

    settings = current_settings()
    write_log(settings.logs_folder, "worker")
    queue = make_queue(settings.database_url)
    try:
        async with queue.open_async():
            working = asyncio.create_task(
                work(queue, settings.database_url, concurrency=max(1, settings.workers), name=name)
            )
            for number in (signal.SIGTERM, signal.SIGINT):
                asyncio.get_running_loop().add_signal_handler(number, working.cancel)
            print(f"{name} renders; stop it with Ctrl-C", flush=True)
            watching = asyncio.create_task(_end_with(beside, working)) if beside else None
            if os.environ.get("FATSIGNAL_PRELOAD", "1") != "0":
                # What computes takes seconds to import: before somebody waits for it.
                await asyncio.to_thread(preload, OF_A_WORKER)
            with contextlib.suppress(asyncio.CancelledError):
                await working
            if watching is not None:
                watching.cancel()
    except OperationalError:
        raise SetUpFailed(
            "the database is not reached: start the application first, or set FATSIGNAL_DATABASE_URL"
        ) from None


async def _end_with(process: int, working: "asyncio.Task[None]") -> None:
    """End the work when a process is gone that was to end it."""
    while os.getppid() == process:
        await asyncio.sleep(1.0)
    working.cancel()


async def _prepare(settings: Settings) -> None:
    try:
        await migrate(settings.database_url)
    except OperationalError as trouble:
        raise SetUpFailed(f"the database is not reached: {str(trouble).splitlines()[0]}") from None
    if os.environ.get("FATSIGNAL_DEMO", "1") == "0":
        return
    async with await AsyncConnection.connect(settings.database_url, autocommit=True) as conn:
        found = await (await conn.execute("SELECT 1 FROM session LIMIT 1")).fetchone()
        if found is None:
            from fatsignal.demo.build import build_demo
            from fatsignal.jobs.worker import make_queue

            queue = make_queue(settings.database_url)
            async with queue.open_async():
                await build_demo(
                    conn, queue, sessions_folder=settings.sessions_folder, waves_folder=settings.waves_folder,
                    say=lambda line: print(f"  {line}", flush=True),
                    first_passes_only=os.environ.get("FATSIGNAL_DEMO") == "short",
                )  # fmt: skip


async def _serve_and_tell(server: "object", settings: Settings) -> None:
    serving = asyncio.create_task(server.serve())  # type: ignore[attr-defined]
    while not server.started and not serving.done():  # type: ignore[attr-defined]
        await asyncio.sleep(0.01)
    if not serving.done():
        print(f"Fat Signal is ready: http://{settings.host}:{settings.port}", flush=True)
    await serving


def _end_engine(run_folder: Path) -> None:
    """End the engine when the application is stopped by a person; it finishes its files first."""
    from fatsignal.engine.client import running_engine

    address = running_engine(run_folder)
    if address is not None:
        with contextlib.suppress(ProcessLookupError):
            os.kill(address.pid, signal.SIGTERM)
