"""What is left when nobody plays: hum, buzz and hiss told apart, and what to try against each.

References
----------
.. [1] IEC 61672-1:2013, Annex E: the A-weighting as an analogue response with poles at 20.6, 107.7, 737.9 and 12194 Hz.
.. [2] F. J. Harris, "On the use of windows for harmonic analysis", Proc. IEEE 66(1), 1978: the Blackman-Harris window.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.signal import get_window

from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples
from fatsignal.core.level.peak import rms_dbfs
from fatsignal.core.parabolic_peak import vertex
from fatsignal.errors import SignalError

_POLES_HZ = (20.598997, 107.65265, 737.86223, 12194.217)
SHORTEST_S = 1.0
_HEARD_HZ = (20.0, 20_000.0)
# Up to here a harmonic of the mains is hum, a round tone; above it the same series rasps.
HUM_BELOW_HZ = 620.0
_LINE_BINS = 4
# Noise reaches this many times its mean in one of a million bins.
_LINE_FACTOR = 14.0
_FIRST_BELOW_HZ = 310.0
_GROUND_HZ = 40.0
MAINS_HZ = (50.0, 60.0)
_MAINS_SEARCH = 0.008
_HIGHEST_LINE_HZ = 8_000.0


@dataclass(frozen=True, slots=True)
class Harmonic:
    """One line of the mains' series."""

    frequency_hz: float
    level_dbfs: float


@dataclass(frozen=True, slots=True)
class NoiseReport:
    """Levels of RMS in dBFS. `mains_hz` is None where no series of 50 or 60 Hz stands out."""

    floor_dbfs: float
    floor_dbfs_a: float
    hum_dbfs: float
    buzz_dbfs: float
    hiss_dbfs: float
    mains_hz: float | None
    harmonics: list[Harmonic]
    below_playing_db: float | None

    @property
    def worst(self) -> str:
        """The largest of the three."""
        levels = {"hum": self.hum_dbfs, "buzz": self.buzz_dbfs, "hiss": self.hiss_dbfs}
        return max(levels, key=lambda name: levels[name])


def a_weighting_db(frequency_hz: Real) -> Real:
    """The A-weighting in dB at each frequency; 0 at 1 kHz, ``-inf`` at 0 Hz."""

    def gain(squared: Real) -> Real:
        f1, f2, f3, f4 = (pole**2 for pole in _POLES_HZ)
        return np.asarray(
            f4 * squared**2 / ((squared + f1) * np.sqrt((squared + f2) * (squared + f3)) * (squared + f4))
        )

    with np.errstate(divide="ignore"):
        at_1k = gain(np.array([1e6]))[0]
        return np.asarray(20 * np.log10(gain(np.square(frequency_hz)) / at_1k))


def measure_noise(signal: Samples, *, rate_hz: int, playing_dbfs: float | None = None) -> NoiseReport:
    """Tell hum, buzz and hiss apart in some seconds of hands off the strings.

    The power spectrum's lines at multiples of the mains are taken out above the median of their neighbours; what lies
    below 620 Hz of them is hum, above it buzz, and the rest is hiss. The mains wander a little and are searched.

    Parameters
    ----------
    signal : array, shape (frames,)
        At least a second; lines are told apart from hiss better in four.
    playing_dbfs : float, optional
        Average level while playing, for the distance to it.

    Raises
    ------
    SignalError
        If there is less than a second.
    """
    if signal.size < SHORTEST_S * rate_hz:
        raise SignalError(
            f"noise needs at least {SHORTEST_S:g} s to be told apart, got {signal.size / rate_hz:.2f} s: wait longer"
        )
    floor = rms_dbfs(signal - signal.mean())
    power, frequency_hz = _power_spectrum(signal, rate_hz)
    heard = (frequency_hz >= _HEARD_HZ[0]) & (frequency_hz <= min(_HEARD_HZ[1], 0.49 * rate_hz))
    weighted = _db(float(np.sum(power * 10 ** (a_weighting_db(np.maximum(frequency_hz, 1e-3)) / 10))))
    ground = _ground(power, frequency_hz)
    mains_hz, lines = _mains_series(power, ground, frequency_hz, heard)
    hum = sum(10 ** (line.level_dbfs / 10) for line in lines if line.frequency_hz < HUM_BELOW_HZ)
    buzz = sum(10 ** (line.level_dbfs / 10) for line in lines if line.frequency_hz >= HUM_BELOW_HZ)
    hiss = max(float(np.sum(power[heard])) - hum - buzz, 0.0)
    return NoiseReport(
        floor, weighted, _db(hum), _db(buzz), _db(hiss), mains_hz, lines,
        None if playing_dbfs is None or not math.isfinite(floor) else playing_dbfs - floor,
    )  # fmt: skip


def _power_spectrum(signal: Samples, rate_hz: int) -> tuple[Samples, Samples]:
    """One-sided power of each bin, so that the sum is the mean square; windows of up to four seconds, averaged."""
    size = min(signal.size, 4 * rate_hz)
    window = get_window("blackmanharris", size)
    starts = range(0, signal.size - size + 1, max(1, size // 2))
    total = np.zeros(size // 2 + 1)
    for start in starts:
        piece = signal[start : start + size]
        total += np.abs(np.fft.rfft((piece - piece.mean()) * window)) ** 2
    total[1:-1] *= 2
    scale = len(starts) * float(np.sum(window**2)) * size
    return total / scale, np.asarray(np.fft.rfftfreq(size, 1 / rate_hz), dtype=np.float64)


def _ground(power: Samples, frequency_hz: Samples) -> Samples:
    """The hiss under the lines: the median of each 40 Hz, joined by straight lines.

    Of noise, whose power in a bin is distributed exponentially, the median is ln 2 times the mean.
    """
    width = max(9, round(_GROUND_HZ / frequency_hz[1]))
    whole = len(power) // width
    medians = np.median(power[: whole * width].reshape(whole, width), axis=1) / math.log(2)
    centres = (np.arange(whole) + 0.5) * width
    return np.asarray(np.interp(np.arange(len(power)), centres, medians))


def _mains_series(
    power: Samples, ground: Samples, frequency_hz: Samples, heard: NDArray[np.bool_]
) -> tuple[float | None, list[Harmonic]]:
    """The mains' frequency and its lines; the one of 50 and 60 Hz whose series holds more power."""
    best: tuple[float, float | None, list[Harmonic]] = (0.0, None, [])
    for nominal in MAINS_HZ:
        mains_hz = _wandered(power, ground, frequency_hz, nominal)
        lines = _lines(power, ground, frequency_hz, heard, mains_hz)
        # 300 Hz belongs to both series: only what the other one lacks decides, and one line alone is a tone.
        own = [line for line in lines if round(line.frequency_hz / mains_hz) % (6 if nominal == 50 else 5)]
        total = sum(10 ** (line.level_dbfs / 10) for line in own)
        if total > best[0] and len(own) >= 2 and own[0].frequency_hz < _FIRST_BELOW_HZ:
            best = (total, mains_hz, lines)
    return best[1], best[2]


def _wandered(power: Samples, ground: Samples, frequency_hz: Samples, nominal_hz: float) -> float:
    """The mains' frequency within 0.8 % of its nominal one, told the finer the higher a line of it lies.

    From the lowest multiple on each line that stands out is looked for where those before it put it.
    """
    bin_hz = float(frequency_hz[1])
    mains_hz, unsure_hz = nominal_hz, _MAINS_SEARCH * nominal_hz
    for number in range(1, int(min(frequency_hz[-1], _HIGHEST_LINE_HZ) / nominal_hz)):
        reach = max(2, math.ceil(number * unsure_hz / bin_hz))
        low = max(1, round(number * mains_hz / bin_hz) - reach)
        around = power[low : low + 2 * reach + 1]
        at = low + int(np.argmax(around))
        if power[at] <= _LINE_FACTOR * ground[at] or not 0 < at < len(power) - 1:
            continue
        place = at + vertex(np.log(power[at - 1 : at + 2] + 1e-300), 1)
        mains_hz, unsure_hz = place * bin_hz / number, min(unsure_hz, bin_hz / number)
    return float(np.clip(mains_hz, nominal_hz * (1 - _MAINS_SEARCH), nominal_hz * (1 + _MAINS_SEARCH)))


def _lines(
    power: Samples, ground: Samples, frequency_hz: Samples, heard: NDArray[np.bool_], mains_hz: float
) -> list[Harmonic]:
    bin_hz = float(frequency_hz[1])
    lines = []
    for number in range(1, int(min(frequency_hz[-1], _HIGHEST_LINE_HZ) / mains_hz)):
        at = round(number * mains_hz / bin_hz)
        reach = min(_LINE_BINS, at)
        around = slice(at - reach, at + reach + 1)
        above = float(np.sum(power[around] - ground[around]))
        if heard[at] and power[around].max() > _LINE_FACTOR * ground[at] and above > 0:
            lines.append(Harmonic(at * bin_hz, _db(above)))
    return lines


def _db(power: float) -> float:
    return 10 * math.log10(power) if power > 0 else -math.inf


def noise_advice(report: NoiseReport, *, gain_db: float, single_coil: bool, is_di_box: bool) -> list[str]:
    """What to try next, the most telling first; common practice, no source."""
    tries = []
    worst = report.worst
    mains = f"{report.mains_hz:.0f} Hz" if report.mains_hz else "mains"
    if worst == "hum" and single_coil:
        tries.append(
            f"turn yourself and the guitar: a single coil picks up {mains} hum least at right angles to its source"
        )
    if worst in ("hum", "buzz") and is_di_box:
        tries.append("lift the ground at the DI box: hum that goes away then came round by the amp's mains lead")
    if worst == "buzz":
        tries.append(
            "switch off dimmers and chargers near the guitar, and try another cable: buzz rides on a poor screen"
        )
    if worst in ("hum", "buzz") and not is_di_box and not single_coil:
        tries.append("move away from transformers and screens, then try another cable")
    if worst == "hiss" and gain_db > 30:
        tries.append(f"the input stands at +{gain_db:.0f} dB: a louder source needs less gain and hisses less")
    if worst == "hiss" and gain_db <= 30:
        tries.append("hiss comes before the input: turn the amp's gain down, or the instrument's volume up")
    return tries
