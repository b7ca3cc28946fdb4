"""The valve of a triode stage: its currents over its voltages, and the voltages a circuit leaves it.

References
----------
.. [1] N. L. Koren, "Improved vacuum tube models for SPICE simulations", Glass Audio 8(5), 1996.
.. [2] K. Dempwolf, U. Zölzer, "A physically-motivated triode model for circuit simulations", DAFx 2011
   (form of the grid current; its values here are from memory).
"""

import math

from fatsignal.core.compiled import njit

# Koren 1996, 12AX7 type.
MU, EX, KG1, KP, KVB = 100.0, 1.4, 1060.0, 600.0, 300.0
# Grid current after Dempwolf and Zölzer, 12AX7 type.
GRID_GAIN, GRID_SHARPNESS, GRID_EXPONENT = 6.177e-4, 9.901, 1.314


@njit(cache=True, nogil=True)
def plate_current_a(grid_v, plate_v):
    """Koren's plate current and its slopes by grid and by plate voltage, all against the cathode."""
    if plate_v <= 0.0:
        return 0.0, 0.0, 0.0
    root = math.sqrt(KVB + plate_v * plate_v)
    exponent = KP * (1.0 / MU + grid_v / root)
    if exponent > 40.0:
        soft, share = exponent, 1.0
    else:
        raised = math.exp(exponent)
        soft, share = math.log1p(raised), raised / (1.0 + raised)
    e1 = plate_v / KP * soft
    if e1 <= 1e-30:
        return 0.0, 0.0, 0.0
    current = 2.0 * e1**EX / KG1
    slope = EX * current / e1
    by_grid = slope * plate_v * share / root
    by_plate = slope * (soft / KP - plate_v * plate_v * share * grid_v / (root * root * root))
    return current, by_grid, by_plate


@njit(cache=True, nogil=True)
def grid_current_a(grid_v):
    """Grid current and its slope: next to nothing below zero volts, a soft diode above."""
    exponent = GRID_SHARPNESS * grid_v
    if exponent > 40.0:
        soft, share = exponent, 1.0
    else:
        raised = math.exp(exponent)
        soft, share = math.log1p(raised), raised / (1.0 + raised)
    base = soft / GRID_SHARPNESS
    if base <= 1e-30:
        return 0.0, 0.0
    current = GRID_GAIN * base**GRID_EXPONENT
    return current, GRID_EXPONENT * current / base * share


@njit(cache=True, nogil=True)
def solve_ports(p_grid, p_plate, k, grid_v, plate_v):
    """Newton for v = p - K i(v) over both ports, from a guess; returns (grid_v, plate_v)."""
    for _ in range(200):
        ip, ip_g, ip_p = plate_current_a(grid_v, plate_v)
        ig, ig_g = grid_current_a(grid_v)
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
