"""What a trial clip of a placement sounds like: each microphone, each pair, all of them as they are heard."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.level.third_octaves import (
    beside_each_other,
    named_levels_db,
    power_spectrum,
    third_octaves,
    tilt_db_per_octave,
)
from fatsignal.core.level.true_peak import true_peak_dbtp
from fatsignal.core.stereo.in_time import AllInTime, all_in_time
from fatsignal.core.stereo.pair import Pair, measure_pair
from fatsignal.core.stereo.report import StereoReport, mid_side, report_stereo

# Of what comes before it is played the quietest moment of this length is the noise.
_MOMENT_S = 0.25
_POINTS = 700


@dataclass(frozen=True, slots=True)
class Spectrum:
    """Levels by thirds of an octave and by named bands, in dB, and the tilt in dB an octave."""

    thirds_db: list[float]
    named_db: dict[str, float]
    tilt_db_per_octave: float


@dataclass(frozen=True, slots=True)
class MicMeasured:
    """One microphone; `above_noise_db` is how far it is above what it hears while nobody plays, None where unknown."""

    name: str
    level_dbfs: float | None
    above_noise_db: float | None
    spectrum: Spectrum | None
    # Its thirds of an octave against what all microphones hear on average.
    beside_db: list[float] | None = None


@dataclass(frozen=True, slots=True)
class TrialReport:
    """`points` are side and mid of some moments, −1 to 1 of the largest, as a goniometer shows them.

    `stereo` is None where left and right are one, or both are silent.
    """

    loudness_lufs: float | None
    peak_dbtp: float | None
    heard: Spectrum | None
    mics: list[MicMeasured]
    pairs: list[Pair]
    # Of three microphones and more.
    in_time: AllInTime | None
    stereo: StereoReport | None
    points: list[tuple[float, float]]
    says: list[str]


def report_trial(
    mics: Mapping[str, Samples], left: Samples, right: Samples, *, rate_hz: int,
    before: Mapping[str, Samples] | None = None,
) -> TrialReport:  # fmt: skip
    """Measure a clip.

    Parameters
    ----------
    mics : arrays by name, shape (frames,) each
        As they were recorded; the first is what the others are held against.
    left, right : arrays, shape (frames,)
        All of them together, as they are heard.
    before : arrays by name, shape (frames,) each, optional
        What was recorded before anything was played, as in a count-in.
    """
    measured = [_mic(name, samples, (before or {}).get(name), rate_hz) for name, samples in mics.items()]
    measured = _beside_each_other(measured)
    sounding = [mic.name for mic in measured if mic.level_dbfs is not None]
    says = [f"{mic.name} is silent: is its cable in, its input the right one?" for mic in measured if not mic.spectrum]
    enough = len(left) >= rate_hz // 10
    if not enough:
        says.append(f"{len(left) / rate_hz:.2f} s are too short to compare: record it again")
    pairs = [
        measure_pair(mics[sounding[0]], mics[other], names=(sounding[0], other), rate_hz=rate_hz)
        for other in sounding[1:]
        if enough
    ]
    says += _of_pairs(mics, pairs)
    heard = Clip(np.column_stack((left, right)), rate_hz)
    silent = not heard.samples.any()
    apart = not np.array_equal(left, right)
    ears = (left, right) if apart else (left,)
    lufs = -math.inf if silent else integrated_loudness_lufs(heard)
    return TrialReport(
        loudness_lufs=lufs if math.isfinite(lufs) else None,
        peak_dbtp=None if silent else max(true_peak_dbtp(each, rate_hz=rate_hz) for each in ears),
        heard=None if silent else _spectrum(np.column_stack(ears), rate_hz),
        mics=measured, pairs=pairs,
        in_time=all_in_time({name: mics[name] for name in sounding}, pairs, rate_hz=rate_hz),
        stereo=report_stereo(left, right, rate_hz=rate_hz) if apart and not silent else None,
        points=_points(left, right) if apart and not silent else [],
        says=says,
    )  # fmt: skip


def _mic(name: str, samples: Samples, before: Samples | None, rate_hz: int) -> MicMeasured:
    power = float(np.mean(np.square(samples))) if len(samples) else 0.0
    if power == 0.0:
        return MicMeasured(name, None, None, None)
    noise = _quietest(before, rate_hz) if before is not None else 0.0
    above_db = 10 * math.log10(power / noise) if noise > 0 else None
    return MicMeasured(name, 10 * math.log10(power), above_db, _spectrum(samples[:, None], rate_hz))


def _beside_each_other(mics: list[MicMeasured]) -> list[MicMeasured]:
    spectra = [mic.spectrum.thirds_db for mic in mics if mic.spectrum is not None]
    if not spectra:
        return mics
    beside = iter(beside_each_other(np.array(spectra)))
    return [
        replace(mic, beside_db=[float(db) for db in next(beside)]) if mic.spectrum is not None else mic for mic in mics
    ]


def _quietest(before: Samples, rate_hz: int) -> float:
    """Mean square of the quietest moment; 0 where there is none of its length."""
    frames = round(_MOMENT_S * rate_hz)
    whole = before[: len(before) // frames * frames].reshape(-1, frames)
    return float(np.mean(np.square(whole), axis=1).min()) if len(whole) else 0.0


def _spectrum(samples: Samples, rate_hz: int) -> Spectrum:
    found = power_spectrum([samples], rate_hz=rate_hz)
    bands = third_octaves(found)
    return Spectrum([band.level_db for band in bands], named_levels_db(found), tilt_db_per_octave(bands))


def _of_pairs(mics: Mapping[str, Samples], pairs: Sequence[Pair]) -> list[str]:
    said = []
    for pair in pairs:
        if np.array_equal(mics[pair.first], mics[pair.second]):
            said.append(f"{pair.first} and {pair.second} are identical: do both inputs get one cable?")
    return said


def _points(left: Samples, right: Samples) -> list[tuple[float, float]]:
    """Moments all through it, as side (to the right) and mid, each of the largest."""
    middle, side = mid_side(left, right)
    at = np.linspace(0, len(left) - 1, min(_POINTS, len(left))).astype(int)
    largest = float(max(np.abs(middle[at]).max(), np.abs(side[at]).max(), 1e-12))
    return [
        (round(float(-s / largest), 3), round(float(m / largest), 3)) for m, s in zip(middle[at], side[at], strict=True)
    ]
