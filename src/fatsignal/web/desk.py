"""The web process's side of rolling: keeps the link to the engine, and enters what was rolled."""

import asyncio
import contextlib
import logging
from pathlib import Path
from typing import Any
from uuid import UUID

from psycopg import Error as DatabaseError
from psycopg_pool import AsyncConnectionPool, PoolTimeout

from fatsignal.config import Settings
from fatsignal.engine.link import EngineLink
from fatsignal.engine.protocol import (
    Ended,
    Hello,
    Listening,
    ListenOrder,
    Meters,
    Order,
    Pitch,
    Ready,
    Refused,
    Rolling,
    RollOrder,
    StopOrder,
)
from fatsignal.errors import FatSignalError, RollRefused
from fatsignal.store.database import Connection
from fatsignal.web.listening import ListeningDesk
from fatsignal.web.live import Hub

_RETRY_S = 1.0

log = logging.getLogger(__name__)


class Desk:
    """Gives orders to the engine, passes on what it tells, and enters rolls when the database takes them."""

    def __init__(self, place: Settings, pool: AsyncConnectionPool[Connection], hub: Hub) -> None:
        self._place = place
        self._pool = pool
        self._hub = hub
        self._link: EngineLink | None = None
        self._rolling: UUID | None = None
        self._answer: asyncio.Future[None] | None = None
        self._to_enter = asyncio.Event()
        self._database_away = False
        self.listening = ListeningDesk(place, pool, hub, self.start)

    @property
    def rolling(self) -> UUID | None:
        return self._rolling

    async def run(self) -> None:
        """Stay linked to the engine until cancelled; a lost engine is started again."""
        entering = asyncio.create_task(self._enter_rolls())
        try:
            while True:
                link = EngineLink(self._place.run_folder)
                try:
                    await link.connect()
                    self._link = link
                    await self._hear(link)
                except (OSError, RollRefused) as trouble:
                    log.warning("no engine: %s", trouble)
                finally:
                    self._link = None
                    self._rolling = None
                    await link.close()
                self._hub.set_state(engine="starting", rolling=None, listening=None)
                self._to_enter.set()
                await asyncio.sleep(_RETRY_S)
        finally:
            entering.cancel()

    async def start(self, order: RollOrder | ListenOrder) -> None:
        """Start to roll or to listen; returns when the engine has it on disk.

        Raises
        ------
        RollRefused
            If it is rolling already, the engine is away, or it could not open its files.
        """
        if self._rolling is not None or self._answer is not None:
            raise RollRefused("it is rolling already: press roll once more to stop")
        self._answer = asyncio.get_running_loop().create_future()
        try:
            await self._send(order)
            await asyncio.wait_for(self._answer, timeout=20)
        except TimeoutError:
            raise RollRefused("the recording engine does not answer; see run/engine.log in the data folder") from None
        finally:
            self._answer = None

    async def stop(self) -> None:
        """Stop the roll; nothing happens when none is on."""
        await self._send(StopOrder())

    async def _send(self, order: Order) -> None:
        if self._link is None:
            raise RollRefused("the recording engine is starting: try again in a moment")
        await self._link.order(order)

    async def _hear(self, link: EngineLink) -> None:
        async for event in link.events():
            match event:
                case Hello():
                    self._rolling = event.rolling
                    self._hub.set_state(engine="ready" if event.ready else "warming")
                    if event.rolling is None:
                        self._to_enter.set()
                case Ready():
                    self._hub.set_state(engine="ready")
                case Rolling():
                    self._rolling = event.roll_id
                    self._hub.set_state(rolling=event.model_dump(mode="json"))
                    self._settle(None)
                case Listening():
                    self._rolling = event.roll_id
                    self._hub.set_state(listening=event.model_dump(mode="json"))
                    self._settle(None)
                case Meters() | Pitch():
                    self._hub.tell(event.model_dump(mode="json"))
                case Ended():
                    self._rolling = None
                    self._hub.set_state(rolling=None, listening=None)
                    self._hub.tell(_ended_message(event))
                    self._settle(event.problem or None)
                    if event.listened:
                        self.listening.ended(event)
                    else:
                        self._to_enter.set()
                case Refused():
                    self._settle(event.problem)
                    self._hub.tell({"event": "notice", "problem": event.problem})

    def _settle(self, problem: str | None) -> None:
        if self._answer is not None and not self._answer.done():
            if problem:
                self._answer.set_exception(RollRefused(problem))
            else:
                self._answer.set_result(None)

    async def _enter_rolls(self) -> None:
        """Enter finished rolls as soon as the database takes them: while it is away they wait in their folders."""
        # Imported here, after the page is served: measuring needs scipy, which takes seconds to load.
        await asyncio.sleep(0.2)
        enter = await asyncio.to_thread(_load_enter)
        while True:
            await self._to_enter.wait()
            self._to_enter.clear()
            if self._rolling is not None:
                continue
            for folder in await asyncio.to_thread(enter.waiting_rolls, self._place.sessions_folder):
                if not await self._enter_one(enter, folder):
                    await asyncio.sleep(_RETRY_S)
                    self._to_enter.set()
                    break

    async def _enter_one(self, enter: Any, folder: Path) -> bool:
        try:
            async with self._pool.connection() as conn:
                take = await enter.enter_roll(
                    conn, folder,
                    sessions_folder=self._place.sessions_folder, waves_folder=self._place.pyramids_folder,
                )  # fmt: skip
        except (PoolTimeout, DatabaseError) as trouble:
            log.warning("the take waits in %s: %s", folder, trouble)
            if not self._database_away:
                self._database_away = True
                self._hub.tell({"event": "notice", "problem": _AWAY})
            return False
        except (FatSignalError, OSError) as trouble:
            log.warning("%s cannot be entered: %s", folder, trouble)
            self._hub.tell({"event": "notice", "problem": f"{folder.name} cannot be entered as a take: {trouble}"})
            with contextlib.suppress(OSError):
                # It stays in its folder for a person to look at, and is not tried for ever.
                (folder / "roll.json").replace(folder / "roll.refused.json")
            return True
        self._database_away = False
        if take is None:
            self._hub.tell({"event": "notice", "problem": "nothing was rolled: the take was stopped at once"})
        else:
            self._hub.tell({"event": "take", "take_id": str(take.id), "part_id": str(take.part_id), "note": take.note})
        return True


_AWAY = "the database is not reached: the take is safe on disk and is entered when it is back"


def _load_enter() -> Any:
    from fatsignal.acts import enter_roll

    return enter_roll


def _ended_message(event: Ended) -> dict[str, Any]:
    return {
        "event": "ended",
        "roll_id": str(event.roll_id),
        "frames": event.frames,
        "reason": event.reason,
        "problem": event.problem,
    }
