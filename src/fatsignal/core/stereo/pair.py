"""Two microphones on one source: what their sum does now, and what each of the remedies would make of it."""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.stereo.comb import HIGHEST_HZ, comb
from fatsignal.core.stereo.cross_spectra import CrossSpectra
from fatsignal.core.stereo.mic_delay import MicDelay, delay_and_spectra
from fatsignal.core.stereo.report import StereoBand, stereo_bands
from fatsignal.core.stereo.sums import SumOf, sum_of
from fatsignal.core.units import speed_of_sound_m_s

# Closer than this two microphones stand as well as anybody can put them.
_TOGETHER_CM = 0.3
# Below that two channels hardly hear the same source: what their delay is, nobody knows.
_SAME_SOURCE = 0.2


@dataclass(frozen=True, slots=True)
class Remedy:
    """Something to do about a pair, in words, and the sum that it gives.

    `delays` is the microphone that is played later by `delay_ms`, `flips` the one that is turned over; empty where
    none is. One that is moved by hand is heard as if it were there.
    """

    name: str
    says: str
    sum_of: SumOf
    by_hand: bool = False
    delays: str = ""
    delay_ms: float = 0.0
    flips: str = ""


@dataclass(frozen=True, slots=True)
class Pair:
    """Two microphones: the second against the first; positive delays and ways: the second is later, farther."""

    first: str
    second: str
    delay: MicDelay
    delay_ms: float
    farther_cm: float
    level_difference_db: float
    same_source: bool
    notches_hz: list[float]
    now: SumOf
    bands: list[StereoBand]
    remedies: list[Remedy]
    says: str


def measure_pair(first: Samples, second: Samples, *, names: tuple[str, str], rate_hz: int) -> Pair:
    """Measure the second of two microphones against the first, shape (frames,) each.

    Raises
    ------
    SignalError
        If one is silent, not finite or too short.
    """
    delay, spectra = delay_and_spectra(first, second, rate_hz=rate_hz)
    level_db = 10 * math.log10(float(np.mean(second**2)) / float(np.mean(first**2)))
    delay_ms = 1000 * delay.delay_samples / rate_hz
    farther_cm = 100 * delay.delay_samples / rate_hz * speed_of_sound_m_s()
    same = delay.coherence >= _SAME_SOURCE
    # The louder one is what the other combs.
    notches = comb(abs(delay_ms), -abs(level_db), polarity=delay.polarity).notches_hz if same else []
    return Pair(
        *names, delay=delay, delay_ms=delay_ms, farther_cm=farther_cm, level_difference_db=level_db, same_source=same,
        notches_hz=[hz for hz in notches if hz <= HIGHEST_HZ][:8], now=_sum(spectra), bands=stereo_bands(spectra),
        remedies=_remedies(spectra, delay, delay_ms, farther_cm, names) if same else [],
        says=_says(names, farther_cm, delay, same),
    )  # fmt: skip


def _sum(spectra: CrossSpectra, *, second_later_ms: float = 0.0, flipped: bool = False) -> SumOf:
    """Of both, the second later by so much more, or turned over."""
    turn = np.exp(-2j * np.pi * spectra.frequency_hz * second_later_ms / 1000) * (-1 if flipped else 1)
    powers = spectra.first + spectra.second
    return sum_of(spectra.frequency_hz, powers, powers + 2 * (spectra.cross * turn).real)


def _remedies(
    spectra: CrossSpectra, delay: MicDelay, delay_ms: float, farther_cm: float, names: tuple[str, str]
) -> list[Remedy]:
    """What to do, each with its sum: bring them together, play the earlier one later, turn one over.

    Of two that are turned over against each other, bringing them together alone would leave nothing.
    """
    first, second = names
    found = []
    over = delay.polarity < 0
    flips, too = (second, f" and flip {second}") if over else ("", "")
    if abs(farther_cm) >= _TOGETHER_CM:
        earlier, later = (first, second) if delay_ms > 0 else (second, first)
        together = _sum(spectra, second_later_ms=-delay_ms, flipped=over)
        says = f"move {later} {abs(farther_cm):.1f} cm closer{too}"
        found.append(Remedy("move", says, together, by_hand=True, flips=flips))
        says = f"delay {earlier} by {abs(delay.delay_samples):.1f} samples{too}"
        found.append(Remedy("delay", says, together, delays=earlier, delay_ms=abs(delay_ms), flips=flips))
    found.append(Remedy("flip", f"flip the polarity of {second}", _sum(spectra, flipped=True), flips=second))
    return found


def _says(names: tuple[str, str], farther_cm: float, delay: MicDelay, same: bool) -> str:
    first, second = names
    if not same:
        return f"{first} and {second} hardly hear the same: there is no delay to speak of"
    farther, nearer = (second, first) if farther_cm > 0 else (first, second)
    turned = "same polarity" if delay.polarity > 0 else "opposite polarity"
    if abs(farther_cm) < _TOGETHER_CM:
        return f"{first} and {second} are in time, {turned}"
    return f"{farther} is {abs(farther_cm):.1f} cm farther than {nearer}, {turned}"
