"""A push-pull power stage: two pentodes in class AB, an ideal transformer, a supply that sags.

Each grid is driven through a coupling capacitor from its half of the phase splitter, so that a grid
that conducts charges the capacitor and shifts its own bias. The plates share the transformer: the
current difference d sets both plate voltages, and is solved by Newton at every sample. The
supply is a source behind a resistance that recharges a capacitor, drained by both plates.

References
----------
.. [1] N. L. Koren, "Improved vacuum tube models for SPICE simulations", Glass Audio 8(5), 1996
   (pentode form; the EL34-type values MU 11, EX 1.35, KG1 650, KP 60, KVB 24 are from memory).
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from fatsignal.core.amp.cascade import Link, Links, step_link
from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

MU, EX, KG1, KP, KVB = 11.0, 1.35, 650.0, 60.0, 24.0
# Each half of the splitter swings as far as one plate, less what its own tail takes.
_PER_SIDE = 0.8
# A conducting power grid: about 1 kΩ, with a knee of a volt (common practice, no source).
_GRID_OHM, _GRID_KNEE_V = 1_000.0, 1.2


@dataclass(frozen=True, slots=True)
class PowerStage:
    """Working point and parts; volts, ohm, farad."""

    supply_v: float = 430.0
    bias_v: float = -36.0
    plate_to_plate_ohm: float = 3_800.0
    coupling_farad: float = 22e-9
    splitter_ohm: float = 60e3
    leak_ohm: float = 220e3
    supply_ohm: float = 60.0
    reservoir_farad: float = 50e-6


@dataclass(frozen=True, slots=True)
class _PowerTables:
    """What depends on one voltage only, solved once: read linearly at every sample."""

    grid_v: Samples  # grid voltage over the open-circuit voltage behind `grid_ohm`
    drive: Samples  # E1^EX/KG1 per volt^EX of screen, over grid/screen
    screen: Samples  # volt^EX over the screen voltage
    knee: Samples  # arc tangent over plate voltage in KVB


# Axes: open-circuit grid voltage, and grid over screen voltage.
_OPEN_LOW_V, _OPEN_HIGH_V, _OPEN_POINTS = -700.0, 500.0, 24_001
_RATIO_LOW, _RATIO_HIGH, _RATIO_POINTS = -0.6, 0.2, 8_001
_SCREEN_POINTS, _SCREEN_STEP_V = 1_024, 1.0
_KNEE_LIMIT, _KNEE_POINTS = 60.0, 24_001


def _grid_source_ohm(stage: PowerStage, rate_hz: float) -> float:
    """What a grid sees: its leak beside the splitter and the discretised coupling capacitor."""
    series = 1.0 / (stage.splitter_ohm + 1.0 / (stage.coupling_farad * rate_hz))
    return 1.0 / (series + 1.0 / stage.leak_ohm)


@lru_cache(maxsize=16)
def _tables(grid_ohm: float) -> _PowerTables:
    open_v = np.linspace(_OPEN_LOW_V, _OPEN_HIGH_V, _OPEN_POINTS)
    ratio = np.linspace(_RATIO_LOW, _RATIO_HIGH, _RATIO_POINTS)
    soft = np.logaddexp(0.0, KP * (1.0 / MU + ratio))
    knee = np.linspace(-_KNEE_LIMIT, _KNEE_LIMIT, _KNEE_POINTS)
    screen_v = np.arange(_SCREEN_POINTS, dtype=np.float64) * _SCREEN_STEP_V
    return _PowerTables(
        grid_v=np.asarray(_solve_grid(open_v, grid_ohm)),
        drive=np.asarray(2.0 * (soft / KP) ** EX / KG1, dtype=np.float64),
        screen=np.asarray(screen_v**EX, dtype=np.float64),
        knee=np.asarray(np.arctan(knee), dtype=np.float64),
    )


class PowerRunner:
    """The running stage: the phase splitter's swing per side in volts in, loudspeaker drive out.

    The output is half the plate-to-plate voltage over the supply: ±1 is about all the stage can give.

    Parameters
    ----------
    splitter : Link, optional
        The phase splitter and the filter before it; the signal is then the voltage before that filter. They run in
        the same loop, the power stage one sample behind (see `cascade`). Without it the signal is the swing itself.
    """

    def __init__(self, stage: PowerStage, rate_hz: float, splitter: Link | None = None) -> None:
        self.stage = stage
        self.rate_hz = float(rate_hz)
        self._tables = _tables(_grid_source_ohm(stage, self.rate_hz))
        links = Links([splitter] if splitter else [], rate_hz)
        self._links = links
        self.latency_frames = 1 if splitter else 0
        # Voltages of both coupling capacitors, the supply, the last two current differences, the screens.
        self._state = np.array([-stage.bias_v, -stage.bias_v, stage.supply_v, 0.0, 0.0, stage.supply_v])
        self._state = _settled(self, splitter is not None).copy()

    def process(self, signal: Samples) -> Samples:
        """Run `signal`, volts, shape (frames,); the output is late by `latency_frames`, and state goes on."""
        s = self.stage
        return np.asarray(
            _run_power(
                signal, self._links.values, self._links.tables, self._links.state, self._state,
                self.rate_hz, s.supply_v, s.bias_v, s.plate_to_plate_ohm / 4.0,
                s.coupling_farad, s.splitter_ohm, s.leak_ohm, s.supply_ohm, s.reservoir_farad,
                self._tables.grid_v, self._tables.drive, self._tables.screen, self._tables.knee,
            )
        )  # fmt: skip

    def take_over(self, other: "PowerRunner") -> None:
        """Go on with what the other's capacitors hold."""
        self._state[:] = other._state
        if self._links.state.shape == other._links.state.shape:
            self._links.state[:] = other._links.state

    def settle(self) -> Samples:
        """Let the supply fall to where idle current leaves it, so that a print starts at rest; the state there."""
        self.process(np.zeros(int(0.1 * self.rate_hz)))
        # The splitter has nothing to settle: rounding apart it gave silence.
        self._links.state[:] = 0.0
        return self._state


_AT_REST: dict[tuple[PowerStage, float, bool], Samples] = {}
_MOST_REMEMBERED = 64


def _settled(runner: PowerRunner, has_splitter: bool) -> Samples:
    """The state at rest of a stage at a rate; what stands before a splitter at rest gives nothing."""
    key = (runner.stage, runner.rate_hz, has_splitter)
    if key not in _AT_REST:
        if len(_AT_REST) >= _MOST_REMEMBERED:
            _AT_REST.clear()
        _AT_REST[key] = runner.settle()
    return _AT_REST[key]


@njit(cache=True, nogil=True)
def _grid_conduction(grid_v):
    """Current of a grid above its cathode and its slope: a knee, then a straight line."""
    ratio = grid_v / _GRID_KNEE_V
    if ratio < -40.0:
        return 0.0, 0.0
    if ratio > 40.0:
        return grid_v / _GRID_OHM, 1.0 / _GRID_OHM
    raised = math.exp(ratio)
    return _GRID_KNEE_V * math.log1p(raised) / _GRID_OHM, raised / (1.0 + raised) / _GRID_OHM


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
def _place(position, last):
    """Whole and broken part of a table place, kept inside the table; the whole part unsigned (see `cascade`)."""
    position = min(max(position, 0.0), last)
    whole = np.int64(position)
    return np.uint64(whole), position - np.float64(whole)


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _run_power(
    signal, values, link_tables, link_state, state, rate_hz, source_v, bias_v, quarter_ohm, farad, splitter_ohm,
    leak_ohm, supply_ohm, reservoir, grid_table, drive_table, screen_table, knee_table
):  # fmt: skip
    """Per side, by backward Euler: (swing - vc - vg)/(Rs + 1/CR) = (vg - bias)/Rl + ig(vg).

    Both together: d = ia atan((V - R d)/K) - ib atan((V + R d)/K);  C dV/dt = (Vs - V)/Rs - ia' - ib'.
    """
    out = np.empty_like(signal)
    one = np.uint64(1)
    vc_a, vc_b, supply_v, d, last_d, screen_v = state
    farad_rate = farad * rate_hz
    series = 1.0 / (splitter_ohm + 1.0 / farad_rate)
    grid_ohm = 1.0 / (series + 1.0 / leak_ohm)
    charge = 1.0 / (reservoir * rate_hz)
    recharge = charge / supply_ohm
    # Places in the tables as straight lines of what is looked up.
    per_open = (_OPEN_POINTS - 1) / (_OPEN_HIGH_V - _OPEN_LOW_V)
    open_slope, open_zero = series * grid_ohm * per_open, (bias_v / leak_ohm * grid_ohm - _OPEN_LOW_V) * per_open
    per_ratio = (_RATIO_POINTS - 1) / (_RATIO_HIGH - _RATIO_LOW)
    per_knee = (_KNEE_POINTS - 1) / (2.0 * _KNEE_LIMIT)
    knee_slope, knee_zero = per_knee / KVB, _KNEE_LIMIT * per_knee
    coupling = series / farad_rate
    open_last, ratio_last = _OPEN_POINTS - 1.000001, _RATIO_POINTS - 1.000001
    screen_last, knee_last = _SCREEN_POINTS - 1.000001, _KNEE_POINTS - 1.000001
    split = values.shape[0] > 0
    for n in range(signal.size):
        if split:
            swing = _PER_SIDE * link_state[0, 5]
            link_state[0, 5] = step_link(signal[n], values, link_state, link_tables, np.uint64(0))
        else:
            swing = signal[n]
        # The screens sag with the plates, so the valve's drive scales with the supply to the power EX. They
        # follow one sample (5 µs) late: then this sample's drive need not wait for the last one's solution.
        at, share = _place(screen_v / _SCREEN_STEP_V, screen_last)
        screen = screen_table[at] + share * (screen_table[at + one] - screen_table[at])
        per_screen = per_ratio / screen_v
        across = swing - vc_a
        at, share = _place(across * open_slope + open_zero, open_last)
        grid_v = grid_table[at] + share * (grid_table[at + one] - grid_table[at])
        vc_a += (across - grid_v) * coupling
        at, share = _place(grid_v * per_screen - _RATIO_LOW * per_ratio, ratio_last)
        drive_a = screen * (drive_table[at] + share * (drive_table[at + one] - drive_table[at]))
        across = -swing - vc_b
        at, share = _place(across * open_slope + open_zero, open_last)
        grid_v = grid_table[at] + share * (grid_table[at + one] - grid_table[at])
        vc_b += (across - grid_v) * coupling
        at, share = _place(grid_v * per_screen - _RATIO_LOW * per_ratio, ratio_last)
        drive_b = screen * (drive_table[at] + share * (drive_table[at + one] - drive_table[at]))
        # Newton starts where the last two samples point, and mostly needs one step or two. The root lies between
        # the currents that one side alone could draw; where a step leaves this bracket or fails to shrink, the
        # bracket is halved instead: both knees of the arc tangent would else throw Newton to and fro.
        low, high = -0.5 * math.pi * drive_b, 0.5 * math.pi * drive_a
        d, last_d = min(max(2.0 * d - last_d, low), high), d
        last_step = high - low
        for _ in range(40):
            at, share = _place((supply_v - quarter_ohm * d) * knee_slope + knee_zero, knee_last)
            rise_a = drive_a * (knee_table[at + one] - knee_table[at])
            current_a = drive_a * knee_table[at] + share * rise_a
            at, share = _place((supply_v + quarter_ohm * d) * knee_slope + knee_zero, knee_last)
            rise_b = drive_b * (knee_table[at + one] - knee_table[at])
            current_b = drive_b * knee_table[at] + share * rise_b
            residual = d - current_a + current_b
            if residual > 0.0:
                high = d
            else:
                low = d
            step = residual / (1.0 + quarter_ohm * knee_slope * (rise_a + rise_b))
            if d - step < low or d - step > high or abs(step) > 0.5 * last_step:
                last_step = 0.5 * (high - low)
                d = low + last_step
                continue
            last_step = abs(step)
            d -= step
            # Newton squares its error: what is left after a step of 10 µA is far below a nanoampere.
            if last_step < 1e-5:
                break
        screen_v = supply_v
        supply_v += (source_v - supply_v) * recharge - charge * (current_a + current_b)
        out[n] = quarter_ohm * d / source_v
    state[0], state[1], state[2], state[3], state[4], state[5] = vc_a, vc_b, supply_v, d, last_d, screen_v
    return out
