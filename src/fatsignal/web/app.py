"""The application: pages and API in one process, the engine and the renders beside it."""

import asyncio
import contextlib
import gc
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Response
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from psycopg import Error as DatabaseError
from psycopg_pool import PoolTimeout
from starlette.middleware.gzip import GZipMiddleware

import fatsignal
from fatsignal.acts.shipped_tones import keep_shipped_tones
from fatsignal.config import Settings, current_settings
from fatsignal.core.tone.response_shelf import look_on
from fatsignal.errors import NotFound
from fatsignal.files.responses import ResponseFolder
from fatsignal.jobs.worker import make_queue
from fatsignal.preload import OF_THE_SERVER, preload
from fatsignal.store.database import open_pool
from fatsignal.store.sessions import list_sessions
from fatsignal.web.changes import ChangeBroadcast
from fatsignal.web.ears import router as ears_router
from fatsignal.web.engine_controller import EngineController
from fatsignal.web.limits import MaxBodySize
from fatsignal.web.live import Hub
from fatsignal.web.live import router as live_router
from fatsignal.web.live_messages import describe_live_messages
from fatsignal.web.presenters.takes import TAKES
from fatsignal.web.problems import answer_problems
from fatsignal.web.routes import (
    backings,
    bench,
    blind,
    checks,
    comp,
    comp_files,
    comp_pieces,
    compared,
    cues,
    gathering,
    hand_over,
    history,
    interface,
    judged,
    kits,
    mic_plan,
    opening,
    parts,
    placement,
    playing,
    prints,
    reamp,
    responses,
    rig_sheets,
    rolls,
    sessions,
    song,
    take_edits,
    takes,
    tones,
    waves,
)
from fatsignal.web.security import SameOriginOnly
from fatsignal.web.sounds import PlayingMaterials
from fatsignal.web.take_lists import TakeLists
from fatsignal.web.work_queue import WorkQueue, keep_a_worker

PAGES = Path(__file__).resolve().parents[3] / "frontend" / "dist"
_FAREWELL_S = 8.0


def create_app(settings: Settings | None = None) -> FastAPI:
    """The application for `settings`; without it, for the settings of this process."""
    settings = settings or current_settings()
    # A rig is sent as it is got: what is sent and what is got have one name each in the front end's types.
    app = FastAPI(
        title="Fat Signal", version=fatsignal.__version__, lifespan=_lifespan, docs_url=None, redoc_url=None,
        separate_input_output_schemas=False,
    )  # fmt: skip
    app.state.settings = settings
    answer_problems(app)
    stations = (
        opening,
        sessions,
        song,
        backings,
        bench,
        parts,
        kits,
        interface,
        checks,
        rig_sheets,
        comp,
        comp_files,
        comp_pieces,
        compared,
        tones,
        takes,
        take_edits,
        gathering,
        judged,
        rolls,
        cues,
        reamp,
        responses,
        prints,
        history,
        playing,
        placement,
        mic_plan,
        blind,
    )
    for routes in (*stations, hand_over, waves):
        app.include_router(routes.router)
    app.include_router(live_router)
    app.include_router(ears_router)
    describe_live_messages(app)
    _serve_pages(app)
    app.add_middleware(ChangeBroadcast)
    app.add_middleware(GZipMiddleware, minimum_size=2048, compresslevel=3)
    app.add_middleware(MaxBodySize, largest_bytes=settings.largest_upload_bytes)
    app.add_middleware(SameOriginOnly, allowed_hosts=settings.allowed_hosts)
    return app


@asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    settings: Settings = app.state.settings
    app.state.responses = ResponseFolder(settings.responses_folder)
    look_on(app.state.responses)
    build_routes(app)
    pool = open_pool(settings.database_url)
    await pool.open()
    app.state.pool = pool
    app.state.hub = hub = Hub()
    queue = make_queue(settings.database_url)
    app.state.playing, app.state.take_lists = PlayingMaterials(), TakeLists()
    app.state.queue = works = WorkQueue(settings, pool, queue, hub)
    app.state.engine = engine = EngineController(settings, pool, hub, works)
    tasks = []
    async with queue.open_async():
        tasks.append(asyncio.create_task(_warm_up(app)))
        tasks.append(asyncio.create_task(engine.run()))
        tasks.append(asyncio.create_task(works.hear()))
        if settings.workers:
            tasks.append(asyncio.create_task(keep_a_worker(settings)))
        try:
            yield
        finally:
            for task in tasks:
                task.cancel()
            # A worker tells the database that it goes; one that does not is not waited for.
            await asyncio.wait(tasks, timeout=_FAREWELL_S)
    await pool.close()


def build_routes(app: FastAPI) -> None:
    """Have all routes built: left to itself, FastAPI does it when they are first asked for, 60 ms amid a roll."""
    nowhere = {"type": "http", "method": "GET", "path": "/api/", "root_path": "", "headers": [], "query_string": b""}
    for route in app.routes:
        route.matches({**nowhere, "app": app})


async def _warm_up(app: FastAPI) -> None:
    """What computes takes seconds to import, and a long list a second to make: before somebody waits for it.

    What is loaded by then stays: the garbage collector, which would walk through all of it again and again and hold
    up the sound for up to 60 ms each time, leaves it alone.
    """
    await asyncio.to_thread(preload, OF_THE_SERVER)
    with contextlib.suppress(PoolTimeout, DatabaseError):  # a page that asks is told
        async with app.state.pool.connection() as conn:
            await keep_shipped_tones(conn)
            if found := await list_sessions(conn):
                make = await app.state.take_lists.read(conn, found[-1].id, TAKES)
                await asyncio.to_thread(make)
    gc.freeze()


class _Assets(StaticFiles):
    """Files whose names change with their content: a browser need not ask for one twice."""

    def file_response(self, *args: Any, **more: Any) -> Response:
        response = super().file_response(*args, **more)
        response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
        return response


def _serve_pages(app: FastAPI) -> None:
    """The built front end: its files, and its one page for every address that is not the API's."""
    if (PAGES / "assets").is_dir():
        app.mount("/assets", _Assets(directory=PAGES / "assets"), name="assets")

    @app.get("/{address:path}", include_in_schema=False)
    async def page(address: str) -> FileResponse:
        if address.startswith("api/"):
            raise NotFound("address", f"/{address}")
        file = PAGES / "icon.svg" if address == "icon.svg" else PAGES / "index.html"
        if not file.exists():
            raise NotFound("built front end", "here: run ./fatsignal start, which builds it")
        return FileResponse(file, headers={"Cache-Control": "no-cache"})
