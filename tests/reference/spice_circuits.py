"""Circuits of ours as netlists for ngspice: the same parts, its own diodes and transistors, amplifiers as sources."""

from fatsignal.core.amp.junctions import DiodePair, Npn

# ngspice's diode and transistor at 26.85 °C; kT/q is 25.865 mV there, ours 25.85.
_TEMPERATURE = ".options temp=26.676 tnom=26.676 reltol=1e-5 abstol=1e-13 vntol=1e-8 gmin=1e-14"


def netlist(circuit, junctions, *, source, supplies_v=()):
    """All parts of a circuit; `source` is what the first source says, as in ``SIN(0 1 220)`` or ``AC 1``."""
    lines = ["a circuit"]
    for number, (plus, minus) in enumerate(circuit.sources):
        lines.append(f"V{number} {plus} {minus} {source if number == 0 else supplies_v[number - 1]}")
    lines += [f"R{n} {plus} {minus} {ohm}" for n, (plus, minus, ohm) in enumerate(circuit.resistors)]
    lines += [f"C{n} {plus} {minus} {farad}" for n, (plus, minus, farad, _) in enumerate(circuit.capacitors)]
    lines += [f"E{n} {out} 0 {plus} {minus} 1e7" for n, (plus, minus, out) in enumerate(circuit.opamps)]
    ports = iter(circuit.ports)
    for number, junction in enumerate(junctions):
        if isinstance(junction, DiodePair):
            plus, minus = next(ports)
            model = f"D(IS={junction.saturation_a} N={{n}})"
            lines += [
                f"DF{number} {plus} {minus} forward{number}", f"DB{number} {minus} {plus} backward{number}",
                f".model forward{number} {model.format(n=junction.emission)}",
                f".model backward{number} {model.format(n=junction.emission * junction.uneven)}",
            ]  # fmt: skip
        elif isinstance(junction, Npn):
            (base, emitter), (_, collector) = next(ports), next(ports)
            lines += [
                f"Q{number} {collector} {base} {emitter} npn{number}",
                f".model npn{number} NPN(IS={junction.saturation_a} BF={junction.forward_gain} "
                f"BR={junction.reverse_gain})",
            ]
    return "\n".join([*lines, _TEMPERATURE])
