"""Small circuits with diodes and transistors: every sample solved by Newton over the voltages of their junctions.

A circuit of `core/amp/circuit.py` whose nonlinear ports are junctions: a pair of diodes back to back, a
transistor with its two. Few enough that solving them at every sample is about as fast as reading a table.

References
----------
.. [1] D. T. Yeh, J. S. Abel, J. O. Smith, "Simplified, physically-informed models of distortion and overdrive guitar
   effects pedals", DAFx 2007: diode clippers by Shockley's law, solved at every sample.
.. [2] J. J. Ebers, J. L. Moll, "Large-signal behavior of junction transistors", Proc. IRE 42(12), 1954.
.. [3] L. W. Nagel, "SPICE2", UCB/ERL M520, 1975: the limiting of junction voltages between steps of Newton.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fatsignal.core.amp.circuit import Circuit, StateSpace
from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

THERMAL_V = 0.02585
_PAIR, _NPN = 0, 1
_MOST_STEPS = 60
_AHEAD_V = 0.1
# Between two samples: by how much the output may bend within a stretch, and the narrowest that is halved.
_BEND_V, _NARROWEST = 0.05, 1 / 64
# Beyond this many thermal voltages the exponential goes on as a straight line: no number grows out of hand.
_LARGEST_EXPONENT = 60.0
# The table's axis: p / (|p| + warp).
_WARP_V, _LIMIT_V, _POINTS = 1.0, 2_000.0, 8_192


@dataclass(frozen=True, slots=True)
class DiodePair:
    """Two diodes back to back over one port; `uneven` are in a row one way. Small silicon, values from memory."""

    saturation_a: float = 2.52e-9
    emission: float = 1.752
    uneven: int = 1

    def rows(self) -> list[list[float]]:
        return [[_PAIR, self.saturation_a, self.emission * THERMAL_V, float(self.uneven), 0.0]]


@dataclass(frozen=True, slots=True)
class Npn:
    """A transistor over two ports, base to emitter and base to collector; Ebers and Moll in the transport form."""

    saturation_a: float = 1e-14
    forward_gain: float = 200.0
    reverse_gain: float = 4.0

    def rows(self) -> list[list[float]]:
        values = [self.saturation_a, THERMAL_V, self.forward_gain, self.reverse_gain]
        return [[_NPN, *values], [_NPN, *values]]


Junction = DiodePair | Npn


class JunctionCircuit:
    """A running circuit: volts at its first source in, volts at its output about its rest out.

    Parameters
    ----------
    circuit : its ports are the junctions, in order; its first source is the signal, the others stand at `supplies_v`.
    """

    STATE = ("_state", "_ports", "_linear", "_single")
    # Currents are averaged over the time between two samples, which makes them late by half of it.
    latency_frames = 0.5

    def __init__(
        self, circuit: Circuit, junctions: Sequence[Junction], *, output: str, rate_hz: float,
        supplies_v: Sequence[float] = (),
    ) -> None:  # fmt: skip
        space = circuit.discretise(rate_hz=rate_hz, outputs=[output])
        self._devices = np.array([row for junction in junctions for row in junction.rows()])
        supplies = np.array(supplies_v, dtype=np.float64)
        state, voltages = _at_rest(space, self._devices, supplies)
        # What stands still is folded into constants, so that each sample only adds the signal's share.
        fixed = np.concatenate(([0.0], supplies))
        drawn_a = _currents(voltages, self._devices)[0]
        at_rest = space.d @ state + space.e @ fixed + space.f @ drawn_a
        self._matrices = (
            space.a, np.ascontiguousarray(space.b[:, 0]), space.b @ fixed, space.c,
            np.ascontiguousarray(space.d[0]), float(space.e[0, 0]), float((space.e @ fixed)[0] - at_rest[0]),
            np.ascontiguousarray(space.f[0]), space.g, np.ascontiguousarray(space.h[:, 0]), space.h @ fixed, space.k,
        )  # fmt: skip

        # One port's current follows from its open voltage alone: read from a table, which is Newton to some 1e-5.
        self._table = _tabulate(self._devices, float(space.k[0, 0])) if len(voltages) == 1 else None
        self._state = state
        # At the last sample and the one before: voltages; then open voltages and currents, and currents before.
        self._ports = np.array([voltages, voltages, space.g @ state + space.h @ fixed, drawn_a, drawn_a])
        # What of the output hangs on no current, at the last sample.
        self._linear = np.array([-float((space.f @ drawn_a)[0])])
        # The same of a single port: open voltage, current, and what hangs on no current.
        self._single = np.array([self._ports[2, 0], drawn_a[0], self._linear[0]])

    def process(self, signal: Samples) -> Samples:
        """Run `signal`, volts, shape (frames,); state goes on."""
        if self._table is not None:
            a, b, b0, c, d, e, e0, f, g, h, h0, _ = self._matrices
            one_port = a, b, b0, c[:, 0].copy(), d, e, e0, f[0], g[0], h[0], h0[0]
            return np.asarray(_run_one(signal, self._state, self._single, self._table, *one_port))
        return self.process_exactly(signal)

    def process_exactly(self, signal: Samples) -> Samples:
        """The same with Newton at every sample."""
        return np.asarray(_run(signal, self._state, self._ports, self._linear, self._devices, *self._matrices))


@njit(cache=True, nogil=True, error_model="numpy")
def _tabulate(devices, k):
    """Current of a single port over its open voltage, on an axis that is fine around zero."""
    table = np.empty(_POINTS)
    top = _LIMIT_V / (_LIMIT_V + _WARP_V)
    v, p, matrix = np.zeros(1), np.zeros(1), np.array([[k]])
    work = np.empty((1, 1)), np.empty((1, 1)), np.empty(1), np.empty(1)
    for point in range(_POINTS):
        w = -top + 2.0 * top * point / (_POINTS - 1)
        p[0] = _WARP_V * w / (1.0 - abs(w))
        _solve(v, p, matrix, devices, *work)
        table[point] = work[3][0]
    return table


@njit(cache=True, inline="always", error_model="numpy")
def _read(table, p):
    """The current of a single port that nothing drawn would leave at `p`."""
    top = _LIMIT_V / (_LIMIT_V + _WARP_V)
    at = min(max((p / (abs(p) + _WARP_V) + top) * ((_POINTS - 1) / (2.0 * top)), 0.0), _POINTS - 1.000001)
    point = int(at)
    return table[point] + (at - point) * (table[point + 1] - table[point])


@njit(cache=True, nogil=True, error_model="numpy")
def _run_one(signal, state, before, table, a, b, b0, c, d, e, e0, f, g, h, h0):
    """The equations of `circuit` for one port, averaged as `_mean_currents` does for several.

    `before` is the last sample's open voltage, current, and the output's linear part.
    """
    out = np.empty_like(signal)
    order = state.size
    following = np.empty(order)
    p_last, last, y_last = before
    for n in range(signal.size):
        u = signal[n]
        p, y = h * u + h0, e * u + e0
        for column in range(order):
            p += g[column] * state[column]
            y += d[column] * state[column]
        now = _read(table, p)
        mean, start, at, width = 0.0, last, 0.0, 1.0
        while at < 1.0:
            end = _read(table, p_last + (at + width) * (p - p_last))
            middle = _read(table, p_last + (at + 0.5 * width) * (p - p_last))
            while abs(f * (start - 2.0 * middle + end)) > _BEND_V and width > _NARROWEST:
                # Its middle is the end of its first half.
                width *= 0.5
                end, middle = middle, _read(table, p_last + (at + 0.5 * width) * (p - p_last))
            mean += 0.25 * width * (start + 2.0 * middle + end)
            start = end
            at += width
            width = min(2.0 * width, 1.0 - at)
        out[n] = 0.5 * (y + y_last) + f * mean
        p_last, last, y_last = p, now, y
        for row in range(order):
            total = b[row] * u + b0[row] + c[row] * mean
            for column in range(order):
                total += a[row, column] * state[column]
            following[row] = total
        for row in range(order):
            state[row] = following[row]
    before[0], before[1], before[2] = p_last, last, y_last
    return out


def _at_rest(space: StateSpace, devices: Real, supplies_v: Real) -> tuple[Samples, Samples]:
    """State and junction voltages without a signal: capacitors carry nothing. Supplies are turned up step by step."""
    order, ports = len(space.a), len(devices)
    unmoved = np.linalg.inv(np.eye(order) - space.a) if order else np.zeros((0, 0))
    k = space.k - space.g @ unmoved @ space.c
    voltages = np.zeros(ports)
    u = np.concatenate(([0.0], supplies_v))
    for share in np.linspace(0.1, 1.0, 10):
        p = (space.g @ unmoved @ space.b + space.h) @ (share * u)
        work = np.zeros((ports, ports)), np.zeros((ports, ports)), np.zeros(ports), np.zeros(ports)
        _solve(voltages, p, k, devices, *work)
    drawn = _currents(voltages, devices)[0]
    return unmoved @ (space.b @ u + space.c @ drawn), voltages


@njit(cache=True, nogil=True, error_model="numpy")
def _exponential(x):
    """e^x and its slope, going on as a straight line where it would be too large."""
    if x > _LARGEST_EXPONENT:
        top = np.exp(_LARGEST_EXPONENT)
        return top * (1.0 + x - _LARGEST_EXPONENT), top
    raised = np.exp(x)
    return raised, raised


@njit(cache=True, nogil=True, error_model="numpy")
def _evaluate(v, devices, current, slope):
    """Currents of all ports, and their slopes over the voltages of all ports."""
    port = 0
    while port < v.size:
        kind = devices[port, 0]
        saturation, scale = devices[port, 1], devices[port, 2]
        if kind == _PAIR:
            forward, by_forward = _exponential(v[port] / scale)
            other_scale = scale * devices[port, 3]
            backward, by_backward = _exponential(-v[port] / other_scale)
            current[port] = saturation * (forward - backward)
            slope[port, port] = saturation * (by_forward / scale + by_backward / other_scale)
            port += 1
        else:
            # What flows over both junctions, and what of it the transistor carries from collector to emitter:
            # i_be = if/βf + (if - ir),  i_bc = ir/βr - (if - ir).
            forward, by_forward = _exponential(v[port] / scale)
            backward, by_backward = _exponential(v[port + 1] / scale)
            one, other = saturation * (forward - 1.0), saturation * (backward - 1.0)
            by_one, by_other = saturation / scale * by_forward, saturation / scale * by_backward
            gain, back_gain = devices[port, 3], devices[port, 4]
            current[port] = one / gain + one - other
            current[port + 1] = other / back_gain - one + other
            slope[port, port] = by_one / gain + by_one
            slope[port, port + 1] = -by_other
            slope[port + 1, port] = -by_one
            slope[port + 1, port + 1] = by_other / back_gain + by_other
            port += 2


@njit(cache=True, nogil=True, error_model="numpy")
def _currents(v, devices):
    current, slope = np.zeros(v.size), np.zeros((v.size, v.size))
    _evaluate(v, devices, current, slope)
    return current, slope


@njit(cache=True, nogil=True, error_model="numpy")
def _solve(v, p, k, devices, system, slope, right, current):
    """Newton for v = p - K i(v) from a guess, which it becomes; `current` is what the ports draw then."""
    size = v.size
    slope[:] = 0.0
    for _ in range(_MOST_STEPS):
        _evaluate(v, devices, current, slope)
        for row in range(size):
            total = v[row] - p[row]
            for column in range(size):
                total += k[row, column] * current[column]
                cell = 1.0 if row == column else 0.0
                for inner in range(size):
                    cell += k[row, inner] * slope[inner, column]
                system[row, column] = cell
            right[row] = total
        # Gauss, with the largest pivot first: up to four rows.
        for pivot in range(size):
            best = pivot
            for row in range(pivot + 1, size):
                if abs(system[row, pivot]) > abs(system[best, pivot]):
                    best = row
            if best != pivot:
                for column in range(size):
                    system[pivot, column], system[best, column] = system[best, column], system[pivot, column]
                right[pivot], right[best] = right[best], right[pivot]
            for row in range(pivot + 1, size):
                factor = system[row, pivot] / system[pivot, pivot]
                for column in range(pivot, size):
                    system[row, column] -= factor * system[pivot, column]
                right[row] -= factor * right[pivot]
        largest = 0.0
        for row in range(size - 1, -1, -1):
            total = right[row]
            for column in range(row + 1, size):
                total -= system[row, column] * right[column]
            right[row] = total / system[row, row]
        for row in range(size):
            step = right[row]
            scale = devices[row, 2]
            # Upwards a junction is brought on slowly where it conducts: its current grows tenfold every 2.3 scales.
            if -step > 2.0 * scale and v[row] - step > 10.0 * scale:
                limited = v[row] + scale * np.log1p(-step / scale) if v[row] > 0.0 else 10.0 * scale
                step = v[row] - limited
            v[row] -= step
            largest = max(largest, abs(step))
        # Newton squares its error: after a step of some microvolts the currents follow from their slopes, to 1e-6.
        if largest < 3e-5:
            for row in range(size):
                for column in range(size):
                    current[row] -= slope[row, column] * right[column]
            return
    _evaluate(v, devices, current, slope)


@njit(cache=True, nogil=True, error_model="numpy")
def _mean_currents(v, p_from, p_to, k, f, devices, start, middle, end, v_end, mean, p, work):
    """What the ports draw on the mean between two samples, while their open voltages go straight from the one to the
    other: `start` at the one, into `mean` and, at the other, into `end`; `v` goes along.

    Where the output would bend within a stretch, it is halved, so that what switches between two samples switches at
    its own time. Without that a square wave's edges lie on the grid of the samples, and all that they hold above half
    the rate folds back (here it is as if it had been averaged before it was sampled, so what lands near zero or near
    a multiple of the rate is gone).
    """
    ports = v.size
    system, slope, right = work
    at, width = 0.0, 1.0
    mean[:] = 0.0
    while at < 1.0:
        for port in range(ports):
            p[port] = p_from[port] + (at + width) * (p_to[port] - p_from[port])
        _solve(v, p, k, devices, system, slope, right, end)
        v_end[:] = v
        while True:
            for port in range(ports):
                p[port] = p_from[port] + (at + 0.5 * width) * (p_to[port] - p_from[port])
            _solve(v, p, k, devices, system, slope, right, middle)
            bend = 0.0
            for port in range(ports):
                bend += f[port] * (start[port] - 2.0 * middle[port] + end[port])
            if abs(bend) <= _BEND_V or width <= _NARROWEST:
                break
            # Its middle is the end of its first half.
            width *= 0.5
            end[:], v_end[:] = middle, v
        for port in range(ports):
            mean[port] += 0.25 * width * (start[port] + 2.0 * middle[port] + end[port])
        start[:], v[:] = end, v_end
        at += width
        width = min(2.0 * width, 1.0 - at)


@njit(cache=True, nogil=True, error_model="numpy")
def _run(signal, state, ports_before, y_before, devices, a, b, b0, c, d, e, e0, f, g, h, h0, k):
    """The equations of `circuit`, solved at every sample and averaged between it and the one before, half a sample
    later. `ports_before` and `y_before` are what `JunctionCircuit` remembers.
    """
    out = np.empty_like(signal)
    v, v_last, p_last, last, older = ports_before
    order, ports = state.size, v.size
    p, following, current, mean = np.empty(ports), np.empty(order), np.empty(ports), np.empty(ports)
    between, start, middle, v_end = np.empty(ports), np.empty(ports), np.empty(ports), np.empty(ports)
    work = np.empty((ports, ports)), np.empty((ports, ports)), np.empty(ports)
    for n in range(signal.size):
        u = signal[n]
        for port in range(ports):
            total = h[port] * u + h0[port]
            for column in range(order):
                total += g[port, column] * state[column]
            p[port] = total
        # Newton starts where the last two samples point; a junction that conducts is not thrown far.
        for port in range(ports):
            guess = v[port] + min(max(v[port] - v_last[port], -_AHEAD_V), _AHEAD_V)
            v_last[port] = v[port]
            v[port] = guess
        _solve(v, p, k, devices, *work, current)
        y = e * u + e0
        for column in range(order):
            y += d[column] * state[column]
        bend = 0.0
        for port in range(ports):
            bend += f[port] * (current[port] - 2.0 * last[port] + older[port])
            mean[port] = 0.5 * (last[port] + current[port])
            older[port] = last[port]
        # A single port is read from a table at half-way at least.
        if ports == 1 or abs(bend) > _BEND_V:
            v[:], start[:] = v_last, last
            _mean_currents(v, p_last, p, k, f, devices, start, middle, current, v_end, mean, between, work)
        last[:], p_last[:] = current, p
        y, y_before[0] = 0.5 * (y + y_before[0]), y
        for port in range(ports):
            y += f[port] * mean[port]
        out[n] = y
        for row in range(order):
            total = b[row] * u + b0[row]
            for column in range(order):
                total += a[row, column] * state[column]
            for port in range(ports):
                total += c[row, port] * mean[port]
            following[row] = total
        for row in range(order):
            state[row] = following[row]
    return out
