"""A chord in equal temperament, interval by interval: how far from pure, how fast it beats, and what re-tuning does.

References
----------
.. [1] H. von Helmholtz, On the Sensations of Tone (1885), ch. X: two tones near a ratio a : b beat
   |a·f_low − b·f_high| times a second, where their partials a and b nearly meet.
.. [2] Ratios of five-limit just intonation, as tabled there in Appendix XX.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import combinations

import numpy as np

from fatsignal.core.pitch.notes import note_name
from fatsignal.core.units import cents_between, equal_tempered_hz
from fatsignal.errors import InvalidSetting

HIGHEST_FRET = 36
LARGEST_OFFSET_CENTS = 100.0
# A pull of each string towards where it is: only what the chords gain from is changed.
_STAY = 0.15


@dataclass(frozen=True, slots=True)
class PureInterval:
    """An interval within an octave: its name, its pure ratio, and how much a clash in it is heard."""

    name: str
    ratio: Fraction
    weight: float


# Weights of a compromise: octaves and fifths beat first, seconds and tritones have no pitch to be pure to.
_INTERVALS = (
    PureInterval("unison", Fraction(1), 3.0),
    PureInterval("minor second", Fraction(16, 15), 0.0),
    PureInterval("major second", Fraction(9, 8), 0.1),
    PureInterval("minor third", Fraction(6, 5), 1.0),
    PureInterval("major third", Fraction(5, 4), 1.5),
    PureInterval("fourth", Fraction(4, 3), 2.0),
    PureInterval("tritone", Fraction(45, 32), 0.0),
    PureInterval("fifth", Fraction(3, 2), 2.5),
    PureInterval("minor sixth", Fraction(8, 5), 0.8),
    PureInterval("major sixth", Fraction(5, 3), 1.0),
    PureInterval("minor seventh", Fraction(9, 5), 0.2),
    PureInterval("major seventh", Fraction(15, 8), 0.1),
)


@dataclass(frozen=True, slots=True)
class Shape:
    """A chord as frets from the lowest string; None is not played."""

    name: str
    frets: tuple[int | None, ...]


@dataclass(frozen=True, slots=True)
class IntervalReport:
    """Two strings of a chord. `cents_from_pure` is positive where the interval is too wide."""

    low_string: int
    high_string: int
    low_note: str
    high_note: str
    name: str
    ratio: str
    cents_from_pure: float
    beats_hz: float
    weight: float


@dataclass(frozen=True, slots=True)
class ShapeReport:
    """A chord's intervals, and one figure for all: the weighted mean distance from pure."""

    name: str
    frets: tuple[int | None, ...]
    intervals: list[IntervalReport]
    clash_cents: float


@dataclass(frozen=True, slots=True)
class Compromise:
    """Cents to add to each string, and every chord before and after."""

    offsets_cents: list[float]
    before: list[ShapeReport]
    after: list[ShapeReport]


def check_shape(shape: Shape, open_notes: Sequence[int]) -> None:
    """Refuse a shape that the instrument cannot hold."""
    if len(shape.frets) != len(open_notes):
        raise InvalidSetting(
            f"{shape.name} has {len(shape.frets)} strings and the tuning {len(open_notes)}: "
            "give a fret, or x, for each string from the lowest"
        )
    for string, fret in enumerate(shape.frets):
        if fret is not None and not 0 <= fret <= HIGHEST_FRET:
            raise InvalidSetting(f"fret {fret} on string {string + 1} of {shape.name} is outside 0 to {HIGHEST_FRET}")
    if sum(fret is not None for fret in shape.frets) < 2:
        raise InvalidSetting(f"{shape.name} sounds on one string only: an interval needs two")


def report_shape(
    shape: Shape, open_notes: Sequence[int], *, offsets_cents: Sequence[float] | None = None,
    reference_pitch_hz: float = 440.0,
) -> ShapeReport:  # fmt: skip
    """Every interval of a chord with its distance from pure and its beats, each string moved by its offset."""
    check_shape(shape, open_notes)
    offsets = list(offsets_cents or [0.0] * len(open_notes))
    sounding = [(string, open_notes[string] + fret) for string, fret in enumerate(shape.frets) if fret is not None]
    intervals = []
    for one, other in combinations(sounding, 2):
        (low_string, low), (high_string, high) = sorted((one, other), key=lambda pair: (pair[1], pair[0]))
        low_hz, high_hz = (
            equal_tempered_hz(note, reference_pitch_hz=reference_pitch_hz) * 2 ** (offsets[string] / 1200)
            for string, note in ((low_string, low), (high_string, high))
        )
        pure, ratio = _pure(high - low)
        intervals.append(
            IntervalReport(
                low_string, high_string, note_name(low), note_name(high), _name(pure, high - low),
                f"{ratio.numerator}/{ratio.denominator}",
                cents_between(float(ratio) * low_hz, high_hz),
                abs(ratio.numerator * low_hz - ratio.denominator * high_hz),
                pure.weight,
            )
        )  # fmt: skip
    weights = np.array([interval.weight for interval in intervals])
    errors = np.array([interval.cents_from_pure for interval in intervals])
    clash = float(np.sqrt(np.sum(weights * errors**2) / weights.sum())) if weights.sum() > 0 else 0.0
    return ShapeReport(shape.name, shape.frets, intervals, clash)


def best_compromise(
    shapes: Sequence[Shape], open_notes: Sequence[int], *, left_alone: Sequence[int] = (),
    reference_pitch_hz: float = 440.0,
) -> Compromise:  # fmt: skip
    """Offsets of the open strings that bring all chords nearest to pure together, by least squares.

    Minimised is Σ w·(e + d_high − d_low)² over all intervals of all chords, plus a small pull of every d towards zero.
    Strings in `left_alone` keep their tuning; offsets count from equal temperament.
    """
    if not shapes:
        raise InvalidSetting("no chord is listed: add the chords of the song first")
    strings = len(open_notes)
    fixed = set(left_alone)
    if not fixed <= set(range(strings)):
        raise InvalidSetting(f"a string to leave alone is outside 1 to {strings}")
    if len(fixed) == strings:
        raise InvalidSetting("every string is to be left alone: free at least one")
    rows, values = [], []
    before = [report_shape(shape, open_notes, reference_pitch_hz=reference_pitch_hz) for shape in shapes]
    for report in before:
        for interval in report.intervals:
            if interval.weight <= 0 or interval.low_string == interval.high_string:
                continue
            row = np.zeros(strings)
            row[interval.high_string] += 1
            row[interval.low_string] -= 1
            rows.append(np.sqrt(interval.weight) * row)
            values.append(-np.sqrt(interval.weight) * interval.cents_from_pure)
    scale = np.sqrt(_STAY * max(1, len(shapes)))
    free = [string for string in range(strings) if string not in fixed]
    design = np.vstack([*rows, *(scale * np.eye(strings))])[:, free]
    target = np.concatenate((values, np.zeros(strings)))
    solved = np.linalg.lstsq(design, target, rcond=None)[0]
    offsets = [0.0] * strings
    for string, cents in zip(free, solved, strict=True):
        offsets[string] = float(cents)
    after = [
        report_shape(shape, open_notes, offsets_cents=offsets, reference_pitch_hz=reference_pitch_hz)
        for shape in shapes
    ]
    return Compromise(offsets, before, after)


def parse_frets(typed: str) -> tuple[int | None, ...]:
    """A shape as it is written: "x02210", "x 0 2 2 1 0" or "8-x-10-9-8-x"."""
    text = typed.strip().lower()
    parts = text.replace("-", " ").replace(",", " ").split() if any(sep in text for sep in " -,") else list(text)
    frets: list[int | None] = []
    for part in parts:
        if part in ("x", "m"):
            frets.append(None)
        elif part.isdigit() and len(part) <= 2:
            frets.append(int(part))
        else:
            raise InvalidSetting(
                f'"{typed.strip()[:40]}" is not a chord shape: '
                "a fret or x for each string, as in x02210 or 8-x-10-9-8-x"
            )
    return tuple(frets)


def _pure(semitones: int) -> tuple[PureInterval, Fraction]:
    octaves, within = divmod(semitones, 12)
    pure = _INTERVALS[within]
    return pure, pure.ratio * 2**octaves


def _name(pure: PureInterval, semitones: int) -> str:
    octaves = semitones // 12
    if pure.name == "unison":
        return ("unison", "octave")[octaves] if octaves < 2 else f"{octaves} octaves"
    return pure.name if not octaves else f"{pure.name} and {'an octave' if octaves == 1 else f'{octaves} octaves'}"
