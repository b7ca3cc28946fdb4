"""What two microphones of different kinds do to one sound, found from what they recorded, so that it can be taken off.

A capsule whose highs fall off above what a guitar has is later by up to a sample, and nothing in the band shows where
it falls. So each of the two is taken for a microphone as they are built: a fall to the lows, a presence peak, a fall
to the highs, where microphones of its family have them, as far as the recording does not say otherwise (maximum a
posteriori). They are fitted to the ratio of the spectra *and* to the phases, together with the delay, once for each
pair of families, and each counts as far as it is likely. What they leave of the ratio, a reflection for instance, is
of minimum phase and taken off as such.

References
----------
.. [1] S. Van Huffel, J. Vandewalle, The Total Least Squares Problem (1991), ch. 8: noise alike in both is the smaller
   eigenvalue of their spectral matrix.
.. [2] A. Gelman et al., Bayesian Data Analysis, 3rd ed., ch. 4.1: the scatter of a fit with what was known before.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import least_squares

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.mics.microphone import capsule_curve
from fatsignal.core.stereo.cross_spectra import CrossSpectra
from fatsignal.core.timing.phase import minimum_phase

_PER_OCTAVE = 8
# Cells in which less is known than one phase to a radian say nothing.
_LEAST_INFORMATION = 0.5
_LEAST_COHERENCE = 0.1
_LEAST_BINS, _LEAST_CELLS = 16, 8
# Two capsules are different where that explains so much more (twice the logarithm of the likelihood).
_PLAINLY_BETTER = 20.0
# Nothing that is built follows three curves of second order more closely, in nepers and in radians.
_CLOSELY = 0.03
# How families of microphones are built: where the lows fall off (Hz), the presence (Hz, dB), where the highs fall off
# (Hz), and how single ones scatter around it (a share; of the presence, dB). Common practice, no source.
_FAMILIES = ((70.0, 5_000.0, 4.5, 15_000.0), (35.0, 4_000.0, 0.5, 10_000.0), (22.0, 9_000.0, 2.5, 18_000.0))
_SCATTERS = (0.7, 0.4, 1.5, 0.2)
_PAIRS = [(one, other) for one in _FAMILIES for other in _FAMILIES]
# Delay in frames and gain in nepers: as good as unknown.
_SCATTER = np.array([10.0, 5.0, *_SCATTERS, *_SCATTERS])
_MIC = len(_SCATTERS)
_STEP = 1e-4
# A step that promises fewer squares than that changes no likelihood worth telling.
_NEAR, _TURNS = 0.1, 10


@dataclass(frozen=True, slots=True)
class CapsulesApart:
    """Phase of the second against the first without the delay, shape (frequencies,), and how well that is known.

    `delay_samples` is the delay that was found with it; `uncertainty_samples` how far it may be off [2].
    """

    phase: Real
    delay_samples: float
    uncertainty_samples: float


@dataclass(frozen=True, slots=True)
class _Cells:
    """Second to first in eighths of an octave: natural logarithm, phase in radians, and the scatter of both."""

    frequency_hz: Real
    log_ratio: Real
    phase: Real
    scatter: Real


def capsules_apart(
    spectra: CrossSpectra, weight: Real, *, delay_samples: float, polarity: int, rate_hz: int
) -> CapsulesApart | None:
    """Fit two microphones to what was recorded; None where the two sound alike, or too little is known.

    Parameters
    ----------
    weight : array, shape (frequencies,)
        C/(1−C) of each frequency that counts.
    delay_samples, polarity
        Where the phases lie on a line as they are: the fit looks within some samples of it.
    """
    cells = _cells(spectra, weight, delay_samples, polarity, rate_hz)
    if cells is None:
        return None
    middle = float(np.average(cells.log_ratio, weights=cells.scatter**-2.0))
    alike = _alike(cells, middle, rate_hz)
    if alike < _PLAINLY_BETTER:
        return None
    usual = np.array([[0.0, middle, *_built(one), *_built(other)] for one, other in _PAIRS])
    first = _fits(cells, usual[:1], usual[:1], rate_hz)
    # Reflections, and what is built otherwise, leave more than the noise does: then the recording tells less.
    more = max(1.0, float(np.mean(_apart(cells, first.values, rate_hz) ** 2)))
    cells = replace(cells, scatter=cells.scatter * math.sqrt(more))
    fits = _fits(cells, usual, np.tile(first.values, (len(usual), 1)), rate_hz)
    if alike - more * fits.squares.min() < _PLAINLY_BETTER:
        return None
    # How likely each pair of families is: how well it fits, times how much of what it allows does so [2].
    scatters = np.linalg.inv(fits.curvature)
    likely = (np.linalg.slogdet(scatters)[1] - fits.squares) / 2
    share = np.exp(likely - likely.max())
    share /= share.sum()
    found = share @ fits.values
    delays, variances = fits.values[:, 0], scatters[:, 0, 0]
    level = cells.log_ratio - found[1] - np.log(np.abs(_ratio(found, cells.frequency_hz)))
    hz = np.maximum(spectra.frequency_hz, spectra.frequency_hz[1])
    phase = np.angle(_ratio(found, hz)) + minimum_phase(np.interp(np.log2(hz), np.log2(cells.frequency_hz), level))
    open_samples = math.sqrt(float(share @ (variances + (delays - found[0]) ** 2)))
    return CapsulesApart(phase, delay_samples + float(found[0]), open_samples)


def _built(family: tuple[float, float, float, float]) -> tuple[float, ...]:
    low_hz, presence_hz, presence_db, high_hz = family
    return math.log(low_hz), math.log(presence_hz), presence_db, math.log(high_hz)


@dataclass(frozen=True, slots=True)
class _Fits:
    """The most likely values of each pair of families, shape (pairs, 10): delay in frames, gain in nepers, both mics.

    `squares` are what is left, each in its scatter, shape (pairs,); `curvature` is half of how they grow around
    there, shape (pairs, 10, 10).
    """

    values: Real
    squares: Real
    curvature: Real


def _fits(cells: _Cells, usual: Real, start: Real, rate_hz: int) -> _Fits:
    """Levenberg's and Marquardt's way down, all pairs side by side."""
    values, damping = start, np.full(len(start), 1e-3)
    off = _off(cells, values, usual, rate_hz)
    squares = np.sum(off**2, axis=1)
    for _ in range(_TURNS):
        slopes = _slopes(cells, values, rate_hz)
        curvature = slopes.transpose(0, 2, 1) @ slopes
        down = -(slopes.transpose(0, 2, 1) @ off[..., None])
        damped = curvature + damping[:, None, None] * np.eye(values.shape[1]) * curvature
        step = np.linalg.solve(damped, down)
        tried = values + step[..., 0]
        off_there = _off(cells, tried, usual, rate_hz)
        squares_there = np.sum(off_there**2, axis=1)
        better = squares_there < squares
        values = np.where(better[:, None], tried, values)
        off = np.where(better[:, None], off_there, off)
        squares = np.where(better, squares_there, squares)
        damping = np.clip(np.where(better, damping / 10, damping * 10), 1e-9, 1e9)
        if np.sum(down * step, axis=1).max() < _NEAR:
            break
    slopes = _slopes(cells, values, rate_hz)
    return _Fits(values, squares, slopes.transpose(0, 2, 1) @ slopes)


def _off(cells: _Cells, values: Real, usual: Real, rate_hz: int) -> Real:
    """What is left of the recording and of what is usual, each in its scatter; shape (pairs, 2 * cells + 10)."""
    return np.concatenate((_apart(cells, values, rate_hz), (values - usual) / _SCATTER), axis=1)


def _slopes(cells: _Cells, values: Real, rate_hz: int) -> Real:
    """How `_off` changes with each value, shape (pairs, 2 * cells + 10, 10)."""
    pairs, count = len(values), len(cells.frequency_hz)
    told = np.zeros((pairs, 2 * count, values.shape[1]))
    told[:, count:, 0] = 2 * np.pi / rate_hz * cells.frequency_hz
    told[:, :count, 1] = -1.0
    steps = _STEP * np.concatenate((np.eye(_MIC), -np.eye(_MIC)))
    for sign, first in ((1, 2), (-1, 2 + _MIC)):
        moved = _mic((values[:, None, first : first + _MIC] + steps)[..., None], cells.frequency_hz)
        slope = sign * np.log(moved[:, :_MIC] / moved[:, _MIC:]) / (2 * _STEP)
        told[:, :count, first : first + _MIC] = slope.real.transpose(0, 2, 1)
        told[:, count:, first : first + _MIC] = slope.imag.transpose(0, 2, 1)
    told /= np.tile(cells.scatter, 2)[:, None]
    return np.concatenate((told, np.broadcast_to(np.diag(1 / _SCATTER), (pairs, *2 * (values.shape[1],)))), axis=1)


def _alike(cells: _Cells, middle: float, rate_hz: int) -> float:
    """Squares of what is left where both capsules are one, at the best delay and gain."""
    one = _built(_FAMILIES[0])

    def off(values: Real) -> Real:
        return _apart(cells, np.array([*values, *one, *one]), rate_hz)

    return 2 * float(least_squares(off, np.array([0.0, middle]), method="lm").cost)


def _apart(cells: _Cells, values: Real, rate_hz: int) -> Real:
    """What is left of ratio and phase, in its own scatter, shape (..., 2 * cells) for values of shape (..., 10)."""
    ratio = _ratio(values, cells.frequency_hz)
    level = cells.log_ratio - values[..., 1, None] - np.log(np.abs(ratio))
    turns = cells.phase + 2 * np.pi / rate_hz * cells.frequency_hz * values[..., 0, None]
    return np.concatenate((level, np.angle(np.exp(1j * turns) / ratio)), axis=-1) / np.tile(cells.scatter, 2)


def _ratio(values: Real, frequency_hz: Real) -> Complex:
    """The second microphone against the first, shape (..., frequencies) for values of shape (..., 10)."""
    return np.asarray(
        _mic(values[..., 2 + _MIC :, None], frequency_hz) / _mic(values[..., 2 : 2 + _MIC, None], frequency_hz)
    )


def _mic(values: Real, frequency_hz: Real) -> Complex:
    low_hz, presence_hz, high_hz = (np.exp(values[..., at, :]) for at in (0, 1, 3))
    return capsule_curve(frequency_hz, low_hz, presence_hz, values[..., 2, :], high_hz)


def _cells(spectra: CrossSpectra, weight: Real, delay_samples: float, polarity: int, rate_hz: int) -> _Cells | None:
    inside = (weight > 0) & (spectra.coherence > _LEAST_COHERENCE)
    if inside.sum() < _LEAST_BINS:
        return None
    octaves = np.log2(np.maximum(spectra.frequency_hz, spectra.frequency_hz[1]))
    among = octaves[inside]
    grid = np.arange(among[0], among[int(0.99 * (len(among) - 1))], 1 / _PER_OCTAVE)
    omega = 2 * np.pi * spectra.frequency_hz / rate_hz
    turned = polarity * np.exp(1j * (np.angle(spectra.cross) + omega * delay_samples))
    cell = np.round((octaves - among[0]) * _PER_OCTAVE).astype(int)
    counts = (cell >= 0) & (cell < len(grid))
    phases, sums = np.zeros(len(grid), dtype=np.complex128), np.zeros(len(grid))
    np.add.at(phases, cell[counts], (weight * turned)[counts])
    np.add.at(sums, cell[counts], weight[counts])
    information = 2 * spectra.independent * sums
    known = information > _LEAST_INFORMATION
    if known.sum() < _LEAST_CELLS:
        return None
    log_ratio = _log_ratio(spectra, octaves, grid)[known]
    information = information[known]
    scatter = np.sqrt(1 / information + _CLOSELY**2)
    return _Cells(2 ** grid[known], log_ratio, np.angle(phases[known]), scatter)


def _log_ratio(spectra: CrossSpectra, octaves: Real, grid: Real) -> Real:
    """Of the two spectra without the noise that is alike in both when they are equally loud [1], shape of the grid."""
    loud = float(spectra.first.sum()), float(spectra.second.sum())
    first = _smoothed(spectra.first / loud[0], octaves, grid)
    second = _smoothed(spectra.second / loud[1], octaves, grid)
    shared = _smoothed(np.abs(spectra.cross) / math.sqrt(loud[0] * loud[1]), octaves, grid)
    noise = (first + second - np.sqrt((first - second) ** 2 + 4 * shared**2)) / 2
    noise = np.clip(noise, 0.0, 0.95 * np.minimum(first, second))
    return np.asarray(0.5 * np.log((second - noise) / (first - noise)))


def _smoothed(values: Real, octaves: Real, grid: Real) -> Real:
    """Means over a sixth of an octave around each place of the grid, two bins at least."""
    running = np.concatenate(([0.0], np.cumsum(values)))
    low = np.searchsorted(octaves, grid - 1 / 12)
    high = np.minimum(np.maximum(np.searchsorted(octaves, grid + 1 / 12), low + 2), len(octaves))
    low = np.minimum(low, high - 2)
    return np.asarray(np.maximum((running[high] - running[low]) / (high - low), 1e-30))
