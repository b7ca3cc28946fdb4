"""A valve in its circuit, solved once: both currents over what the circuit would leave its open ports.

The axis of the grid is fine around zero volts, where a valve bends, and coarse far away; that of the plate is even.
Which resistances a port sees depends on knobs; tables are made for steps of them, a tenth apart, and kept. What is left
between a step and the true value is small, and `valve_chain` brings it in a sample late.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from fatsignal.core.amp.valve import Triode, grid_current_a, plate_current_a, solve_ports
from fatsignal.core.arrays import Real
from fatsignal.core.compiled import njit

# p/(|p|+8), up to ±500 V.
WARP_V, LIMIT_V, POINTS = 8.0, 500.0, 1024
TOP = LIMIT_V / (LIMIT_V + WARP_V)
SCALE = (POINTS - 1) / (2.0 * TOP)
_LAST_COLUMN = POINTS - 1.000001
_STEPS_A_DECADE = 24


@dataclass(frozen=True, slots=True)
class ValveTable:
    """Currents (grid, plate) over plate and grid, shape (rows, POINTS, 2), amperes."""

    currents_a: Real
    plate_low_v: float
    plate_step_v: float


def stepped_ohm(ohm: float) -> float:
    """The nearest resistance that tables are made for."""
    if ohm <= 0.0:
        return 0.0
    return float(10 ** (round(_STEPS_A_DECADE * math.log10(ohm)) / _STEPS_A_DECADE))


@lru_cache(maxsize=96)
def valve_table(
    valve: Triode, grid_ohm: float, cathode_ohm: float, plate_ohm: float, low_v: float, high_v: float, step_v: float
) -> ValveTable:
    """Solve a valve whose ports see the circuit through these resistances.

    Parameters
    ----------
    grid_ohm, plate_ohm : from each of them to the cathode, the cathode's own among them.
    cathode_ohm : what both currents flow through.
    low_v, high_v, step_v : the axis of the plate, volts over the cathode with no current drawn.
    """
    k = np.array([[grid_ohm, cathode_ohm], [cathode_ohm, plate_ohm]])
    rows = math.ceil((high_v - low_v) / step_v) + 1
    return ValveTable(np.asarray(_tabulate(k, valve.values(), low_v, step_v, rows)), low_v, step_v)


@njit(cache=True, nogil=True)
def _tabulate(k, valve, low_v, step_v, rows):
    table = np.empty((rows, POINTS, 2))
    for row in range(rows):
        p_plate = low_v + row * step_v
        grid_v, plate_v = -LIMIT_V, p_plate
        for column in range(POINTS):
            w = -TOP + 2.0 * TOP * column / (POINTS - 1)
            p_grid = WARP_V * w / (1.0 - abs(w))
            grid_v, plate_v = solve_ports(p_grid, p_plate, k, min(grid_v, p_grid), plate_v, valve)
            table[row, column, 0] = grid_current_a(grid_v, valve)[0]
            table[row, column, 1] = plate_current_a(grid_v, plate_v, valve)[0]
    return table


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def in_table(p_grid, row_at, last_row):
    """Places of open-port voltages in a table, kept inside it."""
    column_at = (p_grid / (abs(p_grid) + WARP_V) + TOP) * SCALE
    return min(max(column_at, 0.0), _LAST_COLUMN), min(max(row_at, 0.0), last_row)


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def read_with_slopes(tables, start, column_at, row_at):
    """Grid and plate current, bilinear, and how their sum rises by the column and by the row; `start` is the table's
    first place in the array.
    """
    column, row = np.int64(column_at), np.int64(row_at)
    along, across = column_at - np.float64(column), row_at - np.float64(row)
    # Unsigned: with signed places every reading would first ask whether to count from the end.
    low = np.uint64(np.int64(start) + row * (2 * POINTS) + 2 * column)
    high = low + np.uint64(2 * POINTS)
    one, two, three = np.uint64(1), np.uint64(2), np.uint64(3)
    grid_low_by, grid_high_by = tables[low + two] - tables[low], tables[high + two] - tables[high]
    plate_low_by, plate_high_by = tables[low + three] - tables[low + one], tables[high + three] - tables[high + one]
    grid_low, grid_high = tables[low] + along * grid_low_by, tables[high] + along * grid_high_by
    plate_low, plate_high = tables[low + one] + along * plate_low_by, tables[high + one] + along * plate_high_by
    low_by, high_by = grid_low_by + plate_low_by, grid_high_by + plate_high_by
    grid_a, plate_a = grid_low + across * (grid_high - grid_low), plate_low + across * (plate_high - plate_low)
    return grid_a, plate_a, low_by + across * (high_by - low_by), grid_high + plate_high - grid_low - plate_low


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def read_currents(tables, start, column_at, row_at):
    """Grid and plate current, as `read_with_slopes`."""
    grid_a, plate_a, _, _ = read_with_slopes(tables, start, column_at, row_at)
    return grid_a, plate_a
