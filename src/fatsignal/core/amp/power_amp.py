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
from fatsignal.core.amp.power_layout import (
    AT_PLATE,
    AT_SPEAKER,
    BACK_TO_MODES,
    MODES,
    OUT,
    OUT_A,
    OUT_C,
    OUT_OHM,
    P_LAST,
    PAIR,
    POLES,
    PORTS,
    POWER_A,
    POWER_B,
    SEEN,
    SIZE,
    STAGE,
    STATE,
    TO_MODES,
    TO_PORTS,
    WORKING,
    K,
    P,
)
from fatsignal.core.amp.power_loop import run_power
from fatsignal.core.amp.power_valve import PENTODE, PowerValve, power_tables
from fatsignal.core.amp.splitter import Splitter, single_circuit, splitter_circuit
from fatsignal.core.amp.valve import HIGH_MU
from fatsignal.core.amp.valve_chain import at_rest, table_of
from fatsignal.core.amp.valve_table import in_table, read_currents, stepped_ohm
from fatsignal.core.clip import Samples

_SPLITTER_SWING_V = (-160.0, 120.0)
_SETTLES_S = 0.1


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

    latency_frames = 0.5

    def __init__(
        self, stage: PowerStage, rate_hz: float, *, level: float, presence: float = 0.0, depth: float = 0.0
    ) -> None:
        self.stage, self.rate_hz = stage, float(rate_hz)
        if stage.single_ended:
            circuit, ports = single_circuit(stage.splitter, level=level), [POWER_A]
        else:
            circuit = splitter_circuit(stage.splitter, level=level, presence=presence, depth=depth)
            ports = [0, 1, 2, 3, POWER_A, POWER_B]
        space = circuit.discretise(rate_hz=self.rate_hz, outputs=["level"])
        self._z = z = np.zeros(SIZE)
        _place_circuit(z, space, ports)
        self._tables = np.zeros(1)
        if not stage.single_ended:
            z[PAIR:STAGE], self._tables = _pair(space, stage.splitter.supply_v)
        z[STAGE : STAGE + 12] = _values(stage, self.rate_hz)
        _place_output(z, stage, self.rate_hz)
        tables = power_tables(stage.valve, float(z[K + POWER_A * PORTS + POWER_A]))
        self._valve = tables.grid_v, tables.drive, tables.screen, tables.knee
        z[P_LAST:P] = _settled(self)

    @property
    def supply_v(self) -> float:
        """Where the supply stands now."""
        return float(self._z[WORKING])

    def process(self, signal: Samples) -> Samples:
        """Run `signal`, volts, shape (frames,); state goes on."""
        return np.asarray(run_power(signal, self._z, self._tables, *self._valve))

    def take_over(self, other: "PowerAmp") -> None:
        """Go on with what the other's capacitors and coils hold."""
        if self.stage.single_ended == other.stage.single_ended:
            self._z[STATE:P] = other._z[STATE:P]

    def settle(self) -> Samples:
        """Let supply, cathodes and iron come to where idle current leaves them; the state there."""
        self._z[STATE:P] = 0.0
        self._z[WORKING : WORKING + 2] = self.stage.supply_v
        for _ in range(6):
            self.process(np.zeros(int(_SETTLES_S * self.rate_hz)))
        at_rest = self._z[P_LAST:P].copy()
        self._z[STATE:P] = 0.0
        return at_rest


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
    z[POLES : POLES + used] = poles
    z[TO_MODES : TO_MODES + used], z[BACK_TO_MODES : BACK_TO_MODES + used] = (into @ space.b)[:, [0, 2]].T
    seen, driven, k = np.zeros((MODES, PORTS)), np.zeros((PORTS, MODES)), np.zeros((PORTS, PORTS))
    to_ports = np.zeros((2, PORTS))
    seen[:used, ports], driven[ports, :used] = (space.g @ vectors).T, (into @ space.c).T
    k[np.ix_(ports, ports)] = space.k
    to_ports[:, ports] = space.h[:, [0, 2]].T
    z[TO_PORTS:SEEN] = to_ports.ravel()
    z[SEEN:PAIR] = np.concatenate((seen.ravel(), driven.ravel(), k.ravel()))


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
    a = np.zeros((OUT, OUT))
    a[:used, :used] = space.a.T
    z[OUT_A:OUT_C] = a.ravel()
    # A port's current flows out of its node; the plates' flows into it.
    z[OUT_C : OUT_C + used] = -space.c[:, 0]
    z[AT_PLATE : AT_PLATE + used], z[AT_SPEAKER : AT_SPEAKER + used] = space.d
    z[OUT_OHM : OUT_OHM + 2] = -space.f[:, 0]


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
