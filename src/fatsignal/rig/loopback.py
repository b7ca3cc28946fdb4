"""The simulated interface's output joined to an input by a cable: what a latency check hears."""

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.timing.latency import ping_train
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.pace import Pace, PacedBlocks
from fatsignal.rig.source import InputChannel

_NOISE = 10 ** (-92 / 20)
_CABLE = 0.8
_TAIL_S = 0.5


class Loopback(PacedBlocks):
    """Pings that come back after the round trip, whole frames and their fraction; without a cable only noise."""

    channels: tuple[InputChannel, ...] = (InputChannel("loop", "mic"),)

    def __init__(
        self, *, rate_hz: int, interface: SimulatedInterface, pace: Pace | None = None, block_frames: int = 256,
        seed: int = 1,
    ) -> None:  # fmt: skip
        sent = ping_train(rate_hz)
        length = len(sent) + round(_TAIL_S * rate_hz)
        super().__init__(
            rate_hz=rate_hz, frames=length, interface=interface, pace=pace or Pace(), block_frames=block_frames
        )
        size = 2 * length
        spectrum = np.fft.rfft(sent, size)
        # A delay of any length is a slope of the phase.
        turn = np.exp(-2j * np.pi * np.fft.rfftfreq(size) * interface.round_trip_frames())
        back = np.fft.irfft(spectrum * turn, size)[:length]
        heard = _CABLE * back if interface.loop_cable and 1 not in interface.broken_inputs else np.zeros(length)
        self._returned = heard + _NOISE * np.random.default_rng(seed).standard_normal(length)
        self._at = 0

    def render(self, frames: int) -> Samples:
        """The next frames of the one input."""
        start, self._at = self._at, self._at + frames
        return self._returned[start : start + frames, None]
