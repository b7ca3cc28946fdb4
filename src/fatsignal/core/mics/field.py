"""What reaches a microphone straight from a loudspeaker or a guitar: each radiator's surface summed point by point.

The pressure is the Rayleigh integral over each disc, so that nearness, off-centre loss of highs, travel time and level
over distance all come out of one formula and need no rules of their own; so do the interference of several cones, and
the proximity of a gradient capsule to every point.

References
----------
.. [1] L. E. Kinsler et al., Fundamentals of Acoustics, 4th ed., ch. 7: radiation of a baffled piston.
"""

import math

import numpy as np
from scipy.interpolate import CubicSpline

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.compiled import njit
from fatsignal.core.mics.directivity import disc_directivity
from fatsignal.core.mics.microphone import MicKind
from fatsignal.core.mics.place import MicPlace
from fatsignal.core.mics.sounding import Radiator, Sounding
from fatsignal.core.units import speed_of_sound_m_s

# Rings and spokes of a disc, by how many of its radii it is away at most.
_POINTS = ((1.2, (22, 24)), (4.0, (12, 16)), (math.inf, (8, 12)))


def direct_sound(
    sounding: Sounding, kind: MicKind, place: MicPlace, frequency_hz: Real, *, point: str = "",
    pattern: float | None = None, temperature_c: float = 20.0,
) -> Complex:  # fmt: skip
    """Transfer from the drive to the pressure that the capsule makes of it, 1/m, without the capsule's own curve.

    Far away on the axis of a single cone it is its drive times ``exp(-jkr)/r``.

    Parameters
    ----------
    frequency_hz : array, shape (frequencies,)
        Any frequencies, rising; at 0 the transfer is 0.
    """
    at = sounding.point(point)
    capsule = place.position_m + np.array([at.x_m, at.y_m, 0.0])
    total = np.zeros(len(frequency_hz), dtype=np.complex128)
    drives: dict[object, Complex] = {}
    for radiator in sounding.radiators:
        drive = drives.setdefault(radiator.disc, radiator.disc.drive(frequency_hz))
        total += drive * _of_disc(
            radiator, capsule, place.looks, kind, kind.share(pattern), frequency_hz, speed_of_sound_m_s(temperature_c)
        )
    return total


def _of_disc(
    radiator: Radiator, capsule: Real, looks: Real, kind: MicKind, share: float, frequency_hz: Real, speed_m_s: float
) -> Complex:
    disc = radiator.disc
    middle = np.array([radiator.x_m, radiator.y_m, 0.0]) - capsule
    away_m = float(np.linalg.norm(middle))
    rings, spokes = next(points for radii, points in _POINTS if away_m <= radii * disc.radius_m)
    ring = (np.arange(rings) + 0.5) / rings * disc.radius_m
    around = (np.arange(spokes) + 0.5) / spokes * 2 * np.pi
    # Points of the disc from the capsule, shape (rings, spokes, 3); a cone's middle lies deeper than its edge.
    points = np.empty((rings, spokes, 3))
    points[..., 0] = middle[0] + ring[:, None] * np.cos(around)
    points[..., 1] = middle[1] + ring[:, None] * np.sin(around)
    points[..., 2] = middle[2] - disc.depth_m * (1 - ring[:, None] / disc.radius_m)
    distance = np.linalg.norm(points, axis=-1)
    cos_angle = points @ looks / distance
    smooth_hz = _smooth_grid(frequency_hz)
    k = 2 * np.pi * smooth_hz / speed_m_s
    reach = disc.radius_m / np.sqrt(1.0 + (smooth_hz / disc.decoupling_hz) ** 2)
    weight = ring * np.exp(-((ring / np.maximum(reach, 0.02)[:, None]) ** 4))
    weight /= weight.sum(axis=1, keepdims=True) * spokes
    # Without the travel time from the middle of the disc, what is left is smooth, and few frequencies tell it.
    middle_m = math.hypot(away_m, disc.depth_m / 2)
    pressure, near = np.empty(len(k), dtype=np.complex128), np.empty(len(k), dtype=np.complex128)
    _add_up(k, weight, distance, cos_angle, share, middle_m, pressure, near)
    cos_middle = float(middle @ looks) / away_m
    heard = disc_directivity(kind.diaphragm_m, frequency_hz, math.sqrt(max(0.0, 1 - cos_middle**2)))
    wavenumber = 2 * np.pi * np.maximum(frequency_hz, 1e-3) / speed_m_s
    if len(smooth_hz) < len(frequency_hz):
        pressure, near = (CubicSpline(smooth_hz, each)(frequency_hz) for each in (pressure, near))
    travel = np.exp(-1j * wavenumber * middle_m)
    return np.asarray(np.where(frequency_hz > 0, (pressure - 1j * near / wavenumber) * travel * heard, 0.0))


def _smooth_grid(frequency_hz: Real) -> Real:
    """Frequencies between which a transfer without its travel time is a cubic; those asked for where they are few."""
    low_hz = np.arange(0.0, 500.0, 25.0)
    high_hz = 500.0 * 2 ** np.arange(0.0, math.log2(max(frequency_hz[-1], 501.0) / 500.0) + 1 / 24, 1 / 24)
    grid = np.concatenate((low_hz, high_hz))
    return grid if len(grid) < len(frequency_hz) else frequency_hz


@njit(cache=True, nogil=True)
def _add_up(k, weight, distance, cos_angle, pressure_share, middle, pressure, near):
    """Σ w (a + (1−a)·cosθ) e^(−jk(r−middle))/r, and Σ w (1−a)·cosθ e^(−jk(r−middle))/r², which over jk is proximity.

    `weight` is that of a point, shape (frequencies, rings).
    """
    rings, spokes = distance.shape
    for line in range(len(k)):
        total, close = 0j, 0j
        for ring in range(rings):
            around, around_close = 0j, 0j
            for spoke in range(spokes):
                r = distance[ring, spoke]
                turn = k[line] * (r - middle)
                wave = complex(math.cos(turn), -math.sin(turn)) / r
                gradient = (1.0 - pressure_share) * cos_angle[ring, spoke]
                around += (pressure_share + gradient) * wave
                around_close += gradient / r * wave
            total += weight[line, ring] * around
            close += weight[line, ring] * around_close
        pressure[line] = total
        near[line] = close
