"""The other end of the protocol: finds or starts the engine, gives orders, hears events."""

import asyncio
import contextlib
import json
import logging
import subprocess
import sys
from collections.abc import AsyncIterator
from pathlib import Path
from uuid import UUID

from fatsignal import __version__
from fatsignal.engine.engine_lock import engine_is_running
from fatsignal.engine.events import AnyEvent, read_event
from fatsignal.engine.orders import Order, QuitOrder
from fatsignal.engine.protocol import ADDRESS_NAME, SPOKEN_HERE, EngineAddress
from fatsignal.errors import RollRefused

_LINE_LIMIT = 8 * 1024 * 1024
_START_S = 10.0

log = logging.getLogger(__name__)


def running_engine(run_folder: Path) -> EngineAddress | None:
    """The engine that left its address here, if it lives."""
    if not engine_is_running(run_folder):
        return None
    try:
        return EngineAddress.model_validate_json((run_folder / ADDRESS_NAME).read_text())
    except (OSError, ValueError):
        return None


def start_engine(run_folder: Path, *, apart: bool = False) -> None:
    """Start an engine in a session of its own: it does not die with the web process.

    `apart`: its simulated rig plays in a process of its own, as is good where it plays in real time.
    """
    run_folder.mkdir(parents=True, exist_ok=True)
    with (run_folder / "engine.log").open("ab") as log:
        subprocess.Popen(
            [sys.executable, "-m", "fatsignal.engine", str(run_folder), *(["--apart"] if apart else [])],
            stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True,
        )  # fmt: skip


async def ask_to_end_if_idle(address: EngineAddress) -> bool:
    """Ask an engine of whatever release to end, unless something rolls or is about to; whether it was asked.

    That it says first what it does, and how it is asked to end, was the same in every release.
    """
    try:
        reader, writer = await _connected(address, address.token)
    except OSError:
        return False
    try:
        hello = json.loads(await asyncio.wait_for(reader.readline(), timeout=2.0))
        # One that does not say whether it is busy is taken for busy.
        if any(hello.get(key, "") is not None for key in ("rolling", "busy_with")):
            return False
        writer.write(QuitOrder().model_dump_json().encode() + b"\n")
        await writer.drain()
        return True
    except (OSError, ValueError, AttributeError, TimeoutError):
        return False
    finally:
        writer.close()


async def open_ears(run_folder: Path, cue_id: UUID) -> tuple[asyncio.StreamReader, asyncio.StreamWriter]:
    """A connection on which the engine sends what a cue hears (`engine/ears.py`).

    Raises
    ------
    OSError
        If no engine runs.
    """
    address = running_engine(run_folder)
    if address is None:
        raise ConnectionRefusedError("no engine runs")
    return await _connected(address, f"{address.token} {cue_id}")


async def _connected(address: EngineAddress, first_line: str) -> tuple[asyncio.StreamReader, asyncio.StreamWriter]:
    """A connection to an engine, opened by the line that says who one is."""
    reader, writer = await asyncio.open_connection("127.0.0.1", address.port, limit=_LINE_LIMIT)
    writer.write(first_line.encode() + b"\n")
    await writer.drain()
    return reader, writer


class EngineClient:
    """A connection to the engine; `events` yields what it tells, `order` sends what it should do."""

    def __init__(self, run_folder: Path, *, apart: bool = False) -> None:
        self._run_folder, self._apart = run_folder, apart
        self._reader: asyncio.StreamReader | None = None
        self._writer: asyncio.StreamWriter | None = None

    async def connect(self) -> None:
        """Connect to the running engine, starting one when there is none; one of another release ends if it is idle.

        Raises
        ------
        RollRefused
            If no engine answers within ten seconds, or the one that rolls is of a release too far from this one. Left
            alone, that one ends by itself when its roll is over.
        """
        now = asyncio.get_running_loop().time
        deadline, start_at = now() + _START_S, now()
        while True:
            if now() > deadline:
                raise RollRefused("the recording engine does not start; see run/engine.log in the data folder")
            address = running_engine(self._run_folder)
            if address is None and now() >= start_at and not engine_is_running(self._run_folder):
                start_engine(self._run_folder, apart=self._apart)
                start_at = now() + _START_S / 2
            if address is not None:
                if address.release != __version__ and await ask_to_end_if_idle(address):
                    log.info(
                        "engine %d is of release %r and was idle: another takes its place", address.pid, address.release
                    )
                    await self._gone(address, until=deadline)
                    continue
                if address.speaks.common_with(SPOKEN_HERE) is None:
                    raise RollRefused(
                        "a recording engine of another release still runs here: what it rolls goes on, and it ends by "
                        "itself two minutes later"
                    )
                try:
                    self._reader, self._writer = await _connected(address, address.token)
                    return
                except OSError:
                    pass  # it is dying, or the address is that of the engine before it
            await asyncio.sleep(0.03)

    async def _gone(self, address: EngineAddress, *, until: float) -> None:
        """Wait until an engine that was asked to end has ended."""
        while running_engine(self._run_folder) == address and asyncio.get_running_loop().time() < until:
            await asyncio.sleep(0.03)

    async def order(self, order: Order) -> None:
        """Send an order; the answer comes as an event."""
        if self._writer is None or self._writer.is_closing():
            raise RollRefused("the recording engine is not reached yet: try again in a moment")
        self._writer.write(order.model_dump_json().encode() + b"\n")
        await self._writer.drain()

    async def events(self) -> AsyncIterator[AnyEvent]:
        """Events until the connection ends; what cannot be understood is passed over, and noted."""
        assert self._reader is not None, "connect() comes first"
        while line := await self._reader.readline():
            try:
                event = read_event(line)
            except ValueError as problem:
                log.warning("an event of the engine is not understood: %s", problem)
                continue
            if event is None:
                log.info("the engine tells what this release does not know: %.80r", line)
                continue
            yield event

    async def close(self) -> None:
        if self._writer is not None:
            self._writer.close()
            with contextlib.suppress(ConnectionError):
                await self._writer.wait_closed()
