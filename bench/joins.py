"""How well takes are joined, and what it costs to find where. Run: python -m bench.joins [joins]

Joins two stretches at a wished border: cuts of real guitars from shifted starts (Debian's sonic-pi-samples), and takes
of the simulated player. Prints how many click (the residual of a linear prediction at the join above the 99.9th
percentile of what lies around it in the two takes themselves) and how many dip by more than 1 dB, beside a plain
equal-power fade of 10 ms at the wished border; and the time of finding one, at most 20 ms.
"""

import sys
import time
from pathlib import Path

import numpy as np
import soundfile
from scipy.linalg import solve_toeplitz
from scipy.signal import lfilter

from bench.mistakes import PARTS, RATE_HZ, TEMPO, recorded
from fatsignal.core.arrays import Real
from fatsignal.core.comp.joins import find_joins
from fatsignal.core.comp.pieces import Join
from fatsignal.core.material.channels import Channel
from fatsignal.core.material.reader import crossfaded

DI = Channel("di", "DI")
GUITARS = sorted(Path("/usr/share/sonic-pi").rglob("guit_*.flac"))
# As much as is looked at in the application (`acts/comp/joins.py`).
SECONDS, ORDER, JOINS = 0.8, 24, 500
Sides = tuple[Real, Real, int]


def guitar_cuts(count: int, random: np.random.Generator) -> list[tuple[Sides, int]]:
    """Two stretches of one recording, looped, from two starts."""
    found = []
    for number in range(count):
        samples, rate_hz = soundfile.read(GUITARS[number % len(GUITARS)])
        samples = samples.mean(axis=1) if samples.ndim == 2 else samples
        frames = round(SECONDS * rate_hz)
        looped = np.tile(samples, 2 + 2 * frames // len(samples))
        one, other = (looped[start : start + frames] for start in random.integers(0, len(looped) - frames, 2))
        found.append(((one, other, frames // 2 + int(random.integers(-2_000, 2_000))), rate_hz))
    return found


def simulated_takes(count: int, random: np.random.Generator) -> list[tuple[Sides, int]]:
    """Two takes of one part, wished to be joined on a beat: where the note is struck."""
    takes = [[recorded(part, seed) for seed in range(3)] for part in (PARTS[0], PARTS[1], PARTS[4])]
    found, half = [], round(SECONDS * RATE_HZ / 2)
    beat = TEMPO.beat_frame(1, 2) - TEMPO.bar_frame(1)
    for _ in range(count):
        of_part = takes[random.integers(len(takes))]
        one, other = (of_part[place] for place in random.permutation(len(of_part))[:2])
        border = 4 * beat + beat * int(random.integers(4, 28))
        around = slice(border - half, border + half)
        found.append(((one[around], other[around], half), RATE_HZ))
    return found


def played(one: Real, other: Real, frame: int, join: Join) -> Real:
    half = join.frames // 2
    share = np.interp(np.arange(len(one)), [frame - half, frame + half], [0.0, 1.0])
    alike = dict(join.alike).get(DI, 0.0)
    return crossfaded(one, other, share, alike)


def clicks(joined: Real, one: Real, other: Real, frame: int, join: Join, rate_hz: int) -> bool:
    """Whether the joined signal is harder to predict at the join than the takes are around it."""
    around = slice(max(0, frame - round(0.4 * rate_hz)), frame + round(0.4 * rate_hz))
    both = np.concatenate((one[around], other[around]))
    if not both.any():
        return False
    lags = np.array([both[: len(both) - lag] @ both[lag:] for lag in range(ORDER + 1)])
    lags[0] *= 1 + 1e-9
    inverse = np.concatenate(([1.0], -solve_toeplitz(lags[:-1], lags[1:])))
    usual = np.percentile(np.abs(np.concatenate([lfilter(inverse, 1, each[around]) for each in (one, other)])), 99.9)
    reach = join.frames // 2 + round(0.002 * rate_hz)
    at = np.abs(lfilter(inverse, 1, joined))[max(0, frame - reach) : frame + reach]
    # Only what neither take has there by itself is the join's.
    own = max(
        float(np.abs(lfilter(inverse, 1, each))[max(0, frame - reach) : frame + reach].max()) for each in (one, other)
    )
    return bool(at.max() > max(usual, own))


def dips(joined: Real, one: Real, other: Real, frame: int, join: Join) -> bool:
    """Whether the crossfade is softer than both of its sides are there."""
    inside = slice(frame - join.frames // 2, frame + join.frames // 2)
    powers = [float(np.mean(each[inside] ** 2)) for each in (joined, one, other)]
    return powers[0] < min(powers[1:]) * 10**-0.1


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else JOINS
    random = np.random.default_rng(1)
    took: list[float] = []
    for name, pairs in (
        ("guitars", guitar_cuts(count // 2, random)), ("simulated", simulated_takes(count // 2, random)),
    ):  # fmt: skip
        counted = np.zeros((2, 2), dtype=int)
        looks = 0
        for (one, other, wanted), rate_hz in pairs:
            started = time.perf_counter()
            best = find_joins({DI: one}, {DI: other}, wanted=wanted, first=0, last=len(one), rate_hz=rate_hz)[0]
            took.append(1000 * (time.perf_counter() - started))
            looks += bool(best.join.look)
            plain = Join(2 * round(0.005 * rate_hz))
            for row, (frame, join) in enumerate(((best.frame, best.join), (wanted, plain))):
                joined = played(one, other, frame, join)
                counted[row, 0] += clicks(joined, one, other, frame, join, rate_hz)
                counted[row, 1] += dips(joined, one, other, frame, join)
        print(
            f"{name}: of {len(pairs)} joins {counted[0, 0]} click and {counted[0, 1]} dip by over 1 dB"
            f" (a plain fade at the border: {counted[1, 0]} and {counted[1, 1]}); {looks} are said to be listened to"
        )
    print(f"finding one: {np.median(took):.1f} ms, {max(took):.0f} at most (wanted 20)")


if __name__ == "__main__":
    main()
