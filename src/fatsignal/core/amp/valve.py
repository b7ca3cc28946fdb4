"""Triodes: their currents over their voltages, and the voltages that a circuit leaves them.

References
----------
.. [1] N. L. Koren, "Improved vacuum tube models for SPICE simulations", Glass Audio 8(5), 1996.
.. [2] K. Dempwolf, U. Zölzer, "A physically-motivated triode model for circuit simulations", DAFx 2011
   (form of the grid current; its values here are from memory).
"""

import math
from dataclasses import astuple, dataclass

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.compiled import njit


@dataclass(frozen=True, slots=True)
class Triode:
    """Koren's five numbers of a triode, and three of its grid; volts and amperes."""

    mu: float
    exponent: float
    kg1: float
    kp: float
    kvb: float
    grid_gain: float = 6.177e-4
    grid_sharpness: float = 9.901
    grid_exponent: float = 1.314

    def values(self) -> Real:
        """As the loops read them."""
        return np.array(astuple(self), dtype=np.float64)


# High amplification, as first stages have it: Koren 1996, 12AX7 type; grid after Dempwolf and Zölzer.
HIGH_MU = Triode(100.0, 1.4, 1060.0, 600.0, 300.0)


@njit(cache=True, nogil=True)
def plate_current_a(grid_v, plate_v, valve):
    """Koren's plate current and its slopes by grid and by plate voltage, all against the cathode."""
    if plate_v <= 0.0:
        return 0.0, 0.0, 0.0
    mu, ex, kg1, kp, kvb = valve[0], valve[1], valve[2], valve[3], valve[4]
    root = math.sqrt(kvb + plate_v * plate_v)
    exponent = kp * (1.0 / mu + grid_v / root)
    if exponent > 40.0:
        soft, share = exponent, 1.0
    else:
        raised = math.exp(exponent)
        soft, share = math.log1p(raised), raised / (1.0 + raised)
    e1 = plate_v / kp * soft
    if e1 <= 1e-30:
        return 0.0, 0.0, 0.0
    current = 2.0 * e1**ex / kg1
    slope = ex * current / e1
    by_grid = slope * plate_v * share / root
    by_plate = slope * (soft / kp - plate_v * plate_v * share * grid_v / (root * root * root))
    return current, by_grid, by_plate


@njit(cache=True, nogil=True)
def grid_current_a(grid_v, valve):
    """Grid current and its slope: next to nothing below zero volts, a soft diode above."""
    gain, sharpness, power = valve[5], valve[6], valve[7]
    exponent = sharpness * grid_v
    if exponent > 40.0:
        soft, share = exponent, 1.0
    else:
        raised = math.exp(exponent)
        soft, share = math.log1p(raised), raised / (1.0 + raised)
    base = soft / sharpness
    if base <= 1e-30:
        return 0.0, 0.0
    current = gain * base**power
    return current, power * current / base * share


@njit(cache=True, nogil=True)
def solve_ports(p_grid, p_plate, k, grid_v, plate_v, valve):
    """Newton for v = p - K i(v) over both ports, from a guess; returns (grid_v, plate_v)."""
    for _ in range(200):
        ip, ip_g, ip_p = plate_current_a(grid_v, plate_v, valve)
        ig, ig_g = grid_current_a(grid_v, valve)
        r0 = grid_v - p_grid + k[0, 0] * ig + k[0, 1] * ip
        r1 = plate_v - p_plate + k[1, 0] * ig + k[1, 1] * ip
        j00 = 1.0 + k[0, 0] * ig_g + k[0, 1] * ip_g
        j01 = k[0, 1] * ip_p
        j10 = k[1, 0] * ig_g + k[1, 1] * ip_g
        j11 = 1.0 + k[1, 1] * ip_p
        det = j00 * j11 - j01 * j10
        step_g = (r0 * j11 - r1 * j01) / det
        step_p = (r1 * j00 - r0 * j10) / det
        # Steps are bounded: far from the answer the exponentials would throw Newton about.
        largest = max(abs(step_g) / 5.0, abs(step_p) / 50.0, 1.0)
        grid_v -= step_g / largest
        plate_v -= step_p / largest
        if abs(step_g) + abs(step_p) < 1e-11:
            break
    return grid_v, plate_v
