"""The pulse of a recording, as it was found or as a person corrected it, and a tempo map laid over one that drifts."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from fatsignal.core.timing.tempo import FASTEST_BPM, SLOWEST_BPM, MeterChange, TempoChange, TempoMap
from fatsignal.errors import SignalError

# A beat this far from an even row is felt as drift when one plays to a steady click.
STEADY_MS = 15.0
FOLLOW_MS = 8.0


@dataclass(frozen=True, slots=True)
class Pulse:
    """Beats as frames of the recording. `confidence` 0 to 1; `drift_ms` is how far beats stray from an even row."""

    bpm: float
    beats: list[int]
    first_downbeat: int
    beats_per_bar: int
    confidence: float
    downbeat_confidence: float
    drift_ms: float

    @property
    def steady(self) -> bool:
        return self.drift_ms <= STEADY_MS


def map_over(pulse: Pulse, *, rate_hz: int, bar_one_frame: int, follow_ms: float = FOLLOW_MS) -> tuple[TempoMap, int]:
    """A tempo map whose bars lie on the recording's downbeats, and the frame at which the recording then begins.

    A tempo is held for as long as every downbeat stays within `follow_ms` of it; each change stands at the true
    place of its bar, so that no drift gathers.
    """
    downbeats = _downbeats(pulse)
    if len(downbeats) < 3:
        raise SignalError("a map needs three bars: the recording is too short, or its first beat is set too late")
    tolerance = follow_ms * rate_hz / 1000
    changes: list[TempoChange] = []
    start = 0
    while start < len(downbeats) - 1:
        end = start + 1
        while end + 1 < len(downbeats) and _fits(downbeats[start : end + 2], tolerance):
            end += 1
        frames = Fraction(downbeats[end] - downbeats[start], end - start)
        bpm = Fraction(60 * rate_hz * pulse.beats_per_bar) / frames
        if not SLOWEST_BPM <= bpm <= FASTEST_BPM:
            raise SignalError(
                f"bar {start + 1} would need {float(bpm):.0f} beats a minute: correct the first beat first"
            )
        changes.append(TempoChange(start + 1, bpm, meant=True))
        start = end
    tempo = TempoMap(rate_hz, tuple(changes), (MeterChange(1, pulse.beats_per_bar, meant=True),), bar_one_frame)
    return tempo, bar_one_frame - pulse.first_downbeat


def corrected(pulse: Pulse, *, first_downbeat: int) -> Pulse:
    """The pulse with its first beat where a person dragged it: the row of beats is moved there as a whole."""
    nearest = min(pulse.beats, key=lambda beat: abs(beat - first_downbeat))
    shift = first_downbeat - nearest
    return Pulse(
        pulse.bpm, [beat + shift for beat in pulse.beats], first_downbeat, pulse.beats_per_bar, pulse.confidence, 1.0,
        pulse.drift_ms,
    )  # fmt: skip


def _downbeats(pulse: Pulse) -> list[int]:
    later = [beat for beat in pulse.beats if beat >= pulse.first_downbeat]
    return later[:: pulse.beats_per_bar]


def _fits(places: Sequence[int], tolerance: float) -> bool:
    row = np.linspace(places[0], places[-1], len(places))
    return bool(np.max(np.abs(row - np.array(places))) <= tolerance)
