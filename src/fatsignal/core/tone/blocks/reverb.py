"""A reverb: a network of delay lines that feed each other, as a plate or as a hall.

References
----------
.. [1] J.-M. Jot, A. Chaigne, "Digital delay networks for designing artificial reverberators", AES 90th Convention,
   1991: every line loses 60 dB in the reverberation time, so its gain is 10^(-3 d / T); a low-pass in each line makes
   the highs' time shorter.
.. [2] J. Stautner, M. Puckette, "Designing multi-channel reverberators", Computer Music Journal 6(1), 1982: feedback by
   a unitary matrix; here Hadamard's of order eight.
.. [3] M. R. Schroeder, "Natural sounding artificial reverberation", J. Audio Eng. Soc. 10(3), 1962: allpasses that make
   the echoes dense.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.delay_line import or_nothing
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import Channels, Curve, Operating, Step, ToneBlock, middle_of, setting, widened

# Lengths at size 5, in ms: no two with a common measure. A plate is dense at once, a hall's first sounds are farther.
_LINES_MS = {
    "plate": (11.3, 13.9, 16.7, 19.3, 22.1, 25.7, 28.9, 32.3),
    "hall": (29.7, 34.1, 39.7, 43.3, 49.9, 56.3, 61.1, 68.9),
}  # fmt: skip
_DIFFUSERS_MS = (4.77, 3.59, 2.11, 1.37)
_DIFFUSION = 0.68
_LONGEST_MS = 68.9 * 2.1
_PRE_DELAY_MS = 200.0


class Reverb(ToneBlock):
    """A plate, or a hall."""

    TITLE: ClassVar[str] = "Reverb"
    GROUP: ClassVar[str] = "space"
    LINKS_CHANNELS: ClassVar[bool] = True

    kind: Literal["reverb"] = "reverb"
    space: Literal["plate", "hall"] = setting("plate")
    decay_s: float = setting(1.6, label="decay (60 dB)", unit="s", low=0.2, high=12, step=0.05, even="ratios")
    size: float = setting(5, low=1, high=10, step=0.1)
    highs_hz: float = setting(4500, label="highs die above", unit="Hz", low=500, high=16_000, step=10, even="ratios")
    pre_delay_ms: float = setting(12, label="pre-delay", unit="ms", low=0, high=_PRE_DELAY_MS, step=1)
    mix: float = setting(22, label="level of reverb", unit="%", low=0, high=100, step=1)
    wide: bool = setting(True, label="stereo")

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [ReverbStep(self, at.rate_hz, channels)]

    def curve(self) -> Curve:
        """How it dies away."""
        end_ms = 1000 * self.decay_s
        level = 20 * math.log10(max(self.mix, 0.1) / 100)
        times_ms = np.array([0.0, self.pre_delay_ms, self.pre_delay_ms + end_ms])
        return Curve("time", times_ms, np.array([0.0, level, level - 60]), unit="dB")


class ReverbStep:
    """A running reverb: both channels go in, and come out of the network's two halves."""

    STATE = ("_pre", "_diffusers", "_lines", "_lows", "_places")
    latency_frames = 0

    def __init__(self, values: Reverb, rate_hz: int, channels: int) -> None:
        self.channels_out = 2 if values.wide or channels == 2 else 1
        per_ms = rate_hz / 1000
        scale = 0.4 + 0.12 * values.size
        lengths = [max(3, round(each * scale * per_ms)) for each in _LINES_MS[values.space]]
        self._lengths = np.array(lengths, dtype=np.int64)
        self._gains = 10 ** (-3 * self._lengths / rate_hz / values.decay_s)
        # The low-pass in each line lets the highs decay in a third of the time at its corner and above.
        self._damping = math.exp(-2 * math.pi * values.highs_hz / rate_hz)
        self._pre_frames = round(values.pre_delay_ms * per_ms)
        self._mix = values.mix / 100
        self._diffuser_lengths = np.array([max(2, round(each * per_ms)) for each in _DIFFUSERS_MS], dtype=np.int64)
        self._pre = np.zeros(math.ceil((_PRE_DELAY_MS + 2) * per_ms))
        self._diffusers = np.zeros((len(_DIFFUSERS_MS), int(self._diffuser_lengths.max()) + 1))
        self._lines = np.zeros((8, math.ceil(_LONGEST_MS * per_ms) + 4))
        self._lows = np.zeros(8)
        self._places = np.zeros(2, dtype=np.int64)

    def process(self, channels: Channels) -> Channels:
        """Run the channels; state goes on."""
        mono = middle_of(channels)
        left, right = _run_reverb(
            mono, self._pre, self._pre_frames, self._diffusers, self._diffuser_lengths, self._lines, self._lengths,
            self._gains, self._lows, self._damping, self._places,
        )  # fmt: skip
        if self.channels_out == 1:
            return (np.asarray(channels[0] + self._mix * 0.5 * (left + right)),)
        dry = widened(channels, 2)
        return np.asarray(dry[0] + self._mix * left), np.asarray(dry[1] + self._mix * right)


@kernel
def _run_reverb(signal, pre, pre_frames, diffusers, diffuser_lengths, lines, lengths, gains, lows, damping, places):
    """Pre-delay, four allpasses, then eight lines: each line's end, damped, goes through Hadamard's matrix into all."""
    left, right = np.empty_like(signal), np.empty_like(signal)
    ends = np.empty(8)
    place, ring = places[0], places[1]
    size, pre_size, row = lines.shape[1], pre.size, diffusers.shape[1]
    scale = 1.0 / math.sqrt(8.0)
    for n in range(signal.size):
        pre[ring % pre_size] = signal[n]
        x = pre[(ring - pre_frames) % pre_size]
        for k in range(diffusers.shape[0]):
            old = diffusers[k, (ring - diffuser_lengths[k]) % row]
            inner = or_nothing(x + _DIFFUSION * old)
            diffusers[k, ring % row] = inner
            x = old - _DIFFUSION * inner
        ring += 1
        for k in range(8):
            end = lines[k, (place - lengths[k]) % size]
            lows[k] = or_nothing((1.0 - damping) * end + damping * lows[k])
            ends[k] = gains[k] * lows[k]
        left[n] = ends[0] - ends[2] + ends[4] - ends[6]
        right[n] = ends[1] - ends[3] + ends[5] - ends[7]
        # Hadamard by three rounds of sums and differences.
        for k in range(0, 8, 2):
            a, b = ends[k], ends[k + 1]
            ends[k], ends[k + 1] = a + b, a - b
        for k in (0, 1, 4, 5):
            a, b = ends[k], ends[k + 2]
            ends[k], ends[k + 2] = a + b, a - b
        for k in range(4):
            a, b = ends[k], ends[k + 4]
            ends[k], ends[k + 4] = a + b, a - b
        for k in range(8):
            lines[k, place % size] = or_nothing(x + scale * ends[k])
        place += 1
    places[0], places[1] = place, ring
    return left, right
