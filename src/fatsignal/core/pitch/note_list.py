"""Every single note of a recording, with its string, its pitch and how it drifts."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.mono_sound import MonoInMemory
from fatsignal.core.pitch.notes import Target
from fatsignal.core.pitch.reading import read_pitch
from fatsignal.core.pitch.tuner import ATTACK_S, LONGEST_S, reading_of
from fatsignal.core.timing.beat_onsets import find_onsets
from fatsignal.core.units import cents_between

_STEP_S = 0.02
_NOTE_END_DB = -40.0


@dataclass(frozen=True, slots=True)
class NoteFound:
    """One note of a file; `string` is from 0, the lowest, or None where no tuning was given or none is near."""

    start_s: float
    length_s: float
    frequency_hz: float
    note: str
    string: int | None
    cents: float
    drift_cents: float | None


def list_notes(clip: Clip, targets: Sequence[Target] = (), *, reference_pitch_hz: float = 440.0) -> list[NoteFound]:
    """Every single note of a recording with its pitch; chords, noise and silence give none.

    The channels are taken together. Pitch is read once a note has settled, drift against its first tenth of a second.
    """
    signal = np.ascontiguousarray(clip.samples.mean(axis=1))
    rate_hz = clip.rate_hz
    onsets = [*find_onsets(MonoInMemory(signal, rate_hz)).tolist(), signal.size]
    notes = []
    for start, following in pairwise(onsets):
        end = _end_of(signal[start:following], rate_hz) + start
        body = signal[start + round(ATTACK_S * rate_hz) : end]
        found = read_pitch(body[: round(LONGEST_S * rate_hz)], rate_hz=rate_hz)
        if found is None:
            continue
        reading = reading_of(
            found, found.frequency_hz, targets, reference_pitch_hz, _drift(body, rate_hz, found.frequency_hz), 0.0
        )
        notes.append(
            NoteFound(
                start / rate_hz, (end - start) / rate_hz, reading.frequency_hz, reading.note, reading.string,
                reading.cents, reading.drift_cents,
            )
        )  # fmt: skip
    return notes


def _drift(body: Samples, rate_hz: int, settled_hz: float) -> float | None:
    """Cents by which the first moments of a note are above its later pitch."""
    short = max(round(0.1 * rate_hz), math.ceil(6 * rate_hz / settled_hz))
    if body.size < 3 * short:
        return None
    first, later = (read_pitch(piece, rate_hz=rate_hz) for piece in (body[:short], body[-2 * short : -short]))
    if first is None or later is None or abs(cents_between(later.frequency_hz, first.frequency_hz)) > 100:
        return None
    return cents_between(later.frequency_hz, first.frequency_hz)


def _end_of(signal: Samples, rate_hz: int) -> int:
    """Frames until a note has fallen 40 dB below its loudest, or all of it."""
    step = round(_STEP_S * rate_hz)
    whole = signal.size // step
    if whole < 2:
        return signal.size
    level = np.sqrt(np.mean(np.square(signal[: whole * step].reshape(whole, step)), axis=1))
    quiet = np.flatnonzero(level < level.max() * 10 ** (_NOTE_END_DB / 20))
    quiet = quiet[quiet > int(np.argmax(level))]
    return int(quiet[0]) * step if len(quiet) else signal.size
