"""The simulated interface with its first output joined to an input by a cable: what is played comes back."""

import math

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.material.delayed import REACH, delay_taps
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.rig_clock import ClockedSource, RigClock
from fatsignal.rig.source import InputChannel

_NOISE = 10 ** (-92 / 20)
_CABLE = 0.8


class CabledInterface(ClockedSource):
    """What is played returns after the round trip, whole frames and their fraction; without a cable only noise does."""

    channels: tuple[InputChannel, ...] = (InputChannel("loop", "mic"),)

    def __init__(
        self, *, rate_hz: int, interface: SimulatedInterface, pace: RigClock | None = None, block_frames: int = 256,
        frames: int | None = None, seed: int = 1,
    ) -> None:  # fmt: skip
        super().__init__(
            rate_hz=rate_hz, frames=frames, interface=interface, pace=pace or RigClock(), block_frames=block_frames
        )
        late = interface.round_trip_frames()
        self._whole = math.floor(late)
        # Converters alone are later than these reach ahead.
        self._taps = delay_taps(late - self._whole)
        self._returns = _CABLE if interface.loop_cable and 1 not in interface.broken_inputs else 0.0
        self._random = np.random.default_rng(seed)
        # What sounded at output 1, as far back as the taps reach.
        self._sounded = np.zeros(self._whole + 2 * REACH)

    def sound(self, samples: Samples) -> None:
        """The cable hears the first output."""
        self._sounded = np.concatenate((self._sounded, samples[:, 0]))

    def render(self, frames: int) -> Samples:
        """The next frames of the one input."""
        heard = self._sounded[REACH : 3 * REACH + frames]
        self._sounded = self._sounded[frames:]
        returned = self._returns * np.convolve(heard, self._taps, mode="valid")
        return (returned + _NOISE * self._random.standard_normal(frames))[:, None]
