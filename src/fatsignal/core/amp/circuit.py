"""A circuit of resistors, capacitors, sources and nonlinear ports as a discrete state space.

The netlist is written as one reads a schematic; the trapezoidal rule turns each capacitor into a
conductance with a history source, and nodal analysis gives the matrices of (a capacitor across a device that
can short it is marked `stiff` and takes backward Euler instead: the trapezoidal rule would ring there at half the
rate, which comes back as aliases; an inductor is a capacitor's mirror image, with the current kept in its place)

    x[n] = A x[n-1] + B u[n] + C i[n]        state: one history source per capacitor and inductor, amperes
    y[n] = D x[n-1] + E u[n] + F i[n]        outputs: node voltages
    v[n] = G x[n-1] + H u[n] - K i[n]        voltages over the nonlinear ports, i drawn by the devices

References
----------
.. [1] D. T. Yeh, J. S. Abel, J. O. Smith, "Automated physical modeling of nonlinear audio circuits
   for real-time audio effects, part I", IEEE Trans. Audio Speech Lang. Proc. 18(4), 2010.
.. [2] M. Holters, U. Zölzer, "Physical modelling of a wah-wah effect pedal as a case study for
   application of the nodal DK method to circuits with variable parts", DAFx 2011.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from fatsignal.errors import SignalError

Matrix = NDArray[np.float64]
GROUND = "0"


@dataclass(frozen=True, slots=True)
class StateSpace:
    """Matrices of a circuit at one rate; see the module's equations for their meaning."""

    a: Matrix
    b: Matrix
    c: Matrix
    d: Matrix
    e: Matrix
    f: Matrix
    g: Matrix
    h: Matrix
    k: Matrix


@dataclass
class Circuit:
    """A netlist; node names are strings, ground is ``"0"``."""

    resistors: list[tuple[str, str, float]] = field(default_factory=list)
    capacitors: list[tuple[str, str, float, bool]] = field(default_factory=list)
    inductors: list[tuple[str, str, float]] = field(default_factory=list)
    sources: list[tuple[str, str]] = field(default_factory=list)
    opamps: list[tuple[str, str, str]] = field(default_factory=list)
    ports: list[tuple[str, str]] = field(default_factory=list)

    def resistor(self, plus: str, minus: str, ohm: float) -> None:
        self.resistors.append((plus, minus, ohm))

    def capacitor(self, plus: str, minus: str, farad: float, *, stiff: bool = False) -> None:
        self.capacitors.append((plus, minus, farad, stiff))

    def inductor(self, plus: str, minus: str, henry: float) -> None:
        self.inductors.append((plus, minus, henry))

    def source(self, plus: str, minus: str = GROUND) -> None:
        """A voltage source; its value is the next element of `u`."""
        self.sources.append((plus, minus))

    def opamp(self, plus: str, minus: str, out: str) -> None:
        """An ideal operational amplifier in feedback: it gives what makes both of its inputs equal (a nullor)."""
        self.opamps.append((plus, minus, out))

    def port(self, plus: str, minus: str) -> None:
        """A nonlinear device that draws its current from `plus` to `minus`."""
        self.ports.append((plus, minus))

    def triode(self, grid: str, plate: str, cathode: str) -> None:
        """A valve as two ports: its grid's current and its plate's, both to the cathode."""
        self.port(grid, cathode)
        self.port(plate, cathode)

    def discretise(self, *, rate_hz: float, outputs: list[str]) -> StateSpace:
        """Matrices of the circuit at `rate_hz`; `outputs` are node names measured against ground."""
        nodes = self._nodes()
        conductance = np.diag([1.0 / ohm for *_, ohm in self.resistors])
        # Of each that stores: its conductance, what a volt adds to its history, and what stays of that.
        coils = [1.0 / (2.0 * henry * rate_hz) for *_, henry in self.inductors]
        storage = np.diag([(1.0 if stiff else 2.0) * farad * rate_hz for *_, farad, stiff in self.capacitors] + coils)
        stays = np.diag([0.0 if stiff else -1.0 for *_, stiff in self.capacitors] + [1.0] * len(coils))
        update = storage @ np.diag([1.0 if stiff else 2.0 for *_, stiff in self.capacitors] + [-2.0] * len(coils))
        n_r = self._incidence(nodes, [(p, m) for p, m, _ in self.resistors])
        n_x = self._incidence(
            nodes, [*((p, m) for p, m, *_ in self.capacitors), *((p, m) for p, m, _ in self.inductors)]
        )
        n_u = self._incidence(nodes, self.sources)
        n_n = self._incidence(nodes, self.ports)
        n_o = self._incidence(nodes, [(node, GROUND) for node in outputs])
        n_equal = self._incidence(nodes, [(plus, minus) for plus, minus, _ in self.opamps])
        n_gives = self._incidence(nodes, [(out, GROUND) for *_, out in self.opamps])
        count, inputs, amps = len(nodes), len(self.sources), len(self.opamps)
        system = np.zeros((count + inputs + amps, count + inputs + amps))
        system[:count, :count] = n_r.T @ conductance @ n_r + n_x.T @ storage @ n_x
        system[:count, count : count + inputs] = n_u.T
        system[count : count + inputs, :count] = n_u
        system[:count, count + inputs :] = n_gives.T
        system[count + inputs :, :count] = n_equal
        inverse = np.linalg.inv(system)

        def padded(incidence: Matrix) -> Matrix:
            return np.hstack([incidence, np.zeros((len(incidence), inputs + amps))])

        p_x, p_n, p_o = padded(n_x), padded(n_n), padded(n_o)
        unit = np.vstack([np.zeros((count, inputs)), np.eye(inputs), np.zeros((amps, inputs))])
        return StateSpace(
            a=update @ p_x @ inverse @ p_x.T + stays,
            b=update @ p_x @ inverse @ unit,
            c=-update @ p_x @ inverse @ p_n.T,
            d=p_o @ inverse @ p_x.T,
            e=p_o @ inverse @ unit,
            f=-p_o @ inverse @ p_n.T,
            g=p_n @ inverse @ p_x.T,
            h=p_n @ inverse @ unit,
            k=p_n @ inverse @ p_n.T,
        )

    def _nodes(self) -> list[str]:
        pairs = [
            *((p, m) for p, m, _ in self.resistors),
            *((p, m) for p, m, *_ in self.capacitors),
            *((p, m) for p, m, _ in self.inductors),
            *self.sources,
            *self.ports,
            *((plus, minus) for plus, minus, _ in self.opamps),
            *((out, GROUND) for *_, out in self.opamps),
        ]
        return sorted({node for pair in pairs for node in pair} - {GROUND})

    @staticmethod
    def _incidence(nodes: list[str], pairs: list[tuple[str, str]]) -> Matrix:
        matrix = np.zeros((len(pairs), len(nodes)))
        for row, (plus, minus) in enumerate(pairs):
            if plus != GROUND:
                matrix[row, nodes.index(plus)] += 1.0
            if minus != GROUND:
                matrix[row, nodes.index(minus)] -= 1.0
        return matrix


def modes_of(a: Matrix) -> tuple[Matrix, Matrix, Matrix]:
    """Poles of resistors and capacitors, their modes as columns, and what brings a state into these.

    Raises
    ------
    SignalError
        If the circuit swings: it has an inductor then.
    """
    poles, vectors = np.linalg.eig(a)
    if np.abs(np.imag(poles)).max(initial=0) > 1e-9:
        raise SignalError("a circuit of resistors and capacitors does not swing")
    vectors = np.real(vectors)
    return np.real(poles), vectors, np.linalg.inv(vectors)


def transfer_function(space: StateSpace) -> tuple[Matrix, Matrix]:
    """Numerator and denominator in powers of z⁻¹ of a linear one-input, one-output circuit.

    The output equation reads the state *before* the update, so with s[n] = x[n-1] it is the
    ordinary form s[n+1] = A s[n] + B u[n], y[n] = D s[n] + E u[n].
    """
    denominator = np.poly(space.a)
    direct = float(space.e[0, 0])
    numerator = np.poly(space.a - space.b @ space.d) + (direct - 1.0) * denominator
    return np.real(numerator), np.real(denominator)
