"""How much of the click arrives in an open microphone, found by its correlation with the known click.

References
----------
.. [1] S. Haykin, Adaptive Filter Theory, ch. 2: the least-squares filter from a known reference to a recording.
"""

import math
from dataclasses import dataclass

import numpy as np
from scipy import fft
from scipy.linalg import solve_toeplitz
from scipy.ndimage import uniform_filter1d
from scipy.signal import oaconvolve

from fatsignal.core.clip import Samples
from fatsignal.core.units import db_from_amplitude
from fatsignal.errors import SignalError

_PATH_S = 0.012
_LONGEST_DELAY_S = 0.2
_CLICK_S = 0.05
# What correlates by chance: a least-squares filter of n taps explains about n/N of any noise.
_CHANCE_FACTOR = 3.0
_MOMENT_S, _QUIETEST = 0.06, 10 ** (-90 / 20)


@dataclass(frozen=True, slots=True)
class BleedReport:
    """`leak_dbfs` is the level of the click's leak while it sounds, ``-inf`` where none is found."""

    leak_dbfs: float
    below_playing_db: float
    delay_ms: float
    found: bool


def measure_bleed(recorded: Samples, click: Samples, *, rate_hz: int, playing_dbfs: float) -> BleedReport:
    """Find the part of `recorded` that is a filtered `click`, both of shape (frames,) and starting together.

    The delay is where both correlate best; from there a filter of 12 ms is fitted by least squares, and what it makes
    of the click is the leak. Its level is taken over the 50 ms after each click begins, that of the playing is given.

    Raises
    ------
    SignalError
        If there is no click in `click`, or the two have different lengths.
    """
    return _measure(recorded, click, np.ones(recorded.size), rate_hz=rate_hz, playing_dbfs=playing_dbfs)


def measure_bleed_while_playing(recorded: Samples, click: Samples, *, rate_hz: int, playing_dbfs: float) -> BleedReport:
    """The same of a take: what is loud tells little of a leak, so every moment counts by how quiet it is.

    Both signals are divided by the recording's own level of the moment before the filter is fitted (weighted least
    squares); the leak is then what the filter makes of the click itself.
    """
    moment = uniform_filter1d(np.square(recorded), max(1, round(_MOMENT_S * rate_hz)))
    weight = 1 / np.sqrt(np.maximum(moment, 0.0) + _QUIETEST**2)
    return _measure(recorded, click, weight / weight.max(), rate_hz=rate_hz, playing_dbfs=playing_dbfs)


def _measure(recorded: Samples, click: Samples, weight: Samples, *, rate_hz: int, playing_dbfs: float) -> BleedReport:
    if recorded.shape != click.shape:
        raise SignalError(f"recording and click must have one length, got {recorded.size} and {click.size} frames")
    if not np.any(click):
        raise SignalError("there is no click to compare with: let it sound while the check runs")
    heard_by_weight, sent_by_weight = recorded * weight, click * weight
    reach = round(_LONGEST_DELAY_S * rate_hz)
    taps = round(_PATH_S * rate_hz)
    cross = _lags(heard_by_weight, sent_by_weight, reach + taps)
    own = _lags(sent_by_weight, sent_by_weight, taps)
    envelope = np.convolve(np.abs(cross), np.ones(32) / 32, mode="same")
    start = max(0, int(np.argmax(envelope[:reach])) - taps // 4)
    # Normal equations of the filter; a little on the diagonal where the click has no energy.
    own[0] *= 1 + 1e-3
    path = solve_toeplitz(own, cross[start : start + taps])
    leak = np.zeros(click.size)
    made = oaconvolve(click, path)[: click.size - start]
    leak[start : start + len(made)] = made
    sounding = _while_it_sounds(click, start, rate_hz)
    heard, rest = leak[sounding], recorded[sounding] - leak[sounding]
    counted = weight[sounding] ** 2
    leak_power, rest_power = float(np.mean(counted * heard**2)), float(np.mean(counted * rest**2))
    chance = rest_power * taps / max(1, int(sounding.sum()))
    found = leak_power > _CHANCE_FACTOR * chance
    share = max(leak_power - chance, 0.0) / leak_power if found else 0.0
    level = db_from_amplitude(math.sqrt(share * float(np.mean(heard**2)))) if found else -math.inf
    peak = start + int(np.argmax(np.abs(path)))
    return BleedReport(level, playing_dbfs - level, 1000 * peak / rate_hz, found)


def _lags(late: Samples, early: Samples, lags: int) -> Samples:
    """Σ late[n + lag]·early[n] for lags from 0 on, block by block: few lags are wanted of many frames."""
    block = 1 << math.ceil(math.log2(3 * lags))
    total = np.zeros(block // 2 + 1, dtype=np.complex128)
    step = block - lags
    for at in range(0, len(early), step):
        total += fft.rfft(late[at : at + block], block) * np.conj(fft.rfft(early[at : at + step], block))
    return np.asarray(fft.irfft(total, block)[:lags])


def _while_it_sounds(click: Samples, delay: int, rate_hz: int) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
    starts = np.flatnonzero((np.abs(click[1:]) > 0) & (click[:-1] == 0)) + 1
    if click[0] != 0:
        starts = np.concatenate(([0], starts))
    sounding = np.zeros(click.size, dtype=bool)
    for start in starts:
        sounding[start + delay : start + delay + round(_CLICK_S * rate_hz)] = True
    return sounding
