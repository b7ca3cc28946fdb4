"""Triode stages as one circuit, solved together in one loop.

A netlist of stages is cut where its valves are: what lies between them is linear, and falls apart into islands, one
before each grid, one under each cathode, one behind the last plate, each with some modes of its own. A valve sees two
resistances and what the modes hold, and its currents over that stand in a table (`valve_table`).

An island between two stages is driven by the plate before it and loaded by the grid behind it; where that grid
conducts, it loads the plate. Were both solved at once, no stage could begin before another ends, and each would wait
for the slowest part of the processor. So each stage takes its neighbour's current of the sample before, and keeps its
own image of the island: within one turn of the loop no stage waits for another, and the processor works on all of them
at once. A stage is so one sample behind the one before it (`latency_frames`, which the chain of a tone takes off
again), and the load comes two samples late, a hundredth of a millisecond; the circuit is otherwise the whole one.

References
----------
.. [1] D. T. Yeh, J. O. Smith, "Simulating guitar distortion circuits using wave digital and nodal state-space
   formulations", DAFx 2008: a stage as a state space around its valve.
.. [2] E. Lelarasmee, A. E. Ruehli, A. L. Sangiovanni-Vincentelli, "The waveform relaxation method for time-domain
   analysis of large scale integrated circuits", IEEE Trans. CAD 1(3), 1982: parts of a circuit that take each other's
   voltages and currents of the turn before.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.sparse.csgraph import connected_components

from fatsignal.core.amp.circuit import Circuit, StateSpace, modes_of
from fatsignal.core.amp.valve import Triode, grid_current_a, plate_current_a
from fatsignal.core.amp.valve_table import ValveTable, in_table, read_currents, stepped_ohm, valve_table
from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples
from fatsignal.core.compiled import hot_loop, njit
from fatsignal.errors import SignalError

# So many stages at once, and the most modes of an island between two of them, and of one under a cathode.
LANES, BETWEEN, UNDER = 4, 5, 4
# How far the open voltage of a plate moves from its rest: a stage's own, and that of a cathode follower.
_PLATE_SWING_V, _FOLLOWER_SWING_V, _ROW_V = (-90.0, 50.0), (-260.0, 140.0), 10.0
_FOLLOWER_OHM = 20e3

# Where the loop finds what it reads and what it remembers: rows of LANES numbers, a stage in each lane, all in one
# array, which the compiler so knows not to overlap itself; it takes the lanes at once. First of each stage: what the
# drive gives its grid, its grid at rest, what the steps of the table left of its resistances (grid's, cathode's,
# plate's), what the next grid's current gives its plate, its row at rest, rows a volt, its currents at rest, its
# table's place and last row.
(
    _GAIN, _REST, _GRID_LEFT, _CATHODE_LEFT, _PLATE_LEFT, _LOAD, _ROW, _ROWS_A_VOLT, _GRID_REST, _PLATE_REST, _START,
    _LAST,
) = (LANES * row for row in range(12))  # fmt: skip
# Of the island before the grid: poles, how the grid sees them, what the drive and the grid's current do to them.
_FIRST = 12 * LANES
_B_POLE, _B_SEEN, _B_DRIVEN, _B_LOADED = (_FIRST + LANES * BETWEEN * row for row in range(4))
# Of the one behind the plate: poles, how the plate sees them, what its current and the next grid's do to them.
_A_POLE, _A_SEEN, _A_DRIVEN, _A_LOADED = (_FIRST + LANES * BETWEEN * row for row in range(4, 8))
# Of the one under the cathode, whose modes count as they are: poles, what the current does to them.
_U_POLE, _U_DRIVEN = (_FIRST + LANES * (8 * BETWEEN + UNDER * row) for row in range(2))
# What is remembered: the modes of the three, and the currents that they get. A lane further to the left, plates'
# currents are what drives each stage, the signal before them; to the right, grids' are what loads each stage.
_STATE = _U_DRIVEN + LANES * UNDER
_BEFORE, _AFTER, _BELOW = _STATE, _STATE + LANES * BETWEEN, _STATE + LANES * 2 * BETWEEN
_GRID_A = _BELOW + LANES * UNDER
_DRIVE = _GRID_A + LANES + 1
_PLATE_A = _DRIVE + 1
# Open voltages at the last sample, a plate's as its row; currents there and at the sample before, grids' and plates'.
_GRID_V_LAST, _ROW_LAST, _LAST_A, _OLDER_A = (_PLATE_A + LANES * (1 + row) for row in (0, 1, 2, 4))
# What lasts for one sample: open voltages, currents at the sample and on the mean since the one before.
_GRID_V, _ROW_AT, _NOW_A, _MEAN_A = (_OLDER_A + LANES * (2 + row) for row in (0, 1, 2, 4))
_SIZE = _MEAN_A + 2 * LANES
# Between two samples: by how much currents may bend within a stretch, and the narrowest that is halved.
_BEND_A, _NARROWEST = 10e-6, 1 / 64


@dataclass(frozen=True)
class ValveCircuit:
    """A netlist of stages in the order of its triodes; its first source is the signal, the second the supply."""

    circuit: Circuit
    valves: tuple[Triode, ...]
    output: str
    supply_v: float = 300.0


class ValveChain:
    """Running stages: volts at the first source in, volts at the output about its rest out.

    Raises
    ------
    SignalError
        If the circuit is none of stages in a row.
    """

    def __init__(self, circuit: ValveCircuit, rate_hz: float) -> None:
        space = circuit.circuit.discretise(rate_hz=rate_hz, outputs=[circuit.output])
        count = len(circuit.valves)
        _check(space, count)
        self.latency_frames = count - 1 + 0.5 * count
        self._lanes = np.zeros(_SIZE)
        # What is heard: of the last stage's currents, of the modes behind its plate, of those under its cathode.
        self._heard = np.zeros((LANES, 2 + BETWEEN + UNDER))
        self._heard[count - 1, :2] = space.f[0, -2:]
        for members in islands(space.a):
            self._place(_island(space, members), count)
        self._tables = self._tabulate(space, circuit, at_rest(space, circuit.valves, circuit.supply_v))
        self._lanes[_GRID_V_LAST : _ROW_LAST + LANES] = np.concatenate(
            (self._lanes[_REST : _REST + LANES], self._lanes[_ROW : _ROW + LANES])
        )

    def process(self, signal: Samples) -> Samples:
        """Run `signal`, volts, shape (frames,); the output is late by `latency_frames`, and state goes on."""
        return np.asarray(_run(signal, self._lanes, self._tables, self._heard))

    def take_over(self, other: "ValveChain") -> None:
        """Go on with what the other's stages hold."""
        self._lanes[_STATE:_GRID_V] = other._lanes[_STATE:_GRID_V]

    def _place(self, island: "_Island", count: int) -> None:
        """The modes of an island in the lanes of the stages that have to do with it."""
        used = len(island.poles)
        grids = [port // 2 for port in island.ports if port % 2 == 0]
        plates = [port // 2 for port in island.ports if port % 2]
        under = set(grids) & set(plates)

        def fill(place: int, stage: int, *rows: Samples) -> None:
            most = UNDER if place == _U_POLE else BETWEEN
            if used > most:
                raise SignalError(f"an island of a circuit has {used} modes, at most {most} have room")
            for number, row in enumerate(rows):
                first = place + LANES * most * number + stage
                self._lanes[first : first + LANES * used : LANES] = row

        if under:
            (stage,) = under
            seen = island.seen[2 * stage]
            if island.ports != [2 * stage, 2 * stage + 1] or not np.allclose(seen, island.seen[2 * stage + 1]):
                raise SignalError("grid and plate have to see alike what stands under their cathode")
            fill(_U_POLE, stage, island.poles, island.driven[:, 2 * stage] * seen)
            self._heard[stage, 2 + BETWEEN : 2 + BETWEEN + used] = island.heard / seen
            return
        grid, plate = next(iter(grids), None), next(iter(plates), None)
        nothing = np.zeros(used)
        if grid is not None:
            driven = island.by_signal if plate is None else island.driven[:, 2 * plate + 1]
            fill(_B_POLE, grid, island.poles, island.seen[2 * grid], driven, island.driven[:, 2 * grid])
        if plate is not None:
            loaded = nothing if grid is None else island.driven[:, 2 * grid]
            fill(_A_POLE, plate, island.poles, island.seen[2 * plate + 1], island.driven[:, 2 * plate + 1], loaded)
            if plate == count - 1:
                self._heard[plate, 2 : 2 + used] = island.heard

    def _tabulate(self, space: StateSpace, circuit: ValveCircuit, rest: "Sequence[AtRest]") -> Samples:
        """The tables of all stages, flat, and where each finds its own."""
        tables: list[Samples] = []
        count, start = len(circuit.valves), 0
        for stage, (valve, at) in enumerate(zip(circuit.valves, rest, strict=True)):
            grid, plate = 2 * stage, 2 * stage + 1
            k = space.k[grid : plate + 1, grid : plate + 1]
            swing_v = _FOLLOWER_SWING_V if k[0, 1] > _FOLLOWER_OHM else _PLATE_SWING_V
            seen = _in_steps(k)
            left, table = k - seen, table_of(valve, seen, at, swing_v)
            grid_v, plate_v = np.array([at.grid_v, at.plate_v]) + seen @ at.currents_a
            row, last = (plate_v - table.plate_low_v) / table.plate_step_v, len(table.currents_a) - 1.000001
            tables.append(table.currents_a.ravel())
            values = (
                space.h[grid, 0] if stage == 0 else -space.k[grid, plate - 2], grid_v, left[0, 0], left[0, 1],
                left[1, 1], space.k[plate, grid + 2] if stage + 1 < count else 0.0, row, 1 / table.plate_step_v,
                *read_currents(tables[-1], 0, *in_table(grid_v, row, last)), start, last,
            )  # fmt: skip
            self._lanes[stage:_FIRST:LANES] = values
            start += len(tables[-1])
        return np.concatenate(tables)


@dataclass(frozen=True, slots=True)
class _Island:
    """States that have to do with each other, in modes of their own, and the ports that see them.

    `seen` has the shape (ports, modes), `driven` (modes, ports).
    """

    ports: list[int]
    poles: Samples
    seen: Samples
    driven: Samples
    by_signal: Samples
    heard: Samples


@dataclass(frozen=True, slots=True)
class AtRest:
    """A valve without a signal: its voltages against its cathode, and its currents."""

    grid_v: float
    plate_v: float
    currents_a: Real


def at_rest(space: StateSpace, valves: Sequence[Triode], supply_v: float) -> list[AtRest]:
    """Newton over all ports of a circuit whose capacitors carry nothing; the supply is turned up step by step."""
    unmoved = np.linalg.inv(np.eye(len(space.a)) - space.a)
    k = space.k - space.g @ unmoved @ space.c
    open_v = (space.g @ unmoved @ space.b + space.h)[:, 1]
    size = 2 * len(valves)
    v, current, slope = np.zeros(size), np.zeros(size), np.zeros((size, size))
    numbers = [valve.values() for valve in valves]
    for share in np.linspace(0.1, 1.0, 10):
        for _ in range(400):
            for place, valve in enumerate(numbers):
                grid, plate = 2 * place, 2 * place + 1
                current[plate], slope[plate, grid], slope[plate, plate] = plate_current_a(v[grid], v[plate], valve)
                current[grid], slope[grid, grid] = grid_current_a(v[grid], valve)
            step = np.linalg.solve(np.eye(size) + k @ slope, v - share * supply_v * open_v + k @ current)
            largest = max(np.abs(step[0::2]).max() / 2.0, np.abs(step[1::2]).max() / 30.0, 1.0)
            v -= step / largest
            if np.abs(step).max() < 1e-11:
                break
    return [AtRest(v[2 * n], v[2 * n + 1], current[2 * n : 2 * n + 2].copy()) for n in range(len(valves))]


def islands(a: Real) -> list[list[int]]:
    """States that have to do with each other."""
    _, names = connected_components(np.abs(a) > 1e-9 * np.abs(a).max(initial=1e-30), directed=False)
    return [[int(each) for each in np.flatnonzero(names == name)] for name in range(names.max(initial=-1) + 1)]


def _island(space: StateSpace, members: list[int]) -> _Island:
    poles, vectors, into = modes_of(space.a[np.ix_(members, members)])
    seen = space.g[:, members] @ vectors
    return _Island(
        ports=[port for port in range(len(seen)) if np.abs(seen[port]).max(initial=0) > 1e-9],
        poles=poles, seen=seen, driven=into @ space.c[members], by_signal=into @ space.b[members, 0],
        heard=space.d[0, members] @ vectors,
    )  # fmt: skip


def _check(space: StateSpace, count: int) -> None:
    """Beyond its neighbours no valve sees another's current."""
    k = np.abs(space.k)
    for one in range(2 * count):
        for other in range(2 * count):
            near = one // 2 == other // 2 or {one, other} in ({2 * n + 1, 2 * n + 2} for n in range(count))
            if not near and k[one, other] > 1e-6 * k.max():
                raise SignalError("a valve has to do with one that is not its neighbour")


def _in_steps(k: Real) -> Real:
    """The resistances of a table near to those that a valve sees."""
    cathode = stepped_ohm(float(k[0, 1]))
    grid, plate = (cathode + stepped_ohm(float(k[each, each] - k[0, 1])) for each in (0, 1))
    return np.array([[grid, cathode], [cathode, plate]])


def table_of(valve: Triode, k: Real, at: AtRest, swing_v: tuple[float, float]) -> ValveTable:
    """The table of a valve.

    Parameters
    ----------
    k : what grid and plate see, shape (2, 2), ohm.
    swing_v : how far the plate's open voltage falls and rises from its rest.
    """
    middle = _ROW_V * round((at.plate_v + float(k[1] @ at.currents_a)) / _ROW_V)
    ohm = float(k[0, 0]), float(k[0, 1]), float(k[1, 1])
    return valve_table(valve, *ohm, middle + swing_v[0], middle + swing_v[1], _ROW_V)


@hot_loop()
def _run_until_bent(signal, out, n, z, bent, tables, heard, last):
    """All stages from the sample `n` on to one that needs a mean of its own, or to the end: which. Sample
    `bent` has its mean. Each stage goes by what its neighbours drew at the sample before.
    """
    while n < signal.size:
        z[_DRIVE] = signal[n]
        for lane in range(LANES):
            below = z[_BELOW + lane]
            for m in range(1, UNDER):
                below += z[_BELOW + m * LANES + lane]
            grid_v = z[_REST + lane] + below + z[_GAIN + lane] * z[_DRIVE + lane]
            grid_v -= z[_GRID_LEFT + lane] * z[_GRID_A + lane] + z[_CATHODE_LEFT + lane] * z[_PLATE_A + lane]
            plate_v = below - z[_LOAD + lane] * z[_GRID_A + 1 + lane]
            plate_v -= z[_CATHODE_LEFT + lane] * z[_GRID_A + lane] + z[_PLATE_LEFT + lane] * z[_PLATE_A + lane]
            for m in range(BETWEEN):
                grid_v += z[_B_SEEN + m * LANES + lane] * z[_BEFORE + m * LANES + lane]
                plate_v += z[_A_SEEN + m * LANES + lane] * z[_AFTER + m * LANES + lane]
            z[_GRID_V + lane], z[_ROW_AT + lane] = grid_v, z[_ROW + lane] + z[_ROWS_A_VOLT + lane] * plate_v
        for lane in range(LANES):
            z[_NOW_A + lane], z[_NOW_A + LANES + lane] = _drawn(z, lane, z[_GRID_V + lane], z[_ROW_AT + lane], tables)
        if n != bent:
            bend = 0.0
            for each in range(2 * LANES):
                bend += abs(z[_OLDER_A + each] - 2.0 * z[_LAST_A + each] + z[_NOW_A + each])
                z[_MEAN_A + each] = 0.5 * (z[_LAST_A + each] + z[_NOW_A + each])
            if bend > _BEND_A:
                break
        y = 0.0
        for m in range(BETWEEN):
            y += heard[last, 2 + m] * z[_AFTER + m * LANES + last]
        for m in range(UNDER):
            y += heard[last, 2 + BETWEEN + m] * z[_BELOW + m * LANES + last]
        # What the currents of the sample before have to do with is done before they are overwritten.
        for m in range(BETWEEN):
            for lane in range(LANES):
                at = m * LANES + lane
                z[_BEFORE + at] = z[_B_POLE + at] * z[_BEFORE + at] + z[_B_DRIVEN + at] * z[_DRIVE + lane]
                z[_AFTER + at] = z[_A_POLE + at] * z[_AFTER + at] + z[_A_LOADED + at] * z[_GRID_A + 1 + lane]
        for lane in range(LANES):
            z[_GRID_A + lane], z[_PLATE_A + lane] = z[_MEAN_A + lane], z[_MEAN_A + LANES + lane]
            z[_GRID_V_LAST + lane], z[_ROW_LAST + lane] = z[_GRID_V + lane], z[_ROW_AT + lane]
        for each in range(2 * LANES):
            z[_OLDER_A + each], z[_LAST_A + each] = z[_LAST_A + each], z[_NOW_A + each]
        for m in range(BETWEEN):
            for lane in range(LANES):
                at = m * LANES + lane
                z[_BEFORE + at] += z[_B_LOADED + at] * z[_GRID_A + lane]
                z[_AFTER + at] += z[_A_DRIVEN + at] * z[_PLATE_A + lane]
        for m in range(UNDER):
            for lane in range(LANES):
                at = m * LANES + lane
                drawn = z[_GRID_A + lane] + z[_PLATE_A + lane]
                z[_BELOW + at] = z[_U_POLE + at] * z[_BELOW + at] + z[_U_DRIVEN + at] * drawn
        out[n] = y + heard[last, 0] * z[_GRID_A + last] + heard[last, 1] * z[_PLATE_A + last]
        n += 1
    return n


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def _drawn(z, lane, grid_v, row_at, tables):
    """Grid's and plate's current of a stage, less their rest, at open voltages."""
    column_at, row_at = in_table(grid_v, row_at, z[_LAST + lane])
    grid_a, plate_a = read_currents(tables, z[_START + lane], column_at, row_at)
    return grid_a - z[_GRID_REST + lane], plate_a - z[_PLATE_REST + lane]


@hot_loop()
def _average(z, lane, tables):
    """Currents of a stage on the mean between two samples, while its open voltages go straight from the one to the
    other.

    Where they bend within a stretch it is halved, as in `junctions`: what switches between two samples switches at its
    own time.
    """
    from_v, from_row = z[_GRID_V_LAST + lane], z[_ROW_LAST + lane]
    by_v, by_row = z[_GRID_V + lane] - from_v, z[_ROW_AT + lane] - from_row
    start_grid, start_plate = z[_LAST_A + lane], z[_LAST_A + LANES + lane]
    end_grid, end_plate = z[_NOW_A + lane], z[_NOW_A + LANES + lane]
    grid, plate, at, width = 0.0, 0.0, 0.0, 1.0
    while at < 1.0:
        if at > 0.0:
            share = at + width
            end_grid, end_plate = _drawn(z, lane, from_v + share * by_v, from_row + share * by_row, tables)
        while True:
            share = at + 0.5 * width
            mid_grid, mid_plate = _drawn(z, lane, from_v + share * by_v, from_row + share * by_row, tables)
            bend = abs(start_grid - 2.0 * mid_grid + end_grid) + abs(start_plate - 2.0 * mid_plate + end_plate)
            if bend <= _BEND_A or width <= _NARROWEST:
                break
            # Its middle is the end of its first half.
            width *= 0.5
            end_grid, end_plate = mid_grid, mid_plate
        grid += 0.25 * width * (start_grid + 2.0 * mid_grid + end_grid)
        plate += 0.25 * width * (start_plate + 2.0 * mid_plate + end_plate)
        start_grid, start_plate = end_grid, end_plate
        at += width
        width = min(2.0 * width, 1.0 - at)
    z[_MEAN_A + lane], z[_MEAN_A + LANES + lane] = grid, plate


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _run(signal, z, tables, heard):
    """All samples. Where currents bend is left to a function of its own: a loop is slower for a call that it makes."""
    out = np.empty_like(signal)
    last = 0
    for lane in range(LANES):
        if heard[lane, 0] != 0.0 or heard[lane, 1] != 0.0:
            last = lane
    n = _run_until_bent(signal, out, 0, z, -1, tables, heard, last)
    while n < signal.size:
        for lane in range(LANES):
            bend = abs(z[_OLDER_A + lane] - 2.0 * z[_LAST_A + lane] + z[_NOW_A + lane])
            plate = LANES + lane
            bend += abs(z[_OLDER_A + plate] - 2.0 * z[_LAST_A + plate] + z[_NOW_A + plate])
            if bend > 0.25 * _BEND_A:
                _average(z, lane, tables)
        n = _run_until_bent(signal, out, n, z, n, tables, heard, last)
    return out
