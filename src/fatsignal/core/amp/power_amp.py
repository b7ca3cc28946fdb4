"""A power stage: phase splitter, two power valves (or one), output transformer, loudspeaker, and what is fed back.

What is linear about the splitter is one circuit (`splitter`), whose modes are its state; its two triodes stand in one
tail, so that each takes of the other's current, and are solved together by Newton over their tables. Each power grid is
driven through a coupling capacitor, so that a grid that conducts charges it and shifts its own bias. The plates share
the transformer: the current difference d sets both plate voltages, and is solved by Newton at every sample. The supply
is a source behind a resistance that recharges a capacitor, drained by both plates and screens.

What the loudspeaker gets comes back to the foot of the tail one sample later; what power grids draw counts at the
splitter's plates one sample later.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from fatsignal.core.amp.circuit import StateSpace, modes_of
from fatsignal.core.amp.output_transformer import OutputTransformer, SpeakerLoad, output_circuit
from fatsignal.core.amp.power_valve import (
    PENTODE,
    PowerValve,
    drive_of,
    grid_of,
    knee_of,
    power_tables,
    screen_of,
)
from fatsignal.core.amp.splitter import Splitter, single_circuit, splitter_circuit
from fatsignal.core.amp.valve import HIGH_MU
from fatsignal.core.amp.valve_chain import at_rest, table_of
from fatsignal.core.amp.valve_table import SCALE, WARP_V, in_table, read_currents, read_with_slopes, stepped_ohm
from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

# Ports of the circuit, in lanes: both triodes' grids and plates, both power grids. The modes of its two islands, and
# the state of transformer and loudspeaker.
_PORTS, _MODES, _OUT = 8, 8, 8
_POWER_A, _POWER_B = 4, 5
_SPLITTER_SWING_V = (-160.0, 120.0)
_MOST_STEPS = 8
_SETTLES_S = 0.1

# Where the loop finds what it reads and what it remembers, all in one array, which the compiler so knows not to overlap
# itself. Of the circuit: poles, what signal and what is fed back do to modes and to ports, how ports see the modes (a
# row a mode), what ports do to modes (a row a port), and how each port's current tells on each port.
_POLES, _TO_MODES, _BACK_TO_MODES, _TO_PORTS, _BACK_TO_PORTS = (8 * row for row in range(5))
_SEEN, _DRIVEN, _K = 40, 40 + _MODES * _PORTS, 40 + 2 * _MODES * _PORTS
# Of both triodes, eight numbers each (`_pair`); of the stage, twelve (`_values`).
_PAIR = _K + _PORTS * _PORTS
_STAGE = _PAIR + 16
# Of transformer and loudspeaker: what the state becomes (a row for each that it comes from), what the current adds,
# what plate and loudspeaker see of it, and of the current.
_OUT_A, _OUT_C = _STAGE + 12, _STAGE + 12 + _OUT * _OUT
_AT_PLATE, _AT_SPEAKER, _OUT_OHM = _OUT_C + _OUT, _OUT_C + 2 * _OUT, _OUT_C + 3 * _OUT
# What is remembered: modes, currents of the ports less their rest, the state of the output, and supply, screens,
# cathodes, flux, what goes to the loudspeaker, the last two current differences.
_STATE = _OUT_OHM + 2
_W, _I = _STATE, _STATE + _MODES
_OUT_W, _WORKING = _I + _PORTS, _I + _PORTS + _OUT
# What lasts for one sample: open voltages of the ports, the output's state to be.
_P, _NEXT = _WORKING + 7, _WORKING + 7 + _PORTS
_SIZE = _NEXT + _OUT


_OUTPUT, _SPLITTER = OutputTransformer(3_800.0), Splitter()


@dataclass(frozen=True, slots=True)
class PowerStage:
    """Working point and parts; volts, ohm, farad. With `cathode_ohm` the valves bias themselves, in class A."""

    valve: PowerValve = PENTODE
    single_ended: bool = False
    supply_v: float = 430.0
    bias_v: float = -36.0
    cathode_ohm: float | None = None
    cathode_farad: float = 220e-6
    supply_ohm: float = 60.0
    reservoir_farad: float = 50e-6
    transformer: OutputTransformer = _OUTPUT
    speaker: SpeakerLoad | None = None
    splitter: Splitter = _SPLITTER


class PowerAmp:
    """The running stage: volts before its level control in, loudspeaker drive out.

    The output is the loudspeaker's voltage as seen from half of the primary, over the supply: ±1 is about all that the
    stage can give.
    """

    latency_frames = 0

    def __init__(
        self, stage: PowerStage, rate_hz: float, *, level: float, presence: float = 0.0, depth: float = 0.0
    ) -> None:
        self.stage, self.rate_hz = stage, float(rate_hz)
        if stage.single_ended:
            circuit, ports = single_circuit(stage.splitter, level=level), [_POWER_A]
        else:
            circuit = splitter_circuit(stage.splitter, level=level, presence=presence, depth=depth)
            ports = [0, 1, 2, 3, _POWER_A, _POWER_B]
        space = circuit.discretise(rate_hz=self.rate_hz, outputs=["level"])
        self._z = z = np.zeros(_SIZE)
        _place_circuit(z, space, ports)
        self._tables = np.zeros(1)
        if not stage.single_ended:
            z[_PAIR:_STAGE], self._tables = _pair(space, stage.splitter.supply_v)
        z[_STAGE:_OUT_A] = _values(stage, self.rate_hz)
        _place_output(z, stage, self.rate_hz)
        tables = power_tables(stage.valve, float(z[_K + _POWER_A * _PORTS + _POWER_A]))
        self._valve = tables.grid_v, tables.drive, tables.screen, tables.knee
        z[_WORKING:_P] = _settled(self)

    @property
    def supply_v(self) -> float:
        """Where the supply stands now."""
        return float(self._z[_WORKING])

    def process(self, signal: Samples) -> Samples:
        """Run `signal`, volts, shape (frames,); state goes on."""
        return np.asarray(_run(signal, self._z, self._tables, *self._valve))

    def take_over(self, other: "PowerAmp") -> None:
        """Go on with what the other's capacitors and coils hold."""
        if self.stage.single_ended == other.stage.single_ended:
            self._z[_STATE:_P] = other._z[_STATE:_P]

    def settle(self) -> Samples:
        """Let supply, cathodes and iron come to where idle current leaves them; the state there."""
        self._z[_STATE:_P] = 0.0
        self._z[_WORKING : _WORKING + 2] = self.stage.supply_v
        for _ in range(6):
            self.process(np.zeros(int(_SETTLES_S * self.rate_hz)))
        working = self._z[_WORKING:_P].copy()
        self._z[_STATE:_P] = 0.0
        return working


_AT_REST: dict[tuple[PowerStage, float], Samples] = {}
_MOST_REMEMBERED = 64


def _settled(amp: PowerAmp) -> Samples:
    """The state at rest of a stage at a rate; its controls have nothing to do with it."""
    key = (amp.stage, amp.rate_hz)
    if key not in _AT_REST:
        if len(_AT_REST) >= _MOST_REMEMBERED:
            _AT_REST.clear()
        _AT_REST[key] = amp.settle()
    return _AT_REST[key]


def _place_circuit(z: Samples, space: StateSpace, ports: Sequence[int]) -> None:
    """The circuit before the power valves in its modes; `ports` are the lanes of its ports."""
    poles, vectors, into = modes_of(space.a)
    used = len(poles)
    z[_POLES : _POLES + used] = poles
    z[_TO_MODES : _TO_MODES + used], z[_BACK_TO_MODES : _BACK_TO_MODES + used] = (into @ space.b)[:, [0, 2]].T
    seen, driven, k = np.zeros((_MODES, _PORTS)), np.zeros((_PORTS, _MODES)), np.zeros((_PORTS, _PORTS))
    to_ports = np.zeros((2, _PORTS))
    seen[:used, ports], driven[ports, :used] = (space.g @ vectors).T, (into @ space.c).T
    k[np.ix_(ports, ports)] = space.k
    to_ports[:, ports] = space.h[:, [0, 2]].T
    z[_TO_PORTS:_SEEN] = to_ports.ravel()
    z[_SEEN:_PAIR] = np.concatenate((seen.ravel(), driven.ravel(), k.ravel()))


def _pair(space: StateSpace, supply_v: float) -> tuple[Samples, Samples]:
    """Of both triodes: grid and row at rest, rows a volt, the last row, currents at rest, the table's place, and what
    the table's step left of the grid's resistance; then both tables, flat.

    Only the grid's resistance goes by steps: what a common tail holds together does not bear that a part of its own
    comes a sample late.
    """
    triodes = replace(space, c=space.c[:, :4], f=space.f[:, :4], g=space.g[:4], h=space.h[:4], k=space.k[:4, :4])
    rest = at_rest(triodes, (HIGH_MU, HIGH_MU), supply_v)
    tables, values, start = [], [], 0
    for place, at in enumerate(rest):
        k = space.k[2 * place : 2 * place + 2, 2 * place : 2 * place + 2]
        seen = k.copy()
        seen[0, 0] = k[0, 1] + stepped_ohm(float(k[0, 0] - k[0, 1]))
        table = table_of(HIGH_MU, seen, at, _SPLITTER_SWING_V)
        grid_v, plate_v = np.array([at.grid_v, at.plate_v]) + seen @ at.currents_a
        row, last = (plate_v - table.plate_low_v) / table.plate_step_v, len(table.currents_a) - 1.000001
        flat = table.currents_a.ravel()
        rest_a = read_currents(flat, 0, *in_table(grid_v, row, last))
        values.append([grid_v, row, 1 / table.plate_step_v, last, *rest_a, start, k[0, 0] - seen[0, 0]])
        tables.append(flat)
        start += len(flat)
    return np.array(values).ravel(), np.concatenate(tables)


def _place_output(z: Samples, stage: PowerStage, rate_hz: float) -> None:
    """Transformer and loudspeaker."""
    circuit = output_circuit(stage.transformer, stage.speaker)
    space = circuit.discretise(rate_hz=rate_hz, outputs=["plate", "speaker"])
    used = len(space.a)
    a = np.zeros((_OUT, _OUT))
    a[:used, :used] = space.a.T
    z[_OUT_A:_OUT_C] = a.ravel()
    # A port's current flows out of its node; the plates' flows into it.
    z[_OUT_C : _OUT_C + used] = -space.c[:, 0]
    z[_AT_PLATE : _AT_PLATE + used], z[_AT_SPEAKER : _AT_SPEAKER + used] = space.d
    z[_OUT_OHM : _OUT_OHM + 2] = -space.f[:, 0]


def _values(stage: PowerStage, rate_hz: float) -> Samples:
    """The numbers of a stage as the loop reads them."""
    transformer = stage.transformer
    # One half's inductance and flux; from half of the primary to the 8 Ω tap.
    half = transformer.primary_henry / (1.0 if stage.single_ended else 4.0)
    full_vs = transformer.saturation_vs / (1.0 if stage.single_ended else 2.0)
    whole = 1.0 if stage.single_ended else 2.0
    to_tap = whole / np.sqrt(transformer.primary_ohm / 8.0)
    return np.array([
        stage.supply_v, stage.bias_v if stage.cathode_ohm is None else 0.0,
        0.0 if stage.cathode_ohm is None else 1.0 / (stage.cathode_farad * rate_hz),
        0.0 if stage.cathode_ohm is None else 1.0 / (stage.cathode_farad * stage.cathode_ohm * rate_hz),
        1.0 / (stage.reservoir_farad * stage.supply_ohm * rate_hz), 1.0 / (stage.reservoir_farad * rate_hz),
        1.0 / half, full_vs, 1.0 / rate_hz, to_tap, 0.0 if stage.single_ended else 1.0, stage.valve.kvb,
    ])  # fmt: skip


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def _read_valve(tables, start, p_grid, row_at, last_row):
    """Grid and plate current, and how their sum rises by the volt at the grid and by the row."""
    column_at, row_at = in_table(p_grid, row_at, last_row)
    grid_a, plate_a, by_column, by_row = read_with_slopes(tables, start, column_at, row_at)
    return grid_a, plate_a, by_column * (SCALE * WARP_V / (abs(p_grid) + WARP_V) ** 2), by_row


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def _solve_pair(z, tables):
    """Both triodes of the splitter: S_a = T_a(p_a - K_ab S_b),  S_b = T_b(p_b - K_ba S_a), against their rest.

    What power grids drew last, and what the tables' steps left, come with the currents of the sample before.
    """
    ia, pa, ib, pb = z[_I], z[_I + 1], z[_I + 2], z[_I + 3]
    grid_a, grid_b = z[_PAIR] + z[_P] - z[_PAIR + 7] * ia, z[_PAIR + 8] + z[_P + 2] - z[_PAIR + 15] * ib
    plate_a = z[_P + 1] - z[_K + 12] * z[_I + 4] - z[_K + 13] * z[_I + 5]
    plate_b = z[_P + 3] - z[_K + 28] * z[_I + 4] - z[_K + 29] * z[_I + 5]
    # Newton starts where the last two samples point; lanes that no port has keep the sums before.
    sum_a, sum_b = 2.0 * (ia + pa) - z[_I + 6], 2.0 * (ib + pb) - z[_I + 7]
    z[_I + 6], z[_I + 7] = ia + pa, ib + pb
    for _ in range(_MOST_STEPS):
        row = z[_PAIR + 1] + z[_PAIR + 2] * (plate_a - z[_K + 11] * sum_b)
        ia, pa, by_grid, by_row = _read_valve(tables, z[_PAIR + 6], grid_a - z[_K + 3] * sum_b, row, z[_PAIR + 3])
        by_b = by_grid * z[_K + 3] + by_row * z[_PAIR + 2] * z[_K + 11]
        row = z[_PAIR + 9] + z[_PAIR + 10] * (plate_b - z[_K + 25] * sum_a)
        ib, pb, by_grid, by_row = _read_valve(tables, z[_PAIR + 14], grid_b - z[_K + 17] * sum_a, row, z[_PAIR + 11])
        by_a = by_grid * z[_K + 17] + by_row * z[_PAIR + 10] * z[_K + 25]
        ia, ib = ia - z[_PAIR + 4], ib - z[_PAIR + 12]
        off_a, off_b = sum_a - ia - pa + z[_PAIR + 5], sum_b - ib - pb + z[_PAIR + 13]
        determinant = 1.0 / (1.0 - by_a * by_b)
        step_a, step_b = (off_a - by_b * off_b) * determinant, (off_b - by_a * off_a) * determinant
        sum_a -= step_a
        sum_b -= step_b
        # Newton squares its error: after a step of ten microamperes less than a nanoampere is left.
        if abs(step_a) + abs(step_b) < 1e-5:
            break
    z[_I], z[_I + 1], z[_I + 2], z[_I + 3] = ia, sum_a - ia, ib, sum_b - ib


@njit(cache=True, inline="always", error_model="numpy", fastmath={"contract"})
def _found(z):
    """What plate and loudspeaker find of what coils and iron hold; each in two sums that wait for nothing."""
    plate, plate_too, speaker, speaker_too = 0.0, 0.0, 0.0, 0.0
    for m in range(_OUT // 2):
        plate += z[_AT_PLATE + m] * z[_OUT_W + m]
        plate_too += z[_AT_PLATE + _OUT // 2 + m] * z[_OUT_W + _OUT // 2 + m]
        speaker += z[_AT_SPEAKER + m] * z[_OUT_W + m]
        speaker_too += z[_AT_SPEAKER + _OUT // 2 + m] * z[_OUT_W + _OUT // 2 + m]
    return plate + plate_too, speaker + speaker_too


@njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})
def _run(signal, z, tables, grid_table, drive_table, screen_table, knee_table):
    """The plates: d = i_a(V - v) - i_b(V + v) with v = p + R (d - i_m);  i_m of the flux before, which v adds to."""
    out = np.empty_like(signal)
    source_v, bias_v, charge_cathode, leak_cathode, recharge, drain = z[_STAGE : _STAGE + 6]
    per_henry, full_vs, period_s, to_tap, both, kvb = z[_STAGE + 6 : _STAGE + 12]
    supply_v, screen_v, cathode_v, flux, speaker_v, d, last_d = z[_WORKING : _WORKING + 7]
    plate_ohm, speaker_ohm = z[_OUT_OHM : _OUT_OHM + 2]
    per_a, per_b, per_kvb = 1.0 / z[_K + 36], 1.0 / max(z[_K + 45], 1e-9), 1.0 / kvb
    plate_found, speaker_found = _found(z)
    for n in range(signal.size):
        u, back = signal[n], -to_tap * speaker_v
        for port in range(_PORTS):
            z[_P + port] = z[_TO_PORTS + port] * u + z[_BACK_TO_PORTS + port] * back
        for m in range(_MODES):
            for port in range(_PORTS):
                z[_P + port] += z[_SEEN + m * _PORTS + port] * z[_W + m]
        if both > 0.0:
            _solve_pair(z, tables)
        # Power grids, each behind its share of the splitter's circuit.
        open_a = bias_v - cathode_v + z[_P + 4] - z[_K + 33] * z[_I + 1] - z[_K + 35] * z[_I + 3]
        open_b = bias_v - cathode_v + z[_P + 5] - z[_K + 41] * z[_I + 1] - z[_K + 43] * z[_I + 3]
        screen, per_screen = screen_of(screen_table, screen_v), 1.0 / screen_v
        grid_v = grid_of(grid_table, open_a)
        z[_I + 4] = (open_a - grid_v) * per_a
        drive_a, drive_b = screen * drive_of(drive_table, grid_v * per_screen), 0.0
        if both > 0.0:
            grid_v = grid_of(grid_table, open_b)
            z[_I + 5] = (open_b - grid_v) * per_b
            drive_b = screen * drive_of(drive_table, grid_v * per_screen)
        for m in range(_MODES):
            z[_W + m] = z[_POLES + m] * z[_W + m] + z[_TO_MODES + m] * u + z[_BACK_TO_MODES + m] * back
        for port in range(6):
            for m in range(_MODES):
                z[_W + m] += z[_DRIVEN + port * _MODES + m] * z[_I + port]
        # What the coils and the iron hold already, and what of it the plates find.
        share = flux / full_vs
        square = share * share
        magnetising = flux * per_henry * (1.0 + square * square * square)
        held = plate_found - plate_ohm * magnetising
        above, below = supply_v - cathode_v - held, supply_v - cathode_v + held
        # Newton starts where the last two samples point, and mostly needs one step or two. The root lies between
        # the currents that one side alone could draw; where a step leaves this bracket or fails to shrink, the
        # bracket is halved instead: both knees of the arc tangent would else throw Newton to and fro.
        low, high = -1.5707963267948966 * drive_b, 1.5707963267948966 * drive_a
        if both == 0.0:
            low = -high
        d, last_d = min(max(2.0 * d - last_d, low), high), d
        last_step = high - low
        for _ in range(40):
            share_a, rise_a = knee_of(knee_table, above - plate_ohm * d, per_kvb)
            share_b, rise_b = knee_of(knee_table, below + plate_ohm * d, per_kvb)
            residual = d - drive_a * share_a + drive_b * share_b
            if residual > 0.0:
                high = d
            else:
                low = d
            step = residual / (1.0 + plate_ohm * (drive_a * rise_a + drive_b * rise_b))
            if d - step < low or d - step > high or abs(step) > 0.5 * last_step:
                last_step = 0.5 * (high - low)
                d = low + last_step
                continue
            last_step = abs(step)
            d -= step
            # Newton squares its error: of the amperes that flow some ten nanoamperes are left.
            if last_step < 3e-4:
                break
        into = d - magnetising
        speaker_v = speaker_found + speaker_ohm * into
        flux += period_s * (held + plate_ohm * d)
        for row in range(_OUT):
            z[_NEXT + row] = z[_OUT_C + row] * into
        for m in range(_OUT):
            for row in range(_OUT):
                z[_NEXT + row] += z[_OUT_A + m * _OUT + row] * z[_OUT_W + m]
        for row in range(_OUT):
            z[_OUT_W + row] = z[_NEXT + row]
        # What of it plate and loudspeaker will find is known a sample ahead, so nothing waits for these sums.
        plate_found, speaker_found = _found(z)
        drawn = drive_a * share_a + drive_b * share_b
        screen_v = supply_v - cathode_v
        cathode_v += charge_cathode * drawn - leak_cathode * cathode_v
        supply_v += (source_v - supply_v) * recharge - drain * drawn
        out[n] = speaker_v / source_v
    z[_WORKING], z[_WORKING + 1], z[_WORKING + 2], z[_WORKING + 3] = supply_v, screen_v, cathode_v, flux
    z[_WORKING + 4], z[_WORKING + 5], z[_WORKING + 6] = speaker_v, d, last_d
    return out
