"""Two channels as one image: how alike they are, what mono loses, where it lies and how wide it is."""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples, check_finite, check_rate
from fatsignal.core.level.third_octaves import NAMED_BANDS_HZ
from fatsignal.core.stereo.cross_spectra import CrossSpectra, cross_spectra
from fatsignal.core.stereo.mic_delay import mic_delay
from fatsignal.core.verdict import Verdict
from fatsignal.errors import SignalError

# More than that nobody tells from all.
MOST_LOST_DB = 120.0
# Two channels that are this much alike are one.
_IDENTICAL = 1e-9
_EXCERPT_S = 30.0
# A sum that loses more than that against its powers is heard as hollow, or gone (common practice, no source).
LOOK_DB, FIX_DB = -3.0, -6.0


@dataclass(frozen=True, slots=True)
class StereoBand:
    """What two channels do in one band; null figures become None where a channel holds nothing there."""

    name: str
    low_hz: float
    high_hz: float
    correlation: float | None
    coherence: float | None
    sum_db: float | None
    mono_loss_db: float | None
    verdict: Verdict = "good"


@dataclass(frozen=True, slots=True)
class StereoReport:
    """Left and right against each other.

    `correlation` runs from −1 to 1. `mono_loss_db` is what the mean of both lacks against their mean power: 0 of two
    that are one, 3.01 of two that know nothing of each other. `sum_db` of a band is its sum against the sum of powers:
    +3.01 to that of two that cancel. `level_difference_db` is right over left, `delay_ms` positive where right is
    later; both None where one is silent. `width` is twice the share of the side: 0 mono, 1 independent, 2 turned over.
    `image` runs from −1, all left, to 1.
    """

    correlation: float
    mono_loss_db: float
    level_difference_db: float | None
    delay_ms: float | None
    delay_uncertainty_ms: float | None
    polarity: int | None
    width: float
    image: float
    identical: bool
    bands: list[StereoBand]
    # Of what mono loses as a whole.
    verdict: Verdict = "good"


def sum_verdict(sum_db: float) -> Verdict:
    """Of a sum against the sum of powers."""
    return "fix" if sum_db < FIX_DB else "look" if sum_db < LOOK_DB else "good"


def report_stereo(left: Samples, right: Samples, *, rate_hz: int) -> StereoReport:
    """Compare two channels of one recording, shape (frames,) each.

    Raises
    ------
    SignalError
        If both are silent, they are not of one length, or hold what is no number.
    """
    check_rate(rate_hz)
    if len(left) != len(right):
        raise SignalError(f"left has {len(left)} frames and right {len(right)}: cut them to one length first")
    check_finite(left)
    check_finite(right)
    power = [float(np.mean(np.square(each))) if len(each) else 0.0 for each in (left, right)]
    if not any(power):
        raise SignalError("both channels are silent: there is nothing to compare")
    shared = float(np.mean(left * right))
    both = math.sqrt(power[0] * power[1])
    silent = min(power) == 0.0
    delay = None
    if not silent and len(left) >= rate_hz // 10:
        part = _loudest(left, right, round(_EXCERPT_S * rate_hz))
        delay = mic_delay(left[part], right[part], rate_hz=rate_hz)
    side = (power[0] + power[1] - 2 * shared) / 4
    middle = (power[0] + power[1] + 2 * shared) / 4
    return StereoReport(
        correlation=0.0 if silent else max(-1.0, min(1.0, shared / both)),
        mono_loss_db=_lost_db(middle, (power[0] + power[1]) / 2),
        level_difference_db=None if silent else 10 * math.log10(power[1] / power[0]),
        delay_ms=None if delay is None else 1000 * delay.delay_samples / rate_hz,
        delay_uncertainty_ms=None if delay is None else 1000 * delay.uncertainty_samples / rate_hz,
        polarity=None if delay is None else delay.polarity,
        width=2 * side / (side + middle),
        image=(power[1] - power[0]) / (power[0] + power[1]),
        identical=bool(side <= _IDENTICAL * middle),
        bands=stereo_bands(cross_spectra(left, right, rate_hz=rate_hz)),
        verdict=sum_verdict(-_lost_db(4 * middle, power[0] + power[1])),
    )  # fmt: skip


def stereo_bands(spectra: CrossSpectra) -> list[StereoBand]:
    """The same for each named band."""
    return [_band(spectra, name, *limits) for name, limits in NAMED_BANDS_HZ.items()]


def _band(spectra: CrossSpectra, name: str, low_hz: float, high_hz: float) -> StereoBand:
    inside = (spectra.frequency_hz >= low_hz) & (spectra.frequency_hz < high_hz)
    first, second = (float(np.sum(each[inside])) for each in (spectra.first, spectra.second))
    loudest = max(float(spectra.first.sum()), float(spectra.second.sum()))
    if min(first, second) <= 1e-14 * loudest:
        return StereoBand(name, low_hz, high_hz, None, None, None, None)
    shared = float(np.sum(spectra.cross[inside].real))
    weight = spectra.first[inside] + spectra.second[inside]
    summed = first + second + 2 * shared
    return StereoBand(
        name, low_hz, high_hz, correlation=shared / math.sqrt(first * second),
        coherence=_mean(spectra.coherence[inside], weight),
        sum_db=-_lost_db(summed, first + second), mono_loss_db=_lost_db(summed / 4, (first + second) / 2),
        verdict=sum_verdict(-_lost_db(summed, first + second)),
    )  # fmt: skip


def _mean(values: Real, weight: Real) -> float:
    return float(np.average(values, weights=weight + 1e-300))


def _lost_db(left_over: float, whole: float) -> float:
    return min(MOST_LOST_DB, -10 * math.log10(max(left_over / whole, 10 ** (-MOST_LOST_DB / 10)))) + 0.0


def _loudest(left: Samples, right: Samples, frames: int) -> slice:
    """Where most is played, in steps of a quarter of the stretch."""
    if len(left) <= frames:
        return slice(0, len(left))
    running = np.concatenate(([0.0], np.cumsum(np.square(left) + np.square(right))))
    starts = np.arange(0, len(left) - frames + 1, max(1, frames // 4))
    at = int(starts[np.argmax(running[starts + frames] - running[starts])])
    return slice(at, at + frames)


def mid_side(left: Samples, right: Samples) -> tuple[Samples, Samples]:
    """Mid and side of a pair, (L+R)/2 and (L−R)/2, so that left is mid and side together."""
    return np.asarray((left + right) / 2), np.asarray((left - right) / 2)


def from_mid_side(middle: Samples, side: Samples, *, width: float = 1.0) -> tuple[Samples, Samples]:
    """Left and right of a mid and a side, L = M + width·S and R = M − width·S; a width of 0 is mono."""
    return np.asarray(middle + width * side), np.asarray(middle - width * side)
