"""A tempo from taps, with its uncertainty; a wrong first tap or a missed one does not spoil it."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from scipy.special import stdtrit

from fatsignal.core.clip import Samples
from fatsignal.core.timing.tempo import FASTEST_BPM, SLOWEST_BPM
from fatsignal.errors import InvalidSetting

# The last taps only: a hand that has found the beat is better than one that looks for it.
MOST_TAPS = 16
FEWEST_TAPS = 4
# A pause this long begins anew; at the slowest tempo a beat takes 3 s.
PAUSE_S = 6.2
# Nothing is tapped faster than this; a key that is held repeats about every 30 ms.
_BOUNCE_S = 0.1
_OUTLIER_FACTOR, _OUTLIER_FLOOR_S = 5.0, 0.03
_CONFIDENCE = 0.95
# A hand that follows a beat scatters by a tenth of it at most, and few of its taps lie elsewhere.
_WORST_SCATTER, _LEAST_USED = 0.11, 0.7


@dataclass(frozen=True, slots=True)
class TapEstimate:
    """`bpm` ± `uncertainty_bpm` holds the tempo with 95 % confidence; `whole_bpm` is the near whole number.

    `first_beat_s` is where the fitted beats begin, on the clock of the taps.
    """

    bpm: float
    uncertainty_bpm: float
    whole_bpm: int
    whole_is_likely: bool
    taps_used: int
    taps_left_out: int
    period_s: float
    first_beat_s: float


def estimate_tempo(taps_s: Sequence[float]) -> TapEstimate:
    """Fit evenly spaced beats to the last taps.

    Each tap is given a beat number by the median interval, so that a missed tap leaves a gap and not a slower
    tempo. A line through (number, time) is found by the median of all slopes, taps far from it are
    left out, and least squares give the period and its standard error.

    Raises
    ------
    InvalidSetting
        If there are too few taps, the key was held, or the taps have no common period.

    References
    ----------
    .. [1] P. K. Sen, "Estimates of the regression coefficient based on Kendall's tau", JASA 63, 1968.
    """
    times = np.sort(np.asarray(taps_s, dtype=np.float64))
    if not np.isfinite(times).all():
        raise InvalidSetting("a tap has no time: tap again")
    times = _last_run(times)
    if len(times) >= 3 and np.median(np.diff(times)) < _BOUNCE_S:
        raise InvalidSetting("the key was held down: tap once on each beat")
    times = _without_bounces(times)[-MOST_TAPS:]
    if len(times) < FEWEST_TAPS:
        raise InvalidSetting(f"{_taps(len(times))} so far: tap at least {FEWEST_TAPS} beats in a row")
    numbers = _beat_numbers(times)
    used = _close_to_line(numbers, times)
    no_beat = InvalidSetting("these taps have no common beat: listen to a bar and tap again")
    if used.sum() < max(FEWEST_TAPS - 1, _LEAST_USED * len(times)) or numbers[-1] + 1 > 2 * len(times):
        raise no_beat
    period_s, first_s, error_s = _least_squares(numbers[used], times[used])
    scatter_s = float(np.std(times[used] - first_s - period_s * numbers[used]))
    if scatter_s > _WORST_SCATTER * period_s:
        raise no_beat
    bpm = 60.0 / period_s
    if not SLOWEST_BPM <= bpm <= FASTEST_BPM:
        raise InvalidSetting(f"a tempo of {bpm:.0f} is outside {SLOWEST_BPM} to {FASTEST_BPM} beats a minute")
    uncertainty = bpm * error_s / period_s
    if uncertainty > 0.15 * bpm:
        raise no_beat
    whole = round(bpm)
    return TapEstimate(
        bpm=bpm,
        uncertainty_bpm=uncertainty,
        whole_bpm=whole,
        whole_is_likely=abs(whole - bpm) <= max(uncertainty, 0.05),
        taps_used=int(used.sum()),
        taps_left_out=int(len(used) - used.sum()),
        period_s=period_s,
        first_beat_s=first_s,
    )


def _taps(count: int) -> str:
    return "one tap" if count == 1 else f"{count} taps"


def _last_run(times: Samples) -> Samples:
    """What was tapped since the last long pause."""
    pauses = np.flatnonzero(np.diff(times) > PAUSE_S)
    return times[pauses[-1] + 1 :] if len(pauses) else times


def _without_bounces(times: Samples) -> Samples:
    """Taps that follow another one at once are its bounce."""
    kept: list[float] = []
    for time_s in times:
        if not kept or time_s - kept[-1] >= _BOUNCE_S:
            kept.append(float(time_s))
    return np.array(kept)


def _beat_numbers(times: Samples) -> Samples:
    """Number of the beat that each tap means. A missed tap shows as an interval of two or three."""
    intervals = np.diff(times)
    period = float(np.median(intervals))
    # Where many are missed the median itself is two beats long; the shortest half decides then.
    for _ in range(3):
        steps = np.maximum(1, np.round(intervals / period))
        period = float(np.median(intervals / steps))
    return np.concatenate(([0.0], np.cumsum(np.maximum(1, np.round(intervals / period)))))


def _close_to_line(numbers: Samples, times: Samples) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
    slopes = [(times[j] - times[i]) / (numbers[j] - numbers[i]) for i, j in combinations(range(len(times)), 2)]
    period = float(np.median(slopes))
    offset = times - period * numbers
    away = np.abs(offset - np.median(offset))
    # 1.4826 turns the median of distances into the standard deviation of a normal scatter.
    spread = max(1.4826 * float(np.median(away)), _OUTLIER_FLOOR_S / _OUTLIER_FACTOR)
    return np.asarray(away <= _OUTLIER_FACTOR * spread)


def _least_squares(numbers: Samples, times: Samples) -> tuple[float, float, float]:
    """Period, time of beat 0, and the half width of the period's 95 % interval, seconds."""
    centred = numbers - numbers.mean()
    squares = float(np.sum(centred**2))
    period = float(np.sum(centred * times) / squares)
    first = float(times.mean() - period * numbers.mean())
    freedom = len(times) - 2
    residual = times - first - period * numbers
    deviation = float(np.sqrt(np.sum(residual**2) / freedom))
    # A tap arrives on a grid of milliseconds: even a perfect fit does not know it better.
    deviation = max(deviation, 0.001 / 12**0.5)
    quantile = float(stdtrit(freedom, 0.5 + _CONFIDENCE / 2))
    return period, first, quantile * deviation / squares**0.5
