"""Circuits of ours as netlists for ngspice: the same parts, its own diodes and transistors, amplifiers as sources,
valves and iron as equations."""

from fatsignal.core.amp.junctions import DiodePair, Npn
from fatsignal.core.amp.power_valve import GRID_KNEE_V, GRID_OHM
from tests.reference import spice

# ngspice's diode and transistor at 26.85 °C; kT/q is 25.865 mV there, ours 25.85.
_TEMPERATURE = ".options temp=26.676 tnom=26.676 reltol=1e-5 abstol=1e-13 vntol=1e-8 gmin=1e-14"


def parts(circuit, sources, *, prefix=""):
    """All linear parts of a circuit; `sources` are what its sources say, as in ``SIN(0 1 220)`` or ``AC 1``."""
    p = prefix

    def node(name):
        return name if name == "0" else p + name.replace(" ", "_")

    lines = [
        f"V{p}{n} {node(plus)} {node(minus)} {said}"
        for n, ((plus, minus), said) in enumerate(zip(circuit.sources, sources, strict=True))
    ]
    lines += [f"R{p}{n} {node(plus)} {node(minus)} {ohm}" for n, (plus, minus, ohm) in enumerate(circuit.resistors)]
    lines += [f"C{p}{n} {node(a)} {node(b)} {farad}" for n, (a, b, farad, _) in enumerate(circuit.capacitors)]
    lines += [f"L{p}{n} {node(a)} {node(b)} {henry}" for n, (a, b, henry) in enumerate(circuit.inductors)]
    lines += [f"E{p}{n} {node(out)} 0 {node(a)} {node(b)} 1e7" for n, (a, b, out) in enumerate(circuit.opamps)]
    return lines


def triodes(circuit, count):
    """The first ports of a circuit as triodes, with `spice.valve`."""
    ports = [tuple(name.replace(" ", "_") for name in port) for port in circuit.ports]
    return [f"X{n} {ports[2 * n + 1][0]} {ports[2 * n][0]} {ports[2 * n][1]} valve" for n in range(count)]


def stages(valves, *, frequency_hz, peak_v, seconds):
    """A `ValveCircuit`, driven by a sine."""
    lines = parts(valves.circuit, [f"SIN(0 {peak_v} {frequency_hz})", str(valves.supply_v)])
    return "\n".join(
        ["stages", spice.valve(), *lines, *triodes(valves.circuit, len(valves.valves)), *_transient(seconds)]
    )


def power(stage, splitter, output, to_tap, *, frequency_hz, peak_v, seconds):
    """A push-pull stage with its feedback; its loudspeaker is the node ``o_speaker``."""
    v, iron = stage.valve, stage.transformer
    back = f"V=-({to_tap})*V(o_speaker)"
    lines = parts(splitter, [f"SIN(0 {peak_v} {frequency_hz})", str(stage.splitter.supply_v), "0"])
    lines = [line.replace("V2 back 0 0", f"Bback back 0 {back}") for line in lines]
    lines += triodes(splitter, 2) + parts(output, [], prefix="o_")
    for side, sign in (("a", "-"), ("b", "+")):
        grid = f"(V(power_{side})+({stage.bias_v}))"
        drive = f"V(vb)/{v.kp}*ln(1+exp({v.kp}*({1 / v.mu}+{grid}/V(vb))))"
        lines += [
            f"Bg{side} power_{side} 0 I={GRID_KNEE_V}*ln(1+exp(min(40,{grid}/{GRID_KNEE_V})))/{GRID_OHM}",
            f"Bp{side} 0 i_{side} V=-2*pow({drive},{v.exponent})/{v.kg1}*atan((V(vb){sign}V(o_plate))/{v.kvb})",
        ]
    half, full = iron.primary_henry / 4, iron.saturation_vs / 2
    lines += [
        f"Bd 0 o_plate I=V(i_a)-V(i_b)-V(flux)/{half}*(1+pow(V(flux)/{full},6))",
        "Gflux 0 flux o_plate 0 1", "Cflux flux 0 1", "Rflux flux 0 1e9",
        f"Vraw raw 0 {stage.supply_v}", f"Rraw raw vb {stage.supply_ohm}", f"Cvb vb 0 {stage.reservoir_farad}",
        "Bdrain vb 0 I=V(i_a)+V(i_b)",
    ]  # fmt: skip
    return "\n".join(["power", spice.valve(), *lines, *_transient(seconds)])


def _transient(seconds):
    return [".options reltol=1e-5 abstol=1e-12", f".tran 2u {seconds} 0 1u", ".end\n"]


def netlist(circuit, junctions, *, source, supplies_v=()):
    """A circuit with junctions; `source` is what the first source says."""
    lines = ["a circuit", *parts(circuit, [source, *(str(each) for each in supplies_v)])]
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
