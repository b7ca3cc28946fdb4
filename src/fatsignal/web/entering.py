"""Entering what was rolled: takes wait in their folders until they are in the database, however long that takes.

A take on disk never leaves this queue because of an error: one that cannot be entered is tried again, each time a
little later, and holds up no other. What waits, and why, can be asked for.
"""

import asyncio
import contextlib
import logging
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from psycopg import Error as DatabaseError
from psycopg import InterfaceError, OperationalError
from psycopg.errors import ForeignKeyViolation
from psycopg_pool import AsyncConnectionPool, PoolTimeout

from fatsignal.config import Settings
from fatsignal.errors import FatSignalError
from fatsignal.jobs.kinds.surveying import SURVEY_KIND
from fatsignal.store.database import Connection
from fatsignal.web.live import Hub
from fatsignal.web.live_messages import TakeEntered
from fatsignal.web.work_queue import WorkQueue

_RETRY_S = 1.0
_LATEST_RETRY_S = 60.0
# Measuring needs scipy, which takes seconds to load: the page is served first.
_START_LATER_S = 0.2

_AWAY = "the database is not reached: the take is safe on disk and is entered when it is back"

log = logging.getLogger(__name__)


@dataclass(slots=True)
class Waiting:
    """A take on disk that could not be entered yet; `folder` is relative to the folder of all sessions."""

    folder: str
    problem: str
    tries: int
    next_try_s: float


class Entering:
    """Enters finished rolls. `only_ended` tells whether what has no end yet may still be rolling."""

    def __init__(
        self, settings: Settings, pool: AsyncConnectionPool[Connection], hub: Hub, works: WorkQueue, *,
        only_ended: Callable[[], bool],
    ) -> None:  # fmt: skip
        self._settings, self._pool, self._hub, self._works = settings, pool, hub, works
        self._only_ended = only_ended
        self._wake = asyncio.Event()
        self._put_off: dict[Path, Waiting] = {}
        self._database_away = False

    @property
    def waiting(self) -> list[Waiting]:
        """What could not be entered, and why."""
        return list(self._put_off.values())

    def wake(self) -> None:
        """Something ended, or may have: look."""
        self._wake.set()

    def try_again(self) -> None:
        """Try all that waits now."""
        for waiting in self._put_off.values():
            waiting.next_try_s = 0.0
        self.wake()

    async def run(self) -> None:
        """Enter rolls until cancelled, whatever happens."""
        await asyncio.sleep(_START_LATER_S)
        enter = await asyncio.to_thread(_load_enter)
        await asyncio.to_thread(enter.readmit_refused, self._settings.sessions_folder)
        while True:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._wake.wait(), timeout=self._sleep_s())
            self._wake.clear()
            try:
                await self._round(enter)
            except Exception:
                log.exception("entering takes met a fault; it goes on")
                self.wake()
                await asyncio.sleep(_RETRY_S)

    def _sleep_s(self) -> float | None:
        if not self._put_off:
            return None
        return max(0.01, min(waiting.next_try_s for waiting in self._put_off.values()) - time.monotonic())

    async def _round(self, enter: Any) -> None:
        found = await asyncio.to_thread(enter.waiting_rolls, self._settings.sessions_folder)
        for gone in set(self._put_off) - set(found):
            # A person has moved it away, or entered it elsewhere.
            del self._put_off[gone]
        for folder in found:
            put_off = self._put_off.get(folder)
            if put_off is not None and put_off.next_try_s > time.monotonic():
                continue
            # Of what has no end yet only that is over whose engine is dead, or rolls nothing.
            if self._only_ended() and not await asyncio.to_thread(enter.is_over, folder):
                continue
            if not await self._enter(enter, folder):
                await asyncio.sleep(_RETRY_S)
                self.wake()
                break

    async def _enter(self, enter: Any, folder: Path) -> bool:
        """Enter one; False where the database is away, and nothing else can be entered either."""
        try:
            files = await asyncio.to_thread(enter.roll_files, folder)
            # A worker measures it, without a connection: an hour takes long.
            surveyed = await self._works.computed(SURVEY_KIND, {"folder": self._shown(folder), "files": files})
            measured = await asyncio.to_thread(
                enter.measured_roll, folder, surveyed, sessions_folder=self._settings.sessions_folder
            )
            async with self._pool.connection() as conn:
                take = await enter.store_roll(conn, measured)
        except (PoolTimeout, OperationalError, InterfaceError) as trouble:
            log.warning("%s waits for the database: %s", folder, trouble)
            if not self._database_away:
                self._database_away = True
                self._hub.notice(_AWAY)
            return False
        except ForeignKeyViolation:
            self._later(folder, "its part or session is not in this database")
            return True
        except DatabaseError as trouble:
            self._later(folder, f"the database refuses it ({str(trouble).splitlines()[0]})")
            return True
        except (FatSignalError, OSError) as trouble:
            self._later(folder, str(trouble))
            return True
        except Exception as trouble:
            log.exception("%s could not be entered", folder)
            self._later(folder, f"a fault that should not happen ({trouble}); see the log of the server")
            return True
        self._put_off.pop(folder, None)
        self._database_away = False
        if take is None:
            self._hub.notice("nothing was rolled: it was stopped at once")
        else:
            trial = measured.trial is not None
            what = f"trial {take.number}" if trial else f"take {take.number}"
            log.info("%s (%s) of part %s is entered from %s", what, take.id, take.part_id, folder)
            if measured.take is not None:
                await self._land(take)
            said = take.said
            if take.binned_at is not None:
                said = f"{what} is in the bin: {take.said or 'it was thrown there'}; U brings it back"
            self._hub.tell(
                TakeEntered(
                    take_id=take.id, part_id=take.part_id, note=said, binned=take.binned_at is not None, trial=trial
                )
            )
        return True

    async def _land(self, take: Any) -> None:
        """What was rolled for a hole of a comp is used there. The take is safe either way, and is offered if not."""
        from fatsignal.acts.comp.land import land

        try:
            async with self._pool.connection() as conn:
                if await land(conn, take, self._settings.sessions_folder):
                    self._hub.notice(f"take {take.number} fills the hole that it was rolled for")
        except Exception as trouble:
            log.exception("take %s could not be used in the comp", take.id)
            self._hub.notice(f"take {take.number} is not used in the comp yet ({trouble}): Enter uses it")

    def _later(self, folder: Path, problem: str) -> None:
        """It waits, longer each time; a person is told once of each thing that is wrong with it."""
        before = self._put_off.get(folder)
        tries = 1 + (before.tries if before else 0)
        wait_s = min(_LATEST_RETRY_S, _RETRY_S * 2 ** (tries - 1))
        self._put_off[folder] = Waiting(self._shown(folder), problem, tries, time.monotonic() + wait_s)
        log.warning("%s cannot be entered, and is tried again in %.0f s: %s", folder, wait_s, problem)
        if before is None or before.problem != problem:
            self._hub.notice(
                f"{folder.name} is on disk and not yet among the takes: {problem}; it is tried again by itself"
            )

    def _shown(self, folder: Path) -> str:
        return str(folder.relative_to(self._settings.sessions_folder))


def _load_enter() -> Any:
    from fatsignal.acts import enter_roll

    return enter_roll
