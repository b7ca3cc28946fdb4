"""Notes that go out of tune from take to take: a string that slips, or strings that warm up."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fatsignal.core.takes.stroke_alignment import Performance
from fatsignal.core.takes.windows import Window

_FEWEST_NOTES, _FEWEST_TAKES = 3, 3
# Heard against a tuned instrument; common practice, no source.
_LEAST_CENTS = 6.0
# The change has to stand out from what the takes scatter by.
_SURE = 3.0
_WIDEST_CENTS = 45.0


@dataclass(frozen=True, slots=True)
class NotePitch:
    """A note that was played: its equal-tempered note, and how far it lies from it, cents."""

    frame: int
    midi_note: int
    cents: float


@dataclass(frozen=True, slots=True)
class TuningDrift:
    """By how many cents a note moved from one take to another, places in the order of recording."""

    midi_note: int
    cents: float
    first: int
    last: int


def pitches_of(take: Performance, span: Window, *, reference_hz: float) -> list[NotePitch]:
    """The notes of a take whose pitch can be read, in order; A4 is `reference_hz`."""
    found = []
    for stroke in take.strokes_in(span):
        frequency_hz = float(take.playing.pitch_hz[stroke])
        if not np.isfinite(frequency_hz):
            continue
        note = 69 + 12 * np.log2(frequency_hz / reference_hz)
        found.append(NotePitch(take.at(int(stroke)), round(note), round(100 * float(note - round(note)), 1)))
    return found


def tuning_drifts(takes: Sequence[Sequence[NotePitch]]) -> list[TuningDrift]:
    """Notes that moved in the course of takes, which are given in the order of recording; the largest first.

    The change is the line that fits the takes' medians best in the sense of Theil and Sen: the median of the slopes
    between all pairs of takes, which a single take that is off cannot bend.

    References
    ----------
    .. [1] P. K. Sen, "Estimates of the regression coefficient based on Kendall's tau", JASA 63, 1968.
    """
    drifts = []
    for note in sorted({pitch.midi_note for take in takes for pitch in take}):
        where, cents = [], []
        for place, take in enumerate(takes):
            mine = [pitch.cents for pitch in take if pitch.midi_note == note and abs(pitch.cents) <= _WIDEST_CENTS]
            if len(mine) >= _FEWEST_NOTES:
                where.append(place)
                cents.append(float(np.median(mine)))
        if len(where) < _FEWEST_TAKES:
            continue
        x, y = np.array(where, dtype=np.float64), np.array(cents)
        earlier, later = np.triu_indices(len(x), k=1)
        slope = float(np.median((y[later] - y[earlier]) / (x[later] - x[earlier])))
        off = y - slope * x
        scatter = 1.4826 * float(np.median(np.abs(off - np.median(off))))
        moved = slope * float(x[-1] - x[0])
        if abs(moved) >= max(_LEAST_CENTS, _SURE * scatter):
            drifts.append(TuningDrift(note, round(moved, 1), where[0], where[-1]))
    return sorted(drifts, key=lambda drift: -abs(drift.cents))
