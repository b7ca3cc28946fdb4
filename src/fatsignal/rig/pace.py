"""Blocks at the pace of a clock, as hardware delivers them; and the ways in which hardware lets one down."""

import time
from collections.abc import Callable
from dataclasses import dataclass

from fatsignal.core.clip import Samples
from fatsignal.errors import RollRefused
from fatsignal.rig.interface import SimulatedInterface

# A real interface drops blocks when nobody fetches them; half a second is a generous buffer.
_BUFFER_S = 0.5


@dataclass(frozen=True, slots=True)
class Pace:
    """When blocks arrive: `speed` 1 is real time, 0 is as fast as they are computed."""

    speed: float = 1.0
    now_s: Callable[[], float] = time.monotonic
    sleep_s: Callable[[float], None] = time.sleep


class PacedBlocks:
    """A source of a given length whose `render` is called when a block is due.

    Raises
    ------
    RollRefused
        On construction if the interface is set to another rate; while reading if it vanishes, or if nobody fetched its
        blocks for half a second.
    """

    def __init__(
        self, *, rate_hz: int, frames: int, interface: SimulatedInterface, pace: Pace, block_frames: int
    ) -> None:
        if interface.clock_hz not in (None, rate_hz):
            raise RollRefused(
                f"the interface runs at {interface.clock_hz} Hz and the session at {rate_hz} Hz: set one to the other"
            )
        self.rate_hz = rate_hz
        self._pace = pace
        self._block_frames = block_frames
        self._left = frames
        self._vanishes_at = None if interface.vanishes_after_s is None else int(interface.vanishes_after_s * rate_hz)
        self._started_s: float | None = None
        self._delivered = 0

    def render(self, frames: int) -> Samples:
        """The next frames, shape (frames, channels)."""
        raise NotImplementedError

    def read_block(self) -> Samples | None:
        """The next block, shape (frames, channels); the last block may be shorter."""
        if self._left <= 0:
            return None
        frames = min(self._block_frames, self._left)
        if self._vanishes_at is not None and self._delivered + frames > self._vanishes_at:
            raise RollRefused(
                f"the interface was gone after {self._delivered / self.rate_hz:.1f} s: look at its cable and power; "
                "what came until then is kept"
            )
        self._wait(frames)
        self._left -= frames
        self._delivered += frames
        return self.render(frames)

    def close(self) -> None:
        self._left = 0

    def _wait(self, frames: int) -> None:
        """A block is there when its last frame has sounded, not earlier."""
        if self._pace.speed <= 0:
            return
        now_s = self._pace.now_s()
        if self._started_s is None:
            self._started_s = now_s
        due_s = self._started_s + (self._delivered + frames) / self.rate_hz / self._pace.speed
        if now_s - due_s > _BUFFER_S / self._pace.speed:
            late_ms = 1000 * (now_s - due_s)
            raise RollRefused(
                f"the interface lost audio: the machine was {late_ms:.0f} ms behind; what was rolled until then is kept"
            )
        if due_s > now_s:
            self._pace.sleep_s(due_s - now_s)
