"""The tuner: follows what is plucked, finds the string by itself, and shows how a note drifts."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.level.peak import rms_dbfs
from fatsignal.core.lowpass import decimated, windowed_sinc
from fatsignal.core.pitch.notes import Target, nearest_note, nearest_target, note_name
from fatsignal.core.pitch.reading import ANALYSIS_RATE_HZ, QUIETEST_DBFS, PitchReading, read_pitch
from fatsignal.core.units import cents_between

# A string within this of its target is in tune for any ear; common practice, no source.
IN_TUNE_CENTS, NEARLY_CENTS = 2.0, 5.0
LONGEST_S = 0.46
# The first milliseconds hold the pick's noise; then this much is needed before a low string can be read.
ATTACK_S, _SHORTEST_S, _SHORTEST_LOW_S = 0.03, 0.10, 0.28
_LOW_HZ = 60.0
_JUMP_DB, _STEP_S = 6.0, 0.02
_SETTLED_S = 0.35
_MOST_WAITING_S = 0.2


@dataclass(frozen=True, slots=True)
class TunerReading:
    """What the tuner shows. `drift_cents` is how far above its present pitch the note began; None while it is new."""

    frequency_hz: float
    note: str
    string: int | None
    cents: float
    drift_cents: float | None
    since_onset_s: float
    level_dbfs: float
    clarity: float


class Tuner:
    """Fed with blocks of any size; gives a reading whenever it is asked, from the note that sounds."""

    def __init__(self, targets: Sequence[Target], *, rate_hz: int, reference_pitch_hz: float = 440.0) -> None:
        self._targets = list(targets)
        self._reference_pitch_hz = reference_pitch_hz
        self._factor = max(1, rate_hz // ANALYSIS_RATE_HZ)
        self._rate_hz = rate_hz / self._factor
        self._taps = (
            windowed_sinc(0.8 / self._factor, np.hamming(20 * self._factor + 1)) if self._factor > 1 else np.ones(1)
        )
        self._history = np.zeros(len(self._taps) - 1)
        self._waiting: list[Samples] = []
        self._waiting_frames = 0
        self._kept = np.zeros(0)
        self._since_onset = 0
        self._levels: list[float] = []
        self._undivided = np.zeros(0)
        self._first: tuple[float, float] | None = None

    def push(self, block: Samples) -> None:
        """Take in a block, shape (frames,). It costs next to nothing: the work is done when a reading is asked for."""
        self._waiting.append(block)
        self._waiting_frames += len(block)
        if self._waiting_frames > _MOST_WAITING_S * self._rate_hz * self._factor:
            self._take_in()

    def _take_in(self) -> None:
        """Bring what waits to the analysis rate."""
        raw = np.concatenate((self._history, *self._waiting))
        before = len(self._history)
        whole = (len(raw) - before) // self._factor * self._factor
        # The filter's length is a whole number of lowered frames, so its history is too.
        memory = len(self._taps) - 1
        lowered = decimated(raw, self._taps, self._factor, whole // self._factor)
        self._history = raw[whole : whole + memory]
        self._waiting = [raw[whole + memory :]]
        self._waiting_frames = len(self._waiting[0])
        self._kept = np.concatenate((self._kept, lowered))[-round((LONGEST_S + ATTACK_S) * self._rate_hz) :]
        self._since_onset += len(lowered)
        self._watch_for_onset(lowered)

    def reading(self) -> TunerReading | None:
        """What sounds now; None for silence, noise, several strings, or a note that is too new."""
        self._take_in()
        available = min(len(self._kept), self._since_onset - round(ATTACK_S * self._rate_hz))
        if available < _SHORTEST_S * self._rate_hz:
            return None
        available -= available % max(1, round(_STEP_S * self._rate_hz))
        found = read_pitch(self._kept[-available:], rate_hz=round(self._rate_hz))
        if found is None or (found.frequency_hz < _LOW_HZ and available < _SHORTEST_LOW_S * self._rate_hz):
            return None
        exact_hz = found.frequency_hz * self._rate_hz / round(self._rate_hz)
        since_s = self._since_onset / self._rate_hz
        drift = None
        if self._first is None or since_s < self._first[0]:
            self._first = (since_s, exact_hz)
        elif since_s > _SETTLED_S:
            drift = cents_between(exact_hz, self._first[1])
        return reading_of(found, exact_hz, self._targets, self._reference_pitch_hz, drift, since_s)

    def _watch_for_onset(self, lowered: Samples) -> None:
        """A jump of the level begins a new note: what sounded before it is not mixed into its pitch."""
        step = max(1, round(_STEP_S * self._rate_hz))
        self._undivided = np.concatenate((self._undivided, lowered))
        while len(self._undivided) >= step:
            level = max(rms_dbfs(self._undivided[:step]), -120.0)
            self._undivided = self._undivided[step:]
            before = max(self._levels[-4:], default=-120.0)
            if level > QUIETEST_DBFS and level > before + _JUMP_DB:
                self._since_onset = len(self._undivided) + step
                self._first = None
            self._levels = [*self._levels[-8:], level]


def reading_of(
    found: PitchReading, exact_hz: float, targets: Sequence[Target], reference_pitch_hz: float,
    drift: float | None, since_s: float,
) -> TunerReading:  # fmt: skip
    """A pitch against the string that is meant, or, without one near, against the nearest note."""
    meant = nearest_target(exact_hz, targets)
    if meant is None:
        midi_note, cents = nearest_note(exact_hz, reference_pitch_hz=reference_pitch_hz)
        name, string = note_name(midi_note), None
    else:
        target, cents = meant
        name, string = target.name, target.string
    return TunerReading(exact_hz, name, string, cents, drift, since_s, found.level_dbfs, found.clarity)
