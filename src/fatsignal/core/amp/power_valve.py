"""Valves of power stages: what depends on one voltage only, solved once into tables that are read at every sample.

References
----------
.. [1] N. L. Koren, "Improved vacuum tube models for SPICE simulations", Glass Audio 8(5), 1996 (form of the pentode;
   the values of the types are from memory).
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit


@dataclass(frozen=True, slots=True)
class PowerValve:
    """Koren's five numbers of a pentode or beam valve."""

    mu: float
    exponent: float
    kg1: float
    kp: float
    kvb: float


# An EL34 type, and a 6L6 type: the one breaks up early in its middle, the other stands straight for longer.
PENTODE = PowerValve(11.0, 1.35, 650.0, 60.0, 24.0)
BEAM = PowerValve(8.7, 1.35, 1460.0, 48.0, 12.0)

# A conducting power grid: about 1 kΩ, with a knee of a volt (common practice, no source).
GRID_OHM, GRID_KNEE_V = 1_000.0, 1.2
# Axes: open-circuit grid voltage, grid over screen voltage, screen voltage, plate voltage in knees.
_OPEN_LOW_V, _OPEN_HIGH_V, _OPEN_POINTS = -700.0, 500.0, 24_001
_RATIO_LOW, _RATIO_HIGH, _RATIO_POINTS = -0.6, 0.2, 8_001
_SCREEN_POINTS = 1_024
_KNEE_LIMIT, _KNEE_POINTS = 60.0, 24_001
_ONE = np.uint64(1)


@dataclass(frozen=True, slots=True)
class PowerTables:
    """A valve behind a resistance at its grid.

    `grid_v` over the open-circuit voltage; `drive`, the plate's current but for knee and screen, over grid/screen;
    `screen`, volts^exponent over volts; `knee`, the arc tangent over plate volts in knees.
    """

    grid_v: Samples
    drive: Samples
    screen: Samples
    knee: Samples


@lru_cache(maxsize=32)
def power_tables(valve: PowerValve, grid_ohm: float) -> PowerTables:
    """Solve a valve's grid behind `grid_ohm`."""
    open_v = np.linspace(_OPEN_LOW_V, _OPEN_HIGH_V, _OPEN_POINTS)
    ratio = np.linspace(_RATIO_LOW, _RATIO_HIGH, _RATIO_POINTS)
    soft = np.logaddexp(0.0, valve.kp * (1.0 / valve.mu + ratio))
    knee = np.linspace(-_KNEE_LIMIT, _KNEE_LIMIT, _KNEE_POINTS)
    return PowerTables(
        grid_v=np.asarray(_solve_grid(open_v, grid_ohm)),
        drive=np.asarray(2.0 * (soft / valve.kp) ** valve.exponent / valve.kg1, dtype=np.float64),
        screen=np.asarray(np.arange(_SCREEN_POINTS, dtype=np.float64) ** valve.exponent),
        knee=np.asarray(np.arctan(knee), dtype=np.float64),
    )


@njit(cache=True, nogil=True)
def _grid_conduction(grid_v):
    """Current of a grid above its cathode and its slope: a knee, then a straight line."""
    ratio = grid_v / GRID_KNEE_V
    if ratio < -40.0:
        return 0.0, 0.0
    if ratio > 40.0:
        return grid_v / GRID_OHM, 1.0 / GRID_OHM
    raised = math.exp(ratio)
    return GRID_KNEE_V * math.log1p(raised) / GRID_OHM, raised / (1.0 + raised) / GRID_OHM


@njit(cache=True, nogil=True)
def _solve_grid(open_v, grid_ohm):
    """vg + R ig(vg) = p by Newton, for every open-circuit voltage p."""
    out = np.empty_like(open_v)
    for n in range(open_v.size):
        grid_v = min(open_v[n], 0.0)
        for _ in range(100):
            current, slope = _grid_conduction(grid_v)
            step = (grid_v + grid_ohm * current - open_v[n]) / (1.0 + grid_ohm * slope)
            grid_v -= min(max(step, -5.0), 5.0)
            if abs(step) < 1e-12:
                break
        out[n] = grid_v
    return out


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def _between(table, at, last):
    """What a table holds at a place, kept inside it; the place's whole part is unsigned (see `valve_table`)."""
    at = min(max(at, 0.0), last)
    whole = np.int64(at)
    low = np.uint64(whole)
    return table[low] + (at - np.float64(whole)) * (table[low + _ONE] - table[low])


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def grid_of(grid_table, open_v):
    """Grid voltage against the cathode where nothing drawn would leave `open_v`."""
    scale = (_OPEN_POINTS - 1) / (_OPEN_HIGH_V - _OPEN_LOW_V)
    return _between(grid_table, (open_v - _OPEN_LOW_V) * scale, _OPEN_POINTS - 1.000001)


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def drive_of(drive_table, ratio):
    """What the plate would draw but for knee and screen, by grid over screen voltage."""
    scale = (_RATIO_POINTS - 1) / (_RATIO_HIGH - _RATIO_LOW)
    return _between(drive_table, (ratio - _RATIO_LOW) * scale, _RATIO_POINTS - 1.000001)


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def screen_of(screen_table, screen_v):
    """The screen's share of the current."""
    return _between(screen_table, screen_v, _SCREEN_POINTS - 1.000001)


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def knee_of(knee_table, plate_v, per_kvb):
    """The plate's share of the current, and how it rises by the volt; `per_kvb` is one over the valve's knee, 1/V."""
    scale = (_KNEE_POINTS - 1) / (2.0 * _KNEE_LIMIT)
    at = min(max((plate_v * per_kvb + _KNEE_LIMIT) * scale, 0.0), _KNEE_POINTS - 1.000001)
    whole = np.int64(at)
    low = np.uint64(whole)
    rise = knee_table[low + _ONE] - knee_table[low]
    return knee_table[low] + (at - np.float64(whole)) * rise, rise * (scale * per_kvb)
