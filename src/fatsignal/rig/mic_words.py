"""Where microphones stand, in words: in few, and all that puts them back."""

from dataclasses import dataclass

from fatsignal.core.mics.microphone import MIC_KINDS, pattern_name
from fatsignal.core.mics.place import MicPlace
from fatsignal.rig.setup import MicOnRig, RigSetup


@dataclass(frozen=True, slots=True)
class Dimension:
    """One figure of a microphone's place, in words."""

    name: str
    value: str


def dimensions(rig: RigSetup, mic: MicOnRig) -> list[Dimension]:
    """All that puts a microphone back where it was, to a millimetre and a degree."""
    heard = rig.heard_by(mic)
    point = heard.front.point(mic.point).name
    kind = MIC_KINDS[mic.kind]
    beside = _to_a_side(100 * mic.off_centre_m, " cm", "right", "left", digits=1)
    height = _to_a_side(100 * mic.height_m, " cm", "up", "down", digits=1)
    turned, tilted = (
        _to_a_side(deg, "°", *sides, digits=0)
        for deg, sides in ((mic.turned_deg, ("right", "left")), (mic.tilted_deg, ("up", "down")))
    )
    found = [
        Dimension("kind", kind.title), Dimension("measured from", point),
        Dimension("away", f"{100 * mic.distance_m:.1f} cm"), Dimension("beside", beside),
        Dimension("height", height), Dimension("turned", turned), Dimension("tilted", tilted),
        Dimension("input", f"{mic.input.number}, {mic.input.gain_db:+g} dB"),
        Dimension("polarity", "flipped" if mic.input.flipped else "as it is"),
        Dimension("pad", "on" if mic.input.pad else "off"),
        Dimension("absorber", "behind it" if mic.absorber else "none"),
    ]  # fmt: skip
    if kind.switchable:
        found.insert(1, Dimension("pattern", pattern_name(kind.share(mic.pattern))))
    return found


def _to_a_side(value: float, unit: str, plus: str, minus: str, *, digits: int) -> str:
    shown = f"{abs(value):.{digits}f}{unit}"
    return shown if float(f"{abs(value):.{digits}f}") == 0 else f"{shown} {plus if value > 0 else minus}"


def in_short(mics: list[MicOnRig]) -> str:
    """Where microphones stand in few words: "mic A 5.0 cm; mic B 8.1 cm, 4.8 right"."""
    return "; ".join(f"{mic.name} {_short(mic.place)}" for mic in mics)


def _short(place: MicPlace) -> str:
    sides = ((place.off_centre_m, "right", "left"), (place.height_m, "up", "down"))
    moved = [f", {abs(m) * 100:.1f} {plus if m > 0 else minus}" for m, plus, minus in sides if abs(m) >= 5e-4]
    return f"{place.distance_m * 100:.1f} cm{''.join(moved)}"
