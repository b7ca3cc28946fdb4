"""Rig sheets: everything that makes a sound what it is, as lines that can be read, printed and compared."""

from dataclasses import dataclass
from typing import Any

from fatsignal.core.mics.microphone import MIC_KINDS, pattern_name
from fatsignal.core.mics.sounding import SOUNDING
from fatsignal.core.pitch.notes import note_name
from fatsignal.core.tone.blocks import Block
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import DiPath, InputUse, MicOnRig, RigSetup

_HEARS = {"amp": "the amp", "phones": "phones", "both": "amp and phones"}


@dataclass(frozen=True, slots=True)
class SheetEntry:
    """One line: where it belongs, what it is, its value in words."""

    group: str
    name: str
    value: str


@dataclass(frozen=True, slots=True)
class Difference:
    """A line that is not the same on both sheets; None where a sheet does not have it."""

    group: str
    name: str
    one: str | None
    other: str | None


def sheet_entries(
    rig: RigSetup, interface: SimulatedInterface, *, rate_hz: int, reference_pitch_hz: float
) -> list[SheetEntry]:
    """A rig in words, from the strings to the converter."""
    lines = [
        SheetEntry("Instrument", "instrument", rig.instrument),
        SheetEntry("Instrument", "tuning", " ".join(note_name(note) for note in rig.open_notes)),
        SheetEntry("Instrument", "reference pitch", f"A = {reference_pitch_hz:g} Hz"),
        SheetEntry("Instrument", "pickup", _pickup(rig)),
    ]
    if any(rig.string_offsets_cents):
        offsets = " ".join(f"{cents:+.1f}" for cents in rig.string_offsets_cents)
        lines.append(SheetEntry("Instrument", "strings moved by cents", offsets))
    if rig.di is not None:
        lines += [
            SheetEntry("DI", "box", _box(rig.di) + (", ground lifted" if rig.di.ground_lift else "")),
            SheetEntry("DI", "cable", f"{rig.di.cable_m:g} m"),
            SheetEntry("DI", "input", _input(rig.di.input)),
        ]
    if rig.amp is not None:
        lines += [
            SheetEntry("Amp", "amp", rig.amp.name),
            SheetEntry("Amp", "speaker", rig.amp.speaker),
            SheetEntry("Amp", "cable", f"{rig.amp.cable_m:g} m"),
        ]
        for block in rig.amp.blocks:
            lines += [SheetEntry("Amp", name, value) for name, value in _knobs(block)]
    for mic in rig.mics:
        group = mic.name[:1].upper() + mic.name[1:]
        lines += [
            SheetEntry(group, "kind", _mic(mic)),
            SheetEntry(group, "place", str(mic.place)),
            SheetEntry(group, "measured from", SOUNDING[rig.sounding].point(mic.point).name),
            *([SheetEntry(group, "behind it", "an absorber")] if mic.absorber else []),
            SheetEntry(group, "input", _input(mic.input)),
        ]
    if rig.mics:
        lines.append(SheetEntry("Room", "room", rig.room))
    lines += [
        SheetEntry(
            "Listening",
            "the player hears",
            _HEARS[rig.listens],
        ),
        SheetEntry("Interface", "rate", f"{rate_hz} Hz"),
        SheetEntry("Interface", "buffer", f"{interface.buffer_frames} samples"),
    ]
    return lines


def differences(one: list[SheetEntry], other: list[SheetEntry]) -> list[Difference]:
    """What was done differently, in the order of the first sheet; lines that are the same are left out."""
    first = {(entry.group, entry.name): entry.value for entry in one}
    second = {(entry.group, entry.name): entry.value for entry in other}
    found = [Difference(*key, value, second.get(key)) for key, value in first.items() if second.get(key) != value]
    return found + [Difference(*key, None, value) for key, value in second.items() if key not in first]


def _mic(mic: MicOnRig) -> str:
    kind = MIC_KINDS[mic.kind]
    return f"{kind.title}, {pattern_name(kind.share(mic.pattern))}" if kind.switchable else kind.title


def _box(di: DiPath) -> str:
    return di.box if di.ratio is None or di.box == "none" else f"{di.box}, {di.ratio:g} : 1"


def _pickup(rig: RigSetup) -> str:
    pickup = rig.pickup
    if pickup.kind == "piezo":
        return f"piezo, {pickup.capacitance_farad * 1e12:.0f} pF"
    return f"{pickup.kind}, {pickup.inductance_h:g} H, {pickup.resistance_ohm / 1000:g} kΩ"


def _input(use: InputUse) -> str:
    words = [f"{use.number}, {use.kind}, {use.gain_db:+g} dB"]
    words += [word for word, on in (("pad", use.pad), ("phantom", use.phantom), ("polarity turned", use.flipped)) if on]
    return ", ".join(words)


def _knobs(block: Block) -> list[tuple[str, str]]:
    values = block.model_dump(mode="json")
    kind = str(values.pop("kind", type(block).__name__)).replace("_", " ")
    return [(f"{kind}: {name.replace('_', ' ')}", _plain(value)) for name, value in values.items()]


def _plain(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}" if isinstance(value, float) else str(value)
