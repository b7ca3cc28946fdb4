"""The application in the test's own process: its routes over ASGI, a real database, and nobody who rolls."""

import io
from contextlib import asynccontextmanager
from types import SimpleNamespace
from uuid import UUID

import soundfile
from httpx import ASGITransport, AsyncClient
from psycopg import AsyncConnection

from fatsignal.acts.dry_sound import di_voltages
from fatsignal.config import Settings
from fatsignal.core.tone.response_shelf import look_on
from fatsignal.errors import RollRefused
from fatsignal.files.responses import ResponseFolder
from fatsignal.jobs.worker import carry_out, make_queue
from fatsignal.store import works
from fatsignal.store.database import open_pool
from fatsignal.web.app import build_routes, create_app
from fatsignal.web.live import Hub
from fatsignal.web.sounds import PlayingMaterials
from fatsignal.web.take_lists import TakeLists
from fatsignal.web.work_queue import WorkQueue
from tests.signals import FS, noise


class ControllerWithoutEngine:
    """Takes orders and remembers them; nothing rolls."""

    def __init__(self):
        self.orders = []
        self.rolling = None
        self.rolling_takes = []
        self.trial_of = None
        self.standing_by = False
        self.benching = self.bench_frame = None
        self.bench_gains = {}
        self.entering = SimpleNamespace(waiting=[], try_again=lambda: None)

    async def start(self, order):
        self.orders.append(order)

    async def stop(self, *, into_bin=False):
        self.orders.append("stop")

    async def punch(self):
        raise RollRefused("nothing rolls")

    async def bench(self, order):
        self.benching = order.bench_id
        self.orders.append(order)

    async def end_bench(self, bench_id):
        self.orders.append(("end of bench", bench_id))
        self.benching = None

    async def hear(self, bench_id, *, heard=None, gains_db):
        self.orders.append(("hear", bench_id, heard, dict(gains_db)))

    async def turn(self, bench_id, tone, *, live):
        self.orders.append(("turn", bench_id, tone, live))

    async def set_cues(self, session_id, cues):
        self.orders.append((session_id, cues))


async def session_with_takes(client, *, count=1):
    """A session whose part has so many takes of noise, brought in as files: its address, the part, the takes' ids."""
    made = (await client.post("/api/sessions", json={"name": "Lists", "tempo": "100", "rate_hz": FS})).json()
    session = f"/api/sessions/{made['id']}"
    part = (await client.post(f"{session}/parts", json={"name": "Lead", "instrument": "baritone guitar"})).json()
    ids = []
    for number in range(count):
        sound = io.BytesIO()
        soundfile.write(sound, 0.1 * noise(0.5, seed=number), FS, format="WAV", subtype="PCM_24")
        taken = await client.post(
            f"{session}/imports", files={"files": ("DI.wav", sound.getvalue())}, data={"part_id": part["id"]}
        )
        assert taken.status_code == 201, taken.text
        ids.append(taken.json()["id"])
    return session, part, ids


async def voltage_of(client, take_id):
    """What the DI of a take stands for, as tones are told."""
    async with client.pool.connection() as conn:
        return (await di_voltages(conn, [UUID(str(take_id))]))[UUID(str(take_id))].voltage


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
    """A client of the application, with its parts as attributes: `app`, `pool`, `engine`, `sessions_folder`."""
    settings = Settings(data=data, database_url=database_url, workers=0)
    app = create_app(settings)
    build_routes(app)
    hub, queue = Hub(), make_queue(database_url)
    async with open_pool(database_url) as pool, queue.open_async():
        engine = ControllerWithoutEngine()
        app.state.pool, app.state.hub, app.state.engine = pool, hub, engine
        app.state.queue, app.state.playing = WorksHere(settings, pool, queue, hub), PlayingMaterials()
        app.state.take_lists, app.state.responses = TakeLists(), ResponseFolder(settings.responses_folder)
        look_on(app.state.responses)
        async with AsyncClient(transport=ASGITransport(app), base_url="http://127.0.0.1:8417") as client:
            client.app, client.pool, client.engine = app, pool, engine
            client.sessions_folder = settings.sessions_folder
            yield client
