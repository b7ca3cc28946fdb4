"""A spring reverb: what runs down a coil comes back as a chirp, again and again.

References
----------
.. [1] V. Välimäki, J. Parker, J. S. Abel, "Parametric spring reverberation effect", J. Audio Eng. Soc. 58(7/8), 2010:
   a row of stretched allpasses z^-k makes the low frequencies up to a transition frequency F = rate / (2 k) late by
   their dispersion, inside a feedback loop of the coil's round trip; a low-pass at F keeps the rest out.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.delay_line import or_nothing
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import Channels, Curve, Operating, Step, ToneBlock, middle_of, setting

# Each coil: round trip in ms, highest frequency that runs down it in Hz, how much of the sound it takes.
_COILS = ((56.0, 4300.0, 1.0), (41.0, 4900.0, 0.8), (48.5, 4550.0, 0.7))
_ALLPASSES = 90
_COEFFICIENT = 0.62
_LONGEST_MS = 120.0
_LOWEST_HZ = 60.0


class Spring(ToneBlock):
    """Coils that chirp, as in an amp."""

    TITLE: ClassVar[str] = "Spring reverb"
    GROUP: ClassVar[str] = "space"
    LINKS_CHANNELS: ClassVar[bool] = True

    kind: Literal["spring"] = "spring"
    coils: int = setting(2, low=1, high=3, step=1)
    length: float = setting(5, label="length of coils", low=1, high=10, step=0.1)
    decay_s: float = setting(1.8, label="decay (60 dB)", unit="s", low=0.3, high=6, step=0.05, even="ratios")
    mix: float = setting(28, label="level of reverb", unit="%", low=0, high=100, step=1)

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [SpringStep(self, at.rate_hz, channels)]

    def curve(self) -> Curve:
        """The round trips of the first coil."""
        trip_s = _COILS[0][0] * _stretch(self.length) / 1000
        count = np.arange(24)
        level = self.mix / 100 * 10 ** (-3 * trip_s * count / self.decay_s)
        times_ms = np.concatenate(([0.0], 1000 * trip_s * (count + 0.5)))
        return Curve("echoes", times_ms, 20 * np.log10(np.concatenate(([1.0], np.maximum(level, 1e-4)))), unit="dB")


def _stretch(length: float) -> float:
    return 0.55 + 0.09 * length


class SpringStep:
    """Running coils; both channels shake them alike."""

    STATE = ("_rows", "_lines", "_filters", "_places")
    latency_frames = 0

    def __init__(self, values: Spring, rate_hz: int, channels: int) -> None:
        self.channels_out = channels
        self._mix = values.mix / 100
        # Nothing stands still on a coil: what is below some 60 Hz does not run down it.
        self._high = 1 - math.exp(-2 * math.pi * _LOWEST_HZ / rate_hz)
        self._coils = _COILS[: values.coils]
        self._settings = []
        stretch = _stretch(values.length)
        for trip_ms, highest_hz, share in self._coils:
            # Allpasses of so many samples each turn over at the highest frequency that runs down the coil; some are a
            # sample shorter than the others, so that on average it is the same frequency at every rate.
            exact = max(1.0, rate_hz / (2 * highest_hz))
            step = math.ceil(exact)
            shorter = round(_ALLPASSES * (step - exact)) if step > 1 else 0
            trip_s = trip_ms * stretch / 1000
            # The row itself is late by its group delay at 0 Hz.
            row_frames = (_ALLPASSES * step - shorter) * (1 - _COEFFICIENT) / (1 + _COEFFICIENT)
            delay = max(8, round(trip_s * rate_hz - row_frames))
            low = 1 - math.exp(-2 * math.pi * 0.8 * highest_hz / rate_hz)
            self._settings.append((step, shorter, delay, 10 ** (-3 * trip_s / values.decay_s), low, share))
        steps = max(each[0] for each in self._settings)
        self._rows = np.zeros((len(self._coils), _ALLPASSES, steps))
        self._lines = np.zeros((len(self._coils), math.ceil(_LONGEST_MS * 1.6 * rate_hz / 1000)))
        # Two low-passes and a high-pass for each coil.
        self._filters = np.zeros((len(self._coils), 4))
        self._places = np.zeros((len(self._coils), 2), dtype=np.int64)

    def process(self, channels: Channels) -> Channels:
        """Run the channels; state goes on."""
        mono = middle_of(channels)
        wet = np.zeros_like(mono)
        for k, (step, shorter, delay, gain, low, share) in enumerate(self._settings):
            coil = _run_coil(
                mono,
                self._rows[k],
                self._lines[k],
                self._filters[k],
                self._places[k],
                step,
                shorter,
                delay,
                gain,
                low,
                self._high,
            )
            wet += share * coil
        return tuple(np.asarray(signal + self._mix * wet) for signal in channels)


@kernel
def _run_coil(signal, row, line, filters, places, step, shorter, delay, gain, low, high):
    """x + g line[n - d], low-passed, through the row of allpasses y = a x + x[k] - a y[k], into the line."""
    out = np.empty_like(signal)
    place, ring = places[0], places[1]
    for n in range(signal.size):
        back = line[(place - delay) % line.size]
        x = signal[n] - gain * back
        filters[0] = or_nothing(filters[0] + low * (x - filters[0]))
        filters[1] = or_nothing(filters[1] + low * (filters[0] - filters[1]))
        x = filters[1]
        filters[2] = or_nothing(filters[2] + high * (x - filters[2]))
        x -= filters[2]
        long, short = ring % step, ring % max(1, step - 1)
        for k in range(row.shape[0]):
            at = short if k < shorter else long
            # Direct form II: one ring an allpass.
            held = row[k, at]
            inner = or_nothing(x - _COEFFICIENT * held)
            row[k, at] = inner
            x = _COEFFICIENT * inner + held
        ring += 1
        line[place % line.size] = or_nothing(x)
        place += 1
        out[n] = x
    places[0], places[1] = place, ring
    return out
