"""Three microphones and more: what brings all of them in time at once, and the sum that it gives."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.fft import rfft

from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples
from fatsignal.core.stereo.pair import Pair
from fatsignal.core.stereo.sums import SumOf, sum_of

# Long enough for a delay of some milliseconds, and for thirds of an octave at 60 Hz.
_SEGMENT = 1 << 13
# Earlier by less than that nobody needs to be delayed.
_IN_TIME_SAMPLES = 0.1


@dataclass(frozen=True, slots=True)
class MicInTime:
    """What is done to one microphone so that it is heard as late as the latest, and with the first's polarity."""

    name: str
    delay_ms: float
    flipped: bool


@dataclass(frozen=True, slots=True)
class AllInTime:
    """What brings all microphones that hear one source together: in words, and the sum without it and with it."""

    says: str
    mics: list[MicInTime]
    now: SumOf
    sum_of: SumOf


def all_in_time(mics: Mapping[str, Samples], pairs: Sequence[Pair], *, rate_hz: int) -> AllInTime | None:
    """Of three or more; None where fewer hear one source.

    Parameters
    ----------
    mics : arrays by name, shape (frames,) each
    pairs
        Each against the first of them. One that hardly hears the same is left as it is.
    """
    same = [pair for pair in pairs if pair.same_source]
    if len(same) < 2:
        return None
    later_ms = {same[0].first: 0.0} | {pair.second: pair.delay_ms for pair in same}
    latest_ms = max(later_ms.values())
    over = {pair.second for pair in same if pair.delay.polarity < 0}
    found = [
        MicInTime(name, _told(latest_ms - late, rate_hz), name in over) for name, late in later_ms.items()
    ]  # fmt: skip
    delays_ms = {each.name: each.delay_ms for each in found}
    frequency_hz: Real = np.asarray(np.fft.rfftfreq(_SEGMENT, 1 / rate_hz), dtype=np.float64)
    turns = [
        (-1 if name in over else 1) * np.exp(-2j * np.pi * frequency_hz * delays_ms.get(name, 0.0) / 1000)
        for name in mics
    ]
    powers, as_recorded, together = (np.zeros(len(frequency_hz)) for _ in range(3))
    window = np.hanning(_SEGMENT + 1)[:-1]
    frames = min(len(samples) for samples in mics.values())
    for start in range(0, max(1, frames - _SEGMENT + 1), _SEGMENT // 2):
        spectra = [
            rfft(window[: len(part)] * part, _SEGMENT)
            for part in (samples[start : min(start + _SEGMENT, frames)] for samples in mics.values())
        ]
        powers += sum(np.abs(each) ** 2 for each in spectra)
        as_recorded += np.abs(sum(spectra)) ** 2
        together += np.abs(sum(turn * each for turn, each in zip(turns, spectra, strict=True))) ** 2
    return AllInTime(
        _says(found, rate_hz), found, sum_of(frequency_hz, powers, as_recorded), sum_of(frequency_hz, powers, together)
    )


def _told(delay_ms: float, rate_hz: int) -> float:
    return delay_ms if delay_ms / 1000 * rate_hz >= _IN_TIME_SAMPLES else 0.0


def _says(mics: Sequence[MicInTime], rate_hz: int) -> str:
    said = [f"delay {mic.name} by {mic.delay_ms / 1000 * rate_hz:.1f} samples" for mic in mics if mic.delay_ms]
    said += [f"flip {mic.name}" for mic in mics if mic.flipped]
    return ", ".join(said) or "all of them are in time"
