"""A session with a part in a database of its own, and the queue that enters what an engine left in their folders."""

import asyncio
from contextlib import asynccontextmanager, suppress

from fatsignal.config import Settings
from fatsignal.engine.recorder import Recorder
from fatsignal.jobs.worker import make_queue
from fatsignal.store import takes
from fatsignal.web.entering import Entering
from fatsignal.web.live import Hub
from tests.engine.sources import Tones, order, part, plan, take_folder
from tests.signals import FS
from tests.web.in_process import WorksHere

ROOM = 10**12


class Studio:
    """A session with a part in a database of its own, and the queue that enters its takes."""

    def __init__(self, tmp_path, database_url, pool, session, of_part):
        self.settings = Settings(data=tmp_path, database_url=database_url)
        self.pool, self.session, self.part = pool, session, of_part
        self.hub, self.told = Hub(), []
        self.hub.tell = self.told.append
        self.busy = False
        works = WorksHere(self.settings, pool, make_queue(database_url), self.hub)
        self.entering = Entering(self.settings, pool, self.hub, works, only_ended=lambda: self.busy)

    def rolled(self, number, **changes):
        """A take that an engine left in its folder."""
        folder = self.settings.sessions_folder / self.session.folder
        asked = order(
            folder, session_id=self.session.id, plan=plan(play_bar=1, to_bar=2),
            parts=[part(folder, **{"part_id": self.part.id, "first_number": number, **changes})],
        )  # fmt: skip
        Recorder(asked, Tones(FS), lambda _: None, free=lambda _: ROOM).run()
        return take_folder(asked)

    async def numbers(self):
        async with self.pool.connection() as conn:
            return sorted(take.number for take in await takes.list_takes(conn, self.session.id))

    async def entered(self, *numbers):
        """Wait until these takes are there and told of: a row is seen before entering it is over."""

        async def told():
            entered = [each for each in self.told if each.event == "take"]
            return len(entered) == len(numbers) and await self.numbers() == [*numbers]

        await self.until(told)

    async def until(self, condition, seconds=20):
        for _ in range(seconds * 50):
            if await condition():
                return
            await asyncio.sleep(0.02)
        raise AssertionError(f"not in {seconds} s; waiting: {self.entering.waiting}")


@asynccontextmanager
async def at_work(studio):
    running = asyncio.create_task(studio.entering.run())
    studio.entering.wake()
    try:
        yield
    finally:
        running.cancel()
        with suppress(asyncio.CancelledError):
            await running
