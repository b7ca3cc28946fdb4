"""The engine's process: owns the source and the open files, and goes on when everything else dies."""

import argparse
import asyncio
import contextlib
import logging
import os
import secrets
import signal
import sys
import threading
import time
from pathlib import Path
from typing import TYPE_CHECKING
from uuid import UUID

from pydantic import ValidationError

from fatsignal import __version__
from fatsignal.core.tone.response_shelf import look_on
from fatsignal.engine.ears import Ear, Ears
from fatsignal.engine.engine_lock import acquire_engine_lock
from fatsignal.engine.events import (
    AnyEvent,
    Benching,
    Ended,
    Hello,
    Listening,
    Notice,
    PassEnded,
    Ready,
    Refused,
    Rolling,
    StandingBy,
)
from fatsignal.engine.orders import (
    ORDERS,
    BenchOrder,
    CaptureOrder,
    CuesOrder,
    HearOrder,
    ListenOrder,
    PunchOrder,
    QuitOrder,
    RollOrder,
    StandbyOrder,
    StopOrder,
    TurnOrder,
)
from fatsignal.engine.priority import Rank, prefer_this_process, prefer_this_thread
from fatsignal.engine.protocol import ADDRESS_NAME, OLDEST_SPOKEN, SPOKEN_HERE, VERSION, EngineAddress
from fatsignal.files.atomic_write import atomic_write
from fatsignal.files.responses import ResponseFolder
from fatsignal.log import write_log
from fatsignal.rig.forkserver import prepare

if TYPE_CHECKING:
    from fatsignal.engine.capture import Capture

# What ends by itself when something else is ordered.
_GIVES_WAY = (StandbyOrder, BenchOrder)
_LINE_LIMIT = 8 * 1024 * 1024
_LINES_BEHIND = 256
# Nobody listens and nothing rolls: an engine whose application never comes back ends itself.
_LONELY_S = 120.0
_SILENT_S = 0.7

log = logging.getLogger(__name__)


class Engine:
    """Takes orders from any number of connections, rolls at most one at a time, tells everyone."""

    def __init__(self, run_folder: Path, *, apart: bool = False) -> None:
        self._run_folder, self._apart = run_folder, apart
        self._token = secrets.token_urlsafe(24)
        self._listeners: set[asyncio.Queue[bytes]] = set()
        self._ready = asyncio.Event()
        self._quit = asyncio.Event()
        self._capture: Capture | None = None
        self._rolling: CaptureOrder | None = None
        self._told: Rolling | None = None
        self._bench_told: Benching | None = None
        self._busy_with: UUID | None = None
        self._stop_asked = False
        self._roll_thread: threading.Thread | None = None
        self._loop = asyncio.get_running_loop()
        self._ears = Ears()

    async def serve(self) -> None:
        """Listen on loopback until told to quit."""
        prefer_this_thread(Rank.WORD)
        if self._apart:
            prepare()
        server = await asyncio.start_server(self._serve_one, "127.0.0.1", 0, limit=_LINE_LIMIT)
        port = server.sockets[0].getsockname()[1]
        address = self._run_folder / ADDRESS_NAME
        with atomic_write(address) as partial:
            partial.touch(mode=0o600)
            address_here = EngineAddress(
                pid=os.getpid(), port=port, token=self._token, speaks=SPOKEN_HERE, release=__version__
            )
            partial.write_text(address_here.model_dump_json())
        log.info("engine %d listens, and speaks versions %d to %d", os.getpid(), OLDEST_SPOKEN, VERSION)
        warming = asyncio.create_task(asyncio.to_thread(_warm_up))
        warming.add_done_callback(self._become_ready)
        for name in (signal.SIGTERM, signal.SIGINT):
            self._loop.add_signal_handler(name, self._quit.set)
        lonely = asyncio.create_task(self._end_when_lonely())
        silent = asyncio.create_task(self._say_when_silent())
        await self._quit.wait()
        lonely.cancel()
        silent.cancel()
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

    async def _say_when_silent(self) -> None:
        """Tell once when a device that rolls delivers nothing any more; it may come back, and the roll waits for it."""
        told = False
        while True:
            await asyncio.sleep(0.25)
            heard_at_s = self._capture.heard_at_s if self._capture else None
            silent = heard_at_s is not None and time.monotonic() - heard_at_s > _SILENT_S
            if silent and not told:
                self._tell(
                    Notice(problem="the interface delivers nothing: look at its cable; what came until now is safe")
                )
            told = silent

    def _become_ready(self, warming: "asyncio.Task[None]") -> None:
        trouble = None if warming.cancelled() else warming.exception()
        if trouble is not None:
            log.error("the kernels could not be loaded", exc_info=trouble)
            self._tell(Notice(problem=f"the recording engine could not load what it computes with: {trouble}"))
            return
        self._ready.set()
        self._tell(Ready())

    async def _serve_one(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        offered, _, cue_id = (await reader.readline()).decode(errors="replace").strip().partition(" ")
        if not secrets.compare_digest(offered.encode(), self._token.encode()):
            writer.close()
            return
        if cue_id:
            await self._listen(cue_id, reader, writer)
            return
        queue: asyncio.Queue[bytes] = asyncio.Queue()
        ready = self._ready.is_set()
        hello = Hello(
            pid=os.getpid(), speaks=SPOKEN_HERE, ready=ready, rolling=self._told, busy_with=self._busy_with,
            benching=self._bench_told,
        )  # fmt: skip
        queue.put_nowait(_line(hello))
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

    async def _listen(self, cue_id: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """This connection gets sound, until it is closed."""
        ear = Ear(UUID(cue_id), writer.get_extra_info("socket").dup())
        self._ears.add(ear)
        try:
            await reader.read(1)
        finally:
            self._ears.remove(ear)
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
            case RollOrder() | StandbyOrder() | ListenOrder() | BenchOrder():
                if self._rolling is not None and not isinstance(self._rolling, _GIVES_WAY):
                    answer_to.put_nowait(_line(Refused(problem="it is rolling already: press roll once more to stop")))
                else:
                    self._begin(order)
            case StopOrder():
                self._stop_rolling(into_bin=order.into_bin)
            case PunchOrder():
                if self._capture is not None:
                    self._capture.punch()
            case TurnOrder():
                if self._capture is not None:
                    self._capture.turn(order.key, order.tone)
            case HearOrder():
                bench = self._rolling
                if self._capture is not None and isinstance(bench, BenchOrder) and bench.bench_id == order.bench_id:
                    self._capture.hear(order.heard, order.gains_db)
            case CuesOrder():
                heard = self._rolling
                # Another session's faders move nothing here.
                if self._capture is not None and heard and order.session_id in (None, heard.session_id):
                    self._capture.set_cues(order.cues)
            case QuitOrder():
                self._quit.set()

    def _begin(self, order: CaptureOrder) -> None:
        """Start in a thread of its own; whoever stands by lets go of the device first."""
        self._stop_rolling()
        before, self._rolling, self._stop_asked = self._roll_thread, order, False
        self._busy_with = None if isinstance(order, _GIVES_WAY) else order.roll_id
        self._roll_thread = threading.Thread(target=self._roll, args=(order, before), name="roll")
        self._roll_thread.start()

    def _stop_rolling(self, *, into_bin: bool = False) -> None:
        self._stop_asked = True
        if self._capture is not None:
            self._capture.stop(into_bin=into_bin)

    def _roll(self, order: CaptureOrder, before: threading.Thread | None) -> None:
        if before is not None:
            before.join()
        # Imported here: numpy, scipy and numba take seconds, and the engine answers before that.
        from fatsignal.engine.capture_factory import capture_of

        if order.paced:
            prefer_this_thread(Rank.SOUND)
        begun = ended = False

        def tell(event: AnyEvent) -> None:
            nonlocal begun, ended
            begun = begun or isinstance(event, Rolling | Listening | StandingBy | Benching)
            ended = ended or isinstance(event, Ended)
            self._tell_from_thread(event)

        log.info("%s %s of session %s begins", order.do, order.roll_id, order.session_id)
        try:
            with capture_of(order, tell, self._ears, apart=self._apart) as capture:
                self._capture = capture
                if self._stop_asked and self._rolling is order:
                    # Pressed again while the source was being opened.
                    capture.stop()
                capture.run()
        except Exception as trouble:
            log.exception("%s %s could not be carried out", order.do, order.roll_id)
            if not begun:
                ended = True
                self._tell_from_thread(Refused(problem=f"it could not start: {trouble}"))
        finally:
            self._capture = None
            if not ended:
                # Who waits for an end waits for ever: it is told whatever happened.
                self._tell_from_thread(
                    Ended(
                        roll_id=order.roll_id, folder=getattr(order, "folder", None), frames=0, reason="problem",
                        problem="the recording engine met a fault: what came until then is kept; roll again",
                        listened=isinstance(order, ListenOrder), stood_by=isinstance(order, StandbyOrder),
                        benched=isinstance(order, BenchOrder),
                    )
                )  # fmt: skip
            if self._rolling is order:
                self._rolling = None

    def _tell_from_thread(self, event: AnyEvent) -> None:
        with contextlib.suppress(RuntimeError):  # the loop is closing: nobody is left to be told
            self._loop.call_soon_threadsafe(self._tell, event)

    def _tell(self, event: AnyEvent) -> None:
        if isinstance(event, Ended | Refused | Notice | PassEnded):
            log.info("%s", event.model_dump_json(exclude_none=True))
        if isinstance(event, Benching):
            self._bench_told = event
        elif isinstance(event, Ended) and self._bench_told and event.roll_id == self._bench_told.roll_id:
            self._bench_told = None
        if isinstance(event, Rolling):
            self._told = event
        elif isinstance(event, Refused) or (isinstance(event, Ended) and not (event.stood_by or event.benched)):
            self._told = self._busy_with = None
            if isinstance(event, Ended) and self._rolling is not None and event.roll_id == self._rolling.roll_id:
                # Whoever hears of the end may order at once, while the thread still lets go of its things.
                self._rolling = None
        line = _line(event)
        for queue in list(self._listeners):
            if queue.qsize() < _LINES_BEHIND or event.event not in ("meters", "bench_meters", "pitch"):
                queue.put_nowait(line)


async def _send_all(queue: asyncio.Queue[bytes], writer: asyncio.StreamWriter) -> None:
    with contextlib.suppress(ConnectionError):
        while True:
            writer.write(await queue.get())
            await writer.drain()


def _line(event: AnyEvent) -> bytes:
    return event.model_dump_json().encode() + b"\n"


def _warm_up() -> None:
    """Load every kernel before audio rolls: half a second of a note and every kind of block, to no ears and no disk.

    What is loaded only when a roll wants it holds that roll up.
    """
    import numpy as np

    import fatsignal.engine.capture_factory  # noqa: F401
    from fatsignal.core.level.depth import WordPacker
    from fatsignal.core.level.limiter import Limiter
    from fatsignal.core.tone.warm import warm_chains
    from fatsignal.engine.meter_window import FRAMES_PER_COLUMN, MeterWindow
    from fatsignal.rig.jit_warmup import warm

    played = warm()
    warm_chains(rate_hz=48_000)
    meters, packers, limiter = MeterWindow(3), [WordPacker("24"), WordPacker("16")], Limiter(-3.0, rate_hz=48_000)
    for block in np.split(played.samples[: 8 * FRAMES_PER_COLUMN], 8):
        limiter.process(np.repeat(block[:, :1], 2, axis=1))
        meters.add(block)
        meters.take()
        for packer in packers:
            # As the disk line gives them: one channel out of several.
            packer.pack(block[:, :1])


async def _main() -> None:
    parser = argparse.ArgumentParser(prog="fatsignal-engine", description=__doc__)
    parser.add_argument("run_folder", type=Path)
    parser.add_argument("--apart", action="store_true", help="the simulated rig plays in a process of its own")
    arguments = parser.parse_args()
    arguments.run_folder.mkdir(parents=True, exist_ok=True)
    write_log(arguments.run_folder.parent / "logs", "engine")
    prefer_this_process()
    life = acquire_engine_lock(arguments.run_folder)
    if life is None:
        print("another engine has this folder", file=sys.stderr)
        return
    with life:
        (arguments.run_folder / ADDRESS_NAME).unlink(missing_ok=True)
        look_on(ResponseFolder(arguments.run_folder.parent / "responses"))
        await Engine(arguments.run_folder, apart=arguments.apart).serve()


if __name__ == "__main__":
    sys.exit(asyncio.run(_main()))
