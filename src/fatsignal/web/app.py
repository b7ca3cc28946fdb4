"""The application: pages and API in one process, the engine and the renders beside it."""

import asyncio
import contextlib
import json
import logging
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Response
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from psycopg import AsyncConnection, OperationalError
from starlette.middleware.gzip import GZipMiddleware

import fatsignal
from fatsignal.config import Settings, settings
from fatsignal.errors import NotFound
from fatsignal.jobs.queue import make_queue, told_to_end, work
from fatsignal.store.database import open_pool
from fatsignal.store.prints import CHANNEL
from fatsignal.web.changes import TellOthers
from fatsignal.web.desk import Desk
from fatsignal.web.early import import_what_computes
from fatsignal.web.ears import router as ears_router
from fatsignal.web.limits import NotTooLarge
from fatsignal.web.live import Hub
from fatsignal.web.live import router as live_router
from fatsignal.web.problems import answer_problems
from fatsignal.web.routes import (
    backings,
    checks,
    compared,
    cues,
    hand_over,
    interface,
    judged,
    kits,
    opening,
    parts,
    reamp,
    rig_sheets,
    rolls,
    sessions,
    song,
    take_acts,
    takes,
    waves,
)
from fatsignal.web.security import OnlyOurselves

PAGES = Path(__file__).resolve().parents[3] / "frontend" / "dist"
_RECONNECT_S = 1.0
_FAREWELL_S = 6.0

log = logging.getLogger(__name__)


def create_app(place: Settings | None = None) -> FastAPI:
    """The application for `place`; without it, for the settings of this process."""
    place = place or settings()
    app = FastAPI(title="Fat Signal", version=fatsignal.__version__, lifespan=_lifespan, docs_url=None, redoc_url=None)
    app.state.place = place
    answer_problems(app)
    stations = (
        opening,
        sessions,
        song,
        backings,
        parts,
        kits,
        interface,
        checks,
        rig_sheets,
        compared,
        takes,
        take_acts,
        judged,
        rolls,
        cues,
        reamp,
    )
    for routes in (*stations, hand_over, waves):
        app.include_router(routes.router)
    app.include_router(live_router)
    app.include_router(ears_router)
    _serve_pages(app)
    app.add_middleware(TellOthers)
    app.add_middleware(GZipMiddleware, minimum_size=2048, compresslevel=3)
    app.add_middleware(NotTooLarge, largest_bytes=place.largest_upload_bytes)
    app.add_middleware(OnlyOurselves, allowed_hosts=place.allowed_hosts)
    return app


@asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    place: Settings = app.state.place
    pool = open_pool(place.database_url)
    await pool.open()
    app.state.pool = pool
    app.state.judged = {}
    app.state.hub = hub = Hub()
    app.state.desk = desk = Desk(place, pool, hub)
    app.state.queue = queue = make_queue(place.database_url)
    tasks = []
    async with queue.open_async():
        tasks.append(asyncio.create_task(asyncio.to_thread(import_what_computes)))
        tasks.append(asyncio.create_task(desk.run()))
        tasks.append(asyncio.create_task(_hear_prints(place.database_url, hub)))
        if place.workers:
            tasks.append(asyncio.create_task(_keep_working(queue, place)))
        try:
            yield
        finally:
            for task in tasks:
                task.cancel()
            # A worker tells the database that it goes; one that is away is not waited for.
            await asyncio.wait(tasks, timeout=_FAREWELL_S)
    await pool.close()


async def _keep_working(queue: "object", place: Settings) -> None:
    """The worker inside the application; it comes back when the database does."""
    while True:
        try:
            await work(queue, place.database_url, concurrency=place.workers, name="application")  # type: ignore[arg-type]
        except Exception as trouble:
            if told_to_end():
                raise asyncio.CancelledError from trouble
            log.warning("the render worker starts again: %s", trouble)
        await asyncio.sleep(_RECONNECT_S)


async def _hear_prints(database_url: str, hub: Hub) -> None:
    """Pass on what any worker, here or elsewhere, tells about prints."""
    while not told_to_end():
        with contextlib.suppress(OperationalError):
            async with await AsyncConnection.connect(database_url, autocommit=True) as conn:
                await conn.execute(f"LISTEN {CHANNEL}")
                async for note in conn.notifies():
                    hub.tell({"event": "print", **json.loads(note.payload)})
        await asyncio.sleep(_RECONNECT_S)


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
