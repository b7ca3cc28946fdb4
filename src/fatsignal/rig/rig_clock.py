"""Blocks at the pace of a clock, as hardware delivers them; and the ways in which hardware lets one down."""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from fatsignal.core.clip import Samples
from fatsignal.errors import RollRefused
from fatsignal.rig.interface import OUTPUTS, SimulatedInterface
from fatsignal.rig.outputs import OutputQueue
from fatsignal.rig.source import Block

# A real interface drops blocks when nobody fetches them; half a second is a generous buffer.
_BUFFER_S = 0.5
# Closing is noticed within this time.
_LONGEST_SLEEP_S = 0.1


@dataclass(frozen=True, slots=True)
class RigClock:
    """When blocks arrive: `speed` 1 is real time, 0 is as fast as they are computed."""

    speed: float = 1.0
    now_s: Callable[[], float] = time.monotonic
    sleep_s: Callable[[float], None] = time.sleep


class ClockedSource:
    """A device whose `render` is called when a block is due; `frames` is its length, None: until it is closed.

    What nobody fetched within half a second is lost, as in hardware: the next block's clock has gone on without it.

    Raises
    ------
    RollRefused
        On construction if the interface is set to another rate; while reading if it vanishes.
    """

    outputs = OUTPUTS

    def __init__(
        self, *, rate_hz: int, frames: int | None, interface: SimulatedInterface, pace: RigClock, block_frames: int
    ) -> None:
        if interface.clock_hz not in (None, rate_hz):
            raise RollRefused(
                f"the interface runs at {interface.clock_hz} Hz and the session at {rate_hz} Hz: set one to the other"
            )
        self.rate_hz = rate_hz
        self._pace = pace
        self._block_frames = block_frames
        self._end = frames
        self._vanishes_at = _frame_at(interface.vanishes_after_s, rate_hz)
        self._gap_at = _frame_at(interface.gap_after_s, rate_hz)
        self._gap_frames = round(interface.gap_s * rate_hz)
        self._started_s: float | None = None
        self._clock = 0
        self._queue = OutputQueue(self.outputs)
        self._closed = threading.Event()

    def render(self, frames: int) -> Samples:
        """The next frames, shape (frames, channels)."""
        raise NotImplementedError

    def play(self, samples: Samples, at_frame: int) -> None:
        """As `Source.play`."""
        self._queue.play(samples, at_frame)

    def sound(self, samples: Samples) -> None:
        """What sounds at the outputs during the next frames; in the simulated room nobody hears it."""

    def skip(self, frames: int) -> None:
        """Frames that were lost: they passed, and nobody heard them."""
        self.render(frames)

    def read_block(self) -> Block | None:
        """The next block; the last one may be shorter."""
        if self._gap_at is not None and self._clock + self._block_frames > self._gap_at:
            self._gap_at = None
            self._lose(self._gap_frames)
        frames = self._block_frames
        if self._end is not None:
            frames = min(frames, self._end - self._clock)
        if frames <= 0 or self._closed.is_set():
            return None
        if self._vanishes_at is not None:
            if self._clock >= self._vanishes_at:
                raise RollRefused(
                    f"the interface was gone after {self._clock / self.rate_hz:.1f} s: look at its cable and power; "
                    "what came until then is kept"
                )
            frames = min(frames, self._vanishes_at - self._clock)
        self._wait(frames)
        if self._closed.is_set():
            return None
        start, self._clock = self._clock, self._clock + frames
        self.sound(self._queue.take(frames))
        return Block(self.render(frames), start)

    def close(self) -> None:
        self._closed.set()

    def _lose(self, frames: int) -> None:
        self.sound(self._queue.take(frames))
        self.skip(frames)
        self._clock += frames

    def _wait(self, frames: int) -> None:
        """A block is there when its last frame has sounded, not earlier."""
        if self._pace.speed <= 0:
            return
        now_s = self._pace.now_s()
        if self._started_s is None:
            self._started_s = now_s
        due_s = self._started_s + (self._clock + frames) / self.rate_hz / self._pace.speed
        behind_s = (now_s - due_s) * self._pace.speed
        if behind_s > _BUFFER_S:
            self._lose(int(behind_s * self.rate_hz))
            return
        while due_s > now_s and not self._closed.is_set():
            self._pace.sleep_s(min(due_s - now_s, _LONGEST_SLEEP_S))
            now_s = self._pace.now_s()


def _frame_at(seconds: float | None, rate_hz: int) -> int | None:
    return None if seconds is None else int(seconds * rate_hz)
