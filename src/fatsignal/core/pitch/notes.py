"""Names of notes, and which string a frequency belongs to."""

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

from fatsignal.core.units import cents_between, equal_tempered_hz
from fatsignal.errors import InvalidSetting

_NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "G♯", "A", "B♭", "B")
# Farther away than this a tone is no string that needs tuning but a note.
STRING_REACH_CENTS = 250.0


@dataclass(frozen=True, slots=True)
class Target:
    """What an open string should sound at: its note, moved by `offset_cents` where a chord check asked for it."""

    string: int
    midi_note: int
    offset_cents: float
    frequency_hz: float

    @property
    def name(self) -> str:
        return note_name(self.midi_note)


def note_name(midi_note: int) -> str:
    """ "E2" for 40; A4 is 69."""
    return f"{_NAMES[midi_note % 12]}{midi_note // 12 - 1}"


_LETTERS = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
_SIGNS = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}


def parse_tuning(typed: str) -> tuple[int, ...]:
    """Open strings from the lowest as MIDI notes, from names or numbers: "E2 A2 D3", "40 45 50", "B♭1 F#2".

    Raises
    ------
    InvalidSetting
        If a word is no note, or lies outside C0 to G9.
    """
    notes = []
    for word in typed.replace(",", " ").split():
        found = re.fullmatch(r"([a-gA-G])([#♯b♭]?)(\d)", word)
        note = int(word) if word.isdigit() else -1
        if found:
            note = 12 * (int(found[3]) + 1) + _LETTERS[found[1].lower()] + _SIGNS[found[2]]
        if not 12 <= note <= 127:
            raise InvalidSetting(f'"{word[:20]}" is no note: name strings as E2 or B♭1, or as MIDI numbers')
        notes.append(note)
    if not 1 <= len(notes) <= 12:
        raise InvalidSetting(f"a tuning has 1 to 12 strings, not {len(notes)}: name each open string, as in E2 A2 D3")
    return tuple(notes)


def nearest_note(frequency_hz: float, *, reference_pitch_hz: float = 440.0) -> tuple[int, float]:
    """The nearest MIDI note and the cents by which `frequency_hz` lies above it."""
    exact = 69 + 12 * math.log2(frequency_hz / reference_pitch_hz)
    note = round(exact)
    return note, 100 * (exact - note)


def targets_of(
    open_notes: Sequence[int], *, reference_pitch_hz: float = 440.0, offsets_cents: Sequence[float] | None = None
) -> list[Target]:
    """The target of every string, from the lowest."""
    offsets = offsets_cents or [0.0] * len(open_notes)
    return [
        Target(
            string, note, offset,
            equal_tempered_hz(note, reference_pitch_hz=reference_pitch_hz) * 2 ** (offset / 1200),
        )
        for string, (note, offset) in enumerate(zip(open_notes, offsets, strict=True))
    ]  # fmt: skip


def nearest_target(frequency_hz: float, targets: Sequence[Target]) -> tuple[Target, float] | None:
    """The string that was meant and the cents above its target; None where no string is near."""
    if not targets:
        return None
    best = min(targets, key=lambda target: abs(cents_between(target.frequency_hz, frequency_hz)))
    cents = cents_between(best.frequency_hz, frequency_hz)
    return (best, cents) if abs(cents) <= STRING_REACH_CENTS else None
