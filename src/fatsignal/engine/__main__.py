"""The engine's process: owns the source and the open files, and goes on when everything else dies."""

import argparse
import asyncio
import contextlib
import os
import secrets
import signal
import sys
import threading
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Protocol

from pydantic import ValidationError

from fatsignal.engine.protocol import (
    ADDRESS_NAME,
    ORDERS,
    EngineAddress,
    Event,
    Hello,
    ListenOrder,
    QuitOrder,
    Ready,
    Refused,
    RollOrder,
    StopOrder,
)

_LINE_LIMIT = 8 * 1024 * 1024
_LINES_BEHIND = 256
# Nobody listens and nothing rolls: an engine whose application never comes back ends itself.
_LONELY_S = 120.0


class Stoppable(Protocol):
    """What rolls or listens; its module is loaded later than this one."""

    def stop(self) -> None: ...


class Engine:
    """Takes orders from any number of connections, rolls at most one at a time, tells everyone."""

    def __init__(self, run_folder: Path) -> None:
        self._run_folder = run_folder
        self._token = secrets.token_urlsafe(24)
        self._listeners: set[asyncio.Queue[bytes]] = set()
        self._ready = asyncio.Event()
        self._quit = asyncio.Event()
        self._captures: Sequence[Stoppable] = []
        self._rolling: RollOrder | ListenOrder | None = None
        self._roll_thread: threading.Thread | None = None
        self._loop = asyncio.get_running_loop()

    async def serve(self) -> None:
        """Listen on loopback until told to quit."""
        server = await asyncio.start_server(self._serve_one, "127.0.0.1", 0, limit=_LINE_LIMIT)
        port = server.sockets[0].getsockname()[1]
        address = self._run_folder / ADDRESS_NAME
        partial = address.with_suffix(".partial")
        partial.touch(mode=0o600)
        partial.write_text(EngineAddress(pid=os.getpid(), port=port, token=self._token).model_dump_json())
        partial.replace(address)
        warming = asyncio.create_task(asyncio.to_thread(_warm_up))
        warming.add_done_callback(lambda _: self._become_ready())
        for name in (signal.SIGTERM, signal.SIGINT):
            self._loop.add_signal_handler(name, self._quit.set)
        lonely = asyncio.create_task(self._end_when_lonely())
        await self._quit.wait()
        lonely.cancel()
        self._stop_rolling()
        if self._roll_thread:
            await asyncio.to_thread(self._roll_thread.join)
        await asyncio.sleep(0.05)
        server.close()
        address.unlink(missing_ok=True)

    async def _end_when_lonely(self) -> None:
        since = self._loop.time()
        while True:
            await asyncio.sleep(1.0)
            if self._listeners or self._rolling is not None:
                since = self._loop.time()
            elif self._loop.time() - since > _LONELY_S:
                self._quit.set()
                return

    def _become_ready(self) -> None:
        self._ready.set()
        self._tell(Ready())

    async def _serve_one(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        offered = (await reader.readline()).decode(errors="replace").strip()
        if not secrets.compare_digest(offered.encode(), self._token.encode()):
            writer.close()
            return
        queue: asyncio.Queue[bytes] = asyncio.Queue()
        rolling = self._rolling.roll_id if isinstance(self._rolling, RollOrder) else None
        queue.put_nowait(_line(Hello(pid=os.getpid(), ready=self._ready.is_set(), rolling=rolling)))
        self._listeners.add(queue)
        sending = asyncio.create_task(_send_all(queue, writer))
        try:
            while line := await reader.readline():
                self._obey(line, queue)
        except (ConnectionError, ValueError):
            pass
        finally:
            self._listeners.discard(queue)
            sending.cancel()
            writer.close()

    def _obey(self, line: bytes, answer_to: asyncio.Queue[bytes]) -> None:
        try:
            order = ORDERS.validate_json(line)
        except ValidationError as problem:
            first = problem.errors()[0]
            refusal = f"the engine does not understand this order: {first['loc']} {first['msg']}"
            answer_to.put_nowait(_line(Refused(problem=refusal)))
            return
        match order:
            case RollOrder() | ListenOrder() if self._rolling is not None:
                answer_to.put_nowait(_line(Refused(problem="it is rolling already: press roll once more to stop")))
            case RollOrder() | ListenOrder():
                self._rolling = order
                self._roll_thread = threading.Thread(target=self._roll, args=(order,), name="roll")
                self._roll_thread.start()
            case StopOrder():
                self._stop_rolling()
            case QuitOrder():
                self._quit.set()

    def _stop_rolling(self) -> None:
        for capture in self._captures:
            capture.stop()

    def _roll(self, order: RollOrder | ListenOrder) -> None:
        # Imported here: numpy, scipy and numba take seconds, and the engine answers before that.
        from fatsignal.engine.listener import Listener
        from fatsignal.engine.recorder import Recorder
        from fatsignal.engine.sources import source_of
        from fatsignal.engine.together import roll_together

        try:
            if isinstance(order, RollOrder):
                recorders = [
                    Recorder(each, source_of(each), self._tell_from_thread) for each in (order, *order.together)
                ]
                self._captures = list(recorders)
                roll_together(recorders)
            else:
                listener = Listener(order, source_of(order), self._tell_from_thread)
                self._captures = [listener]
                listener.run()
        except Exception as trouble:
            self._tell_from_thread(Refused(problem=f"it could not start: {trouble}"))
        finally:
            self._captures = []
            self._rolling = None

    def _tell_from_thread(self, event: Event) -> None:
        with contextlib.suppress(RuntimeError):  # the loop is closing: nobody is left to be told
            self._loop.call_soon_threadsafe(self._tell, event)

    def _tell(self, event: Event) -> None:
        line = _line(event)
        for queue in list(self._listeners):
            if queue.qsize() < _LINES_BEHIND or event.event not in ("meters", "pitch"):
                queue.put_nowait(line)


async def _send_all(queue: asyncio.Queue[bytes], writer: asyncio.StreamWriter) -> None:
    with contextlib.suppress(ConnectionError):
        while True:
            writer.write(await queue.get())
            await writer.drain()


def _line(event: Event) -> bytes:
    return event.model_dump_json().encode() + b"\n"


def _warm_up() -> None:
    """Load every kernel before audio rolls: half a second of a note, to nowhere."""
    from fatsignal.core.instrument.player import Note
    from fatsignal.core.timing.tempo import TempoMap
    from fatsignal.rig.pace import Pace
    from fatsignal.rig.setup import RigSetup
    from fatsignal.rig.simulated import Performance, SimulatedRig

    tempo = TempoMap.steady(120, rate_hz=48_000)
    note = Note(Fraction(0), Fraction(1), 0, 0, 0.5)
    first = tempo.bar_frame(1)
    rig = SimulatedRig(RigSetup(), Performance([note], tempo, first, first + 24_000, 1), pace=Pace(0))
    while rig.read_block() is not None:
        pass


async def _main() -> None:
    parser = argparse.ArgumentParser(prog="fatsignal-engine", description=__doc__)
    parser.add_argument("run_folder", type=Path)
    arguments = parser.parse_args()
    arguments.run_folder.mkdir(parents=True, exist_ok=True)
    await Engine(arguments.run_folder).serve()


if __name__ == "__main__":
    sys.exit(asyncio.run(_main()))
