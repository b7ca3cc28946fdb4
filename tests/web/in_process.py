"""The application in the test's own process: its routes over ASGI, a real database, and nobody who rolls."""

from contextlib import asynccontextmanager
from types import SimpleNamespace

from httpx import ASGITransport, AsyncClient
from psycopg import AsyncConnection

from fatsignal.config import Settings
from fatsignal.errors import RollRefused
from fatsignal.jobs.worker import carry_out, make_queue
from fatsignal.store import works
from fatsignal.store.database import open_pool
from fatsignal.web.app import build_routes, create_app
from fatsignal.web.live import Hub
from fatsignal.web.sounds import PlayingMaterials
from fatsignal.web.take_lists import TakeLists
from fatsignal.web.work_queue import WorkQueue


class ControllerWithoutEngine:
    """Takes orders and remembers them; nothing rolls."""

    def __init__(self):
        self.orders = []
        self.rolling = None
        self.rolling_takes = []
        self.standing_by = False
        self.entering = SimpleNamespace(waiting=[], try_again=lambda: None)

    async def start(self, order):
        self.orders.append(order)

    async def stop(self, *, into_bin=False):
        self.orders.append("stop")

    async def punch(self):
        raise RollRefused("nothing rolls")

    async def set_cues(self, session_id, cues):
        self.orders.append((session_id, cues))


class WorksHere(WorkQueue):
    """Work is done by this process, when it is asked for."""

    async def ask(self, **asked):
        work = await super().ask(**asked)
        async with self._pool.connection() as conn:
            return await works.get_work(conn, work.id)

    async def wake(self, work):
        async with await AsyncConnection.connect(self._settings.database_url, autocommit=True) as conn:
            await carry_out(conn, work.id, self._settings)


@asynccontextmanager
async def in_process(data, database_url):
    """A client of the application, with its parts as attributes: `app`, `pool`, `engine`."""
    settings = Settings(data=data, database_url=database_url, workers=0)
    app = create_app(settings)
    build_routes(app)
    hub, queue = Hub(), make_queue(database_url)
    async with open_pool(database_url) as pool, queue.open_async():
        engine = ControllerWithoutEngine()
        app.state.pool, app.state.hub, app.state.engine = pool, hub, engine
        app.state.queue, app.state.playing = WorksHere(settings, pool, queue, hub), PlayingMaterials()
        app.state.take_lists = TakeLists()
        async with AsyncClient(transport=ASGITransport(app), base_url="http://127.0.0.1:8417") as client:
            client.app, client.pool, client.engine = app, pool, engine
            yield client
