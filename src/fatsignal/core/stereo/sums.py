"""What a sum of microphones gains or loses against the sum of their powers."""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.level.third_octaves import CENTRES_HZ, NAMED_BANDS_HZ, edges_hz
from fatsignal.core.stereo.report import sum_verdict
from fatsignal.core.verdict import Verdict

_FLOOR_DB = -60.0


@dataclass(frozen=True, slots=True)
class SumOf:
    """The sum against the sum of powers: as a whole, by thirds of an octave, by named bands.

    None where nothing is.
    """

    whole_db: float
    thirds_db: list[float | None]
    named_db: dict[str, float | None]
    named_verdicts: dict[str, Verdict | None]
    # Of the worst named band.
    verdict: Verdict


def sum_of(frequency_hz: Real, powers: Real, both: Real) -> SumOf:
    """Of powers and the power of the sum, shape (frequencies,) each."""
    loudest = float(powers.max())

    def between(low_hz: float, high_hz: float) -> float | None:
        inside = (frequency_hz >= low_hz) & (frequency_hz < high_hz)
        if not inside.any():
            inside = np.arange(len(powers)) == int(np.argmin(np.abs(frequency_hz - math.sqrt(low_hz * high_hz))))
        power = float(powers[inside].sum())
        return None if power <= 1e-10 * loudest else _db(float(both[inside].sum()) / power)

    top = frequency_hz[-1]
    named = {name: between(*limits) for name, limits in NAMED_BANDS_HZ.items()}
    verdicts = {name: None if db is None else sum_verdict(db) for name, db in named.items()}
    worst = min((each for each in named.values() if each is not None), default=0.0)
    return SumOf(
        _db(float(both.sum()) / float(powers.sum())),
        [between(*edges) for centre in CENTRES_HZ if (edges := edges_hz(float(centre)))[1] <= top],
        named, verdicts, sum_verdict(worst),
    )  # fmt: skip


def _db(ratio: float) -> float:
    return max(_FLOOR_DB, 10 * math.log10(max(ratio, 1e-12)))
