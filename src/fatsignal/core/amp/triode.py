"""A common-cathode triode stage: the circuit solved once into a table, then read sample by sample.

The stage is cut at the plate of the valve before it: the source is that plate's unloaded voltage behind
its output resistance, so that grid current loads it. Coupling and cathode capacitors are
states, so the bias moves with the playing, as it does in the circuit.

References
----------
.. [1] N. L. Koren, "Improved vacuum tube models for SPICE simulations", Glass Audio 8(5), 1996.
.. [2] K. Dempwolf, U. Zölzer, "A physically-motivated triode model for circuit simulations", DAFx 2011
   (form of the grid current; its values here are from memory).
"""

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from fatsignal.core.amp.circuit import Circuit, StateSpace
from fatsignal.core.clip import Samples

# Koren 1996, 12AX7 type.
MU, EX, KG1, KP, KVB = 100.0, 1.4, 1060.0, 600.0, 300.0
# Grid current after Dempwolf and Zölzer, 12AX7 type.
GRID_GAIN, GRID_SHARPNESS, GRID_EXPONENT = 6.177e-4, 9.901, 1.314

# Grid axis: p/(|p|+8) is fine near zero volts, where the valve bends, and coarse at ±500 V.
_GRID_WARP_V, _GRID_LIMIT_V, _GRID_POINTS = 8.0, 500.0, 2048
# Longer than any coupling or cathode capacitor takes to settle.
_SETTLE_S = 2.0
_PLATE_BELOW_V, _PLATE_ABOVE_V, _PLATE_POINTS = 70.0, 30.0, 9


@dataclass(frozen=True, slots=True)
class TriodeStage:
    """Component values of one stage; resistances in ohm, capacitances in farad, volts.

    `source_ohm` is what drives the stage: 38 kΩ for the plate of an equal stage with 100 kΩ load.
    `miller_farad` is the grid's capacitance to ground with the gain's multiple of grid to plate in it.
    """

    source_ohm: float = 38e3
    coupling_farad: float = 22e-9
    leak_ohm: float = 1e6
    stopper_ohm: float = 34e3
    miller_farad: float = 150e-12
    plate_ohm: float = 100e3
    cathode_ohm: float = 1500.0
    cathode_farad: float | None = 22e-6
    supply_v: float = 300.0

    def circuit(self) -> Circuit:
        """The stage as a netlist: inputs (source, supply), ports (grid, plate), output the plate."""
        net = Circuit()
        net.source("in")
        net.source("supply")
        net.resistor("in", "source", self.source_ohm)
        net.capacitor("source", "leak", self.coupling_farad)
        net.resistor("leak", "0", self.leak_ohm)
        net.resistor("leak", "grid", self.stopper_ohm)
        net.capacitor("grid", "0", self.miller_farad, stiff=True)
        net.resistor("supply", "plate", self.plate_ohm)
        net.resistor("cathode", "0", self.cathode_ohm)
        # An unbypassed cathode keeps the state's shape with a capacitor far below audibility.
        net.capacitor("cathode", "0", self.cathode_farad or 1e-12)
        net.port("grid", "cathode")
        net.port("plate", "cathode")
        return net


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


@njit(cache=True, nogil=True)
def _tabulate(k, grid_points, limit_v, warp_v, plate_low_v, plate_step_v, plate_points):
    """Currents over the grid of both open-port voltages, shape (plate, grid, 2)."""
    table = np.empty((plate_points, grid_points, 2))
    top = limit_v / (limit_v + warp_v)
    for row in range(plate_points):
        p_plate = plate_low_v + row * plate_step_v
        grid_v, plate_v = -limit_v, p_plate
        for column in range(grid_points):
            w = -top + 2.0 * top * column / (grid_points - 1)
            p_grid = warp_v * w / (1.0 - abs(w))
            grid_v, plate_v = solve_ports(p_grid, p_plate, k, min(grid_v, p_grid), plate_v)
            table[row, column, 0] = grid_current_a(grid_v)[0]
            table[row, column, 1] = plate_current_a(grid_v, plate_v)[0]
    return table


@dataclass(frozen=True, slots=True)
class SolvedStage:
    """A stage at one rate, ready to run: matrices, table and the state at rest."""

    space: StateSpace
    table: NDArray[np.float64]
    plate_low_v: float
    plate_step_v: float
    supply_v: float
    rest_state: Samples
    rest_plate_v: float


@lru_cache(maxsize=64)
def solve_stage(stage: TriodeStage, rate_hz: float) -> SolvedStage:
    """Discretise `stage` at `rate_hz`, tabulate its valve and find the state at rest."""
    space = stage.circuit().discretise(rate_hz=rate_hz, outputs=["plate"])
    low = stage.supply_v - _PLATE_BELOW_V
    step = (_PLATE_BELOW_V + _PLATE_ABOVE_V) / (_PLATE_POINTS - 1)
    table = _tabulate(space.k, _GRID_POINTS, _GRID_LIMIT_V, _GRID_WARP_V, low, step, _PLATE_POINTS)
    rest, plate_v = _at_rest(stage, space)
    exact = SolvedStage(space, table, low, step, stage.supply_v, rest, plate_v)
    # The table's own rest lies some millivolts beside the valve's; letting it settle there keeps starts silent.
    settled_v = _run_table(np.zeros(round(_SETTLE_S * rate_hz)), rest, exact)[-1]
    return replace(exact, rest_plate_v=plate_v + float(settled_v))


def _at_rest(stage: TriodeStage, space: StateSpace) -> tuple[Samples, float]:
    """Direct-current working point: the cathode voltage at which the valve feeds its own bias."""
    low, high = 0.0, 50.0
    for _ in range(100):
        cathode_v = 0.5 * (low + high)
        # The grid sits at ground through the leak; its current at rest is below a nanoampere.
        k = np.array([[0.0, 0.0], [0.0, stage.plate_ohm]])
        grid_v, plate_v = solve_ports(-cathode_v, stage.supply_v - cathode_v, k, -cathode_v, 150.0)
        current = plate_current_a(grid_v, plate_v)[0]
        if current * stage.cathode_ohm > cathode_v:
            low = cathode_v
        else:
            high = cathode_v
    supply = np.array([0.0, stage.supply_v])
    drawn = np.array([grid_current_a(grid_v)[0], current])
    state = np.linalg.solve(np.eye(3) - space.a, space.b @ supply + space.c @ drawn)
    plate = float((space.d @ state + space.e @ supply + space.f @ drawn)[0])
    return state, plate


class TriodeRunner:
    """One running stage: volts at its source in, volts at its plate out, both about their rest."""

    def __init__(self, stage: TriodeStage, rate_hz: float) -> None:
        self._solved = solve_stage(stage, rate_hz)
        self._state = self._solved.rest_state.copy()

    def process(self, signal: Samples) -> Samples:
        """Run `signal`, volts, shape (frames,), through the stage; state goes on to the next call."""
        return _run_table(signal, self._state, self._solved)


def _run_table(signal: Samples, state: Samples, solved: SolvedStage) -> Samples:
    """Run a solved stage; `state` is changed in place."""
    m, s = solved.space, solved
    return np.asarray(
        _run_triode(
            signal, state, m.a, m.b, m.c, m.d, m.e, m.f, m.g, m.h,
            s.table, s.plate_low_v, s.plate_step_v, s.supply_v, s.rest_plate_v,
        )
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _run_triode(signal, state, a, b, c, d, e, f, g, h, table, plate_low_v, plate_step_v, supply_v, rest_plate_v):
    """The module's three equations, i read bilinearly from `table` at p = G x + H u."""
    out = np.empty_like(signal)
    rows, columns, _ = table.shape
    top = _GRID_LIMIT_V / (_GRID_LIMIT_V + _GRID_WARP_V)
    scale = (columns - 1) / (2.0 * top)
    x0, x1, x2 = state[0], state[1], state[2]
    # What the supply adds is constant.
    bg, bp, by = h[0, 1] * supply_v, h[1, 1] * supply_v, e[0, 1] * supply_v - rest_plate_v
    b0, b1, b2 = b[0, 1] * supply_v, b[1, 1] * supply_v, b[2, 1] * supply_v
    g00, g01, g02, h0 = g[0, 0], g[0, 1], g[0, 2], h[0, 0]
    g10, g11, g12, h1 = g[1, 0], g[1, 1], g[1, 2], h[1, 0]
    per_step = 1.0 / plate_step_v
    for n in range(signal.size):
        u = signal[n]
        p_grid = g00 * x0 + g01 * x1 + g02 * x2 + h0 * u + bg
        p_plate = g10 * x0 + g11 * x1 + g12 * x2 + h1 * u + bp
        column_at = (p_grid / (abs(p_grid) + _GRID_WARP_V) + top) * scale
        row_at = (p_plate - plate_low_v) * per_step
        column_at = min(max(column_at, 0.0), columns - 1.000001)
        row_at = min(max(row_at, 0.0), rows - 1.000001)
        column, row = int(column_at), int(row_at)
        fc, fr = column_at - column, row_at - row
        w00, w01, w10, w11 = (1 - fr) * (1 - fc), (1 - fr) * fc, fr * (1 - fc), fr * fc
        ig = (
            w00 * table[row, column, 0] + w01 * table[row, column + 1, 0]
            + w10 * table[row + 1, column, 0] + w11 * table[row + 1, column + 1, 0]
        )  # fmt: skip
        ip = (
            w00 * table[row, column, 1] + w01 * table[row, column + 1, 1]
            + w10 * table[row + 1, column, 1] + w11 * table[row + 1, column + 1, 1]
        )  # fmt: skip
        out[n] = d[0, 0] * x0 + d[0, 1] * x1 + d[0, 2] * x2 + e[0, 0] * u + by + f[0, 0] * ig + f[0, 1] * ip
        n0 = a[0, 0] * x0 + a[0, 1] * x1 + a[0, 2] * x2 + b[0, 0] * u + b0 + c[0, 0] * ig + c[0, 1] * ip
        n1 = a[1, 0] * x0 + a[1, 1] * x1 + a[1, 2] * x2 + b[1, 0] * u + b1 + c[1, 0] * ig + c[1, 1] * ip
        n2 = a[2, 0] * x0 + a[2, 1] * x1 + a[2, 2] * x2 + b[2, 0] * u + b2 + c[2, 0] * ig + c[2, 1] * ip
        x0, x1, x2 = n0, n1, n2
    state[0], state[1], state[2] = x0, x1, x2
    return out


def run_triode_exactly(stage: TriodeStage, signal: Samples, rate_hz: float) -> Samples:
    """The same stage with Newton at every sample: ten times slower, what the table is checked against."""
    space = stage.circuit().discretise(rate_hz=rate_hz, outputs=["plate"])
    state, rest_plate_v = _at_rest(stage, space)
    return np.asarray(
        _run_exactly(
            signal, state.copy(), space.a, space.b, space.c, space.d, space.e, space.f, space.g, space.h,
            space.k, stage.supply_v, rest_plate_v,
        )
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _run_exactly(signal, state, a, b, c, d, e, f, g, h, k, supply_v, rest_plate_v):
    """As `_run_triode`, with v = p - K i(v) solved instead of looked up."""
    out = np.empty_like(signal)
    u = np.array([0.0, supply_v])
    drawn = np.zeros(2)
    grid_v, plate_v = -1.0, 200.0
    for n in range(signal.size):
        u[0] = signal[n]
        p = g @ state + h @ u
        grid_v, plate_v = solve_ports(p[0], p[1], k, grid_v, plate_v)
        drawn[0] = grid_current_a(grid_v)[0]
        drawn[1] = plate_current_a(grid_v, plate_v)[0]
        out[n] = (d @ state + e @ u + f @ drawn)[0] - rest_plate_v
        state = a @ state + b @ u + c @ drawn
    return out
