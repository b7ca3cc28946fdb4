"""A common-cathode triode stage: its parts, its state at rest, and its valve solved once into a table.

The stage is cut at the plate of the valve before it: the source is that plate's unloaded voltage behind
its output resistance, so that grid current loads it. Coupling and cathode capacitors are
states, so the bias moves with the playing, as it does in the circuit. `cascade` runs solved stages.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from fatsignal.core.amp.circuit import Circuit, StateSpace
from fatsignal.core.amp.valve import grid_current_a, plate_current_a, solve_ports
from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

# Grid axis: p/(|p|+8) is fine near zero volts, where the valve bends, and coarse at ±500 V.
GRID_WARP_V, GRID_LIMIT_V, GRID_POINTS = 8.0, 500.0, 2048
_PLATE_BELOW_V, _PLATE_ABOVE_V, PLATE_POINTS = 70.0, 30.0, 9


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
        # An unbypassed cathode keeps the state's shape with a capacitor far below audibility; it is settled
        # within a sample, so the trapezoidal rule would ring there.
        net.capacitor("cathode", "0", self.cathode_farad or 1e-12, stiff=self.cathode_farad is None)
        net.port("grid", "cathode")
        net.port("plate", "cathode")
        return net


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
    """A stage at one rate in its own modes, everything told from its rest.

    The circuit's matrix has three real eigenvalues: two modes of the grid's side and one of the cathode. In
    them, and scaled so that each counts once in the voltages they make,

        w[n+1] = poles w[n] + from_source u[n] + from_grid ig[n] + from_plate ip[n]
        p_grid[n] = grid_at_rest_v + w0 + w1 + w2 + direct u[n]        p_plate[n] = plate_at_rest_v + w2
        y[n] = output_ohm ip[n]

    with (ig, ip) the table's currents over (p_plate, p_grid) less their values at rest.
    """

    poles: Samples
    from_source: Samples
    from_grid: Samples
    from_plate: Samples
    direct: float
    grid_at_rest_v: float
    plate_at_rest_v: float
    output_ohm: float
    table: Real
    plate_low_v: float
    plate_step_v: float


@lru_cache(maxsize=64)
def solve_stage(stage: TriodeStage, rate_hz: float) -> SolvedStage:
    """Discretise `stage` at `rate_hz`, tabulate its valve and turn its state into modes about rest."""
    space = stage.circuit().discretise(rate_hz=rate_hz, outputs=["plate"])
    low = stage.supply_v - _PLATE_BELOW_V
    step = (_PLATE_BELOW_V + _PLATE_ABOVE_V) / (PLATE_POINTS - 1)
    table = _tabulate(space.k, GRID_POINTS, GRID_LIMIT_V, GRID_WARP_V, low, step, PLATE_POINTS)
    rest, _ = _at_rest(stage, space)
    poles, modes = np.linalg.eig(space.a)
    # The cathode's mode is the one that the plate's port sees; it comes last.
    order = np.argsort(np.abs(space.g[1] @ modes), kind="stable")
    poles, modes = poles[order].real, modes[:, order].real
    modes = modes / (space.g[0] @ modes)
    into = np.linalg.inv(modes)
    grid_v, plate_v = space.g @ rest + space.h @ np.array([0.0, stage.supply_v])
    return SolvedStage(
        poles=poles,
        from_source=into @ space.b[:, 0],
        from_grid=into @ space.c[:, 0],
        from_plate=into @ space.c[:, 1],
        direct=float(space.h[0, 0]),
        grid_at_rest_v=float(grid_v),
        plate_at_rest_v=float(plate_v),
        output_ohm=float(space.f[0, 1]),
        table=table,
        plate_low_v=low,
        plate_step_v=step,
    )


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


def run_triode_exactly(stage: TriodeStage, signal: Samples, rate_hz: float) -> Samples:
    """The same stage with Newton at every sample: many times slower, what the table is checked against."""
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
    """The equations of `circuit`, with v = p - K i(v) solved at every sample."""
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
