"""By how much something is moved in time, as a person types it: "12 ms", "-240 samples", "1/16", "-1/8T"."""

import re
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import InvalidSetting

Unit = Literal["ms", "samples", "quarters"]

_NUMBER = re.compile(r"([+-]?)\s*(\d+(?:[.,]\d+)?)\s*(ms|s|smp|samples?|beats?|)", re.IGNORECASE)
_NOTE = re.compile(r"([+-]?)\s*(\d{1,3})\s*/\s*(\d{1,3})\s*(t|d|triplet|dotted|\.|)", re.IGNORECASE)
# A triplet note lasts two thirds of its value, a dotted one half as long again.
_LASTS = {
    "": Fraction(1), "t": Fraction(2, 3), "triplet": Fraction(2, 3), "d": Fraction(3, 2), "dotted": Fraction(3, 2),
    ".": Fraction(3, 2),
}  # fmt: skip
_LONGEST_S = 3_600


@dataclass(frozen=True, slots=True)
class Shift:
    """So many milliseconds, samples or quarter notes later; earlier where it is negative."""

    amount: Fraction
    unit: Unit

    def frames_from(self, frame: int, tempo: TempoMap) -> int:
        """How many frames that is for what begins at a frame of the song."""
        if self.unit == "samples":
            return round(self.amount)
        if self.unit == "ms":
            return round(self.amount * tempo.rate_hz / 1000)
        at = tempo.quarter_at(frame)
        return tempo.frames_between(at, at + self.amount)


def parse_shift(typed: str) -> Shift:
    """A shift as it is typed; a number alone is milliseconds.

    Raises
    ------
    InvalidSetting
        If it is none, or farther than an hour.
    """
    text = typed.strip().replace("−", "-")
    note, number = _NOTE.fullmatch(text), _NUMBER.fullmatch(text)
    if note and int(note[3]):
        whole = Fraction(int(note[2]), int(note[3])) * 4 * _LASTS[note[4].lower()]
        shift = Shift(_signed(note[1], whole), "quarters")
    elif number:
        amount, unit = Fraction(number[2].replace(",", ".")), number[3].lower()
        if unit in ("smp", "sample", "samples"):
            shift = Shift(_signed(number[1], amount), "samples")
        elif unit.startswith("beat"):
            shift = Shift(_signed(number[1], amount), "quarters")
        else:
            shift = Shift(_signed(number[1], amount * (1000 if unit == "s" else 1)), "ms")
    else:
        raise InvalidSetting(
            f'"{typed}" is no shift: type milliseconds ("12 ms"), samples ("-240 samples") or a note ("1/16", "1/8T")'
        )
    if abs(shift.amount) > _LONGEST_S * (192_000 if shift.unit == "samples" else 1000 if shift.unit == "ms" else 4):
        raise InvalidSetting(f'"{typed}" is more than an hour: nothing is moved so far')
    return shift


def _signed(sign: str, amount: Fraction) -> Fraction:
    return -amount if sign == "-" else amount
