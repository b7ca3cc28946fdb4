"""A written part, and a seeded player whose passes differ as a person's do."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

import numpy as np

from fatsignal.core.instrument.instruments import Instrument
from fatsignal.core.instrument.string_event import StringEvent
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.units import equal_tempered_hz


class Articulation(StrEnum):
    """How a note is held: left ringing, damped by the palm at the bridge, or choked by the fretting hand."""

    RING = "ring"
    MUTE = "mute"
    CHOKE = "choke"


@dataclass(frozen=True, slots=True)
class Note:
    """A written note. `beat` and `beats` are quarter notes from bar 1 of the song; `string` from 0, the lowest."""

    beat: Fraction
    beats: Fraction
    string: int
    fret: int
    force: float
    articulation: Articulation = Articulation.RING


@dataclass(frozen=True, slots=True)
class Hand:
    """How steady a player is; chances are per note."""

    timing_s: float = 0.006
    force_spread: float = 0.08
    detune_cents: float = 3.0
    late_chance: float = 0.015
    fluffed_chance: float = 0.012
    missed_chance: float = 0.004


class MistakeKind(StrEnum):
    """What may go wrong with a stroke on purpose, so that it can be looked for."""

    MISSING = "missing"
    EXTRA = "extra"
    LATE = "late"
    DETUNED = "detuned"
    CHOKED = "choked"
    RINGING = "ringing"
    HARD = "hard"


@dataclass(frozen=True, slots=True)
class Mistake:
    """A mistake at a written beat, on one string or on all that are struck there.

    `amount` is seconds for a late stroke, cents for a detuned one, quarters by which one rings over, and the factor of
    its force for one that is struck too hard.
    """

    kind: MistakeKind
    beat: Fraction
    amount: float = 0.0
    string: int | None = None

    def concerns(self, note: Note) -> bool:
        return note.beat == self.beat and self.string in (None, note.string)


_DAMPED_S = 0.05
_MUTED_S = 0.8
# How long pick or finger lies on a string before letting go, and how fast that stops it.
_PICK_S, _FINGER_S, _STOPPED_S = 0.008, 0.02, 0.02
_STRUM_S = 0.007
_AT_ONCE_FRAMES = 200


def perform(
    notes: list[Note], *, instrument: Instrument, tempo: TempoMap, from_frame: int, to_frame: int, seed: int,
    hand: Hand | None = None, reference_pitch_hz: float = 440.0, open_notes: Sequence[int] | None = None,
    string_cents: Sequence[float] | None = None, mistakes: Sequence[Mistake] = (),
) -> list[list[StringEvent]]:  # fmt: skip
    """Play the notes that begin within [from_frame, to_frame); one list of events a string.

    Event frames count from `from_frame`. The same seed gives the same pass, another one another pass:
    timing, force and intonation wander, now and then a note comes late, is choked or missing. `string_cents` says how
    far each string is out of tune besides; `mistakes` are made on top of those that happen by chance.
    """
    hand = hand or Hand()
    open_notes = open_notes or instrument.open_notes
    random = np.random.default_rng([seed, from_frame & 0x7FFFFFFF])
    played: list[list[tuple[StringEvent, StringEvent]]] = [[] for _ in open_notes]
    # A string out of tune stays so for the whole pass.
    detune_cents = random.normal(0.0, hand.detune_cents, len(open_notes))
    if string_cents is not None:
        detune_cents = detune_cents + np.asarray(string_cents)
    made: dict[MistakeKind, list[Mistake]] = {}
    for mistake in mistakes:
        made.setdefault(mistake.kind, []).append(mistake)

    def amount(kind: MistakeKind, note: Note) -> float | None:
        return next((mistake.amount for mistake in made.get(kind, []) if mistake.concerns(note)), None)

    notes = [*notes, *_extra(notes, made.get(MistakeKind.EXTRA, []))]
    last_start: dict[Fraction, int] = {}
    ahead_s = 0.0
    for note in sorted(notes, key=lambda note: (note.beat, note.string)):
        written = tempo.quarter_frame(note.beat)
        if not from_frame <= written < to_frame:
            continue
        if note.beat not in last_start:
            # A hand drifts slowly against the click, and scatters around its drift.
            ahead_s = 0.8 * ahead_s + random.normal(0.0, hand.timing_s)
            if random.random() < hand.late_chance:
                ahead_s += random.uniform(0.025, 0.055)
            last_start[note.beat] = 0
        # The strings of a chord are struck one after the other.
        strum_s = last_start[note.beat] * _STRUM_S * (0.7 + 0.6 * random.random())
        last_start[note.beat] += 1
        chance = random.random()
        force = float(np.clip(note.force * (1 + random.normal(0.0, hand.force_spread)), 0.05, 1.0))
        if chance < hand.missed_chance or amount(MistakeKind.MISSING, note) is not None:
            continue
        articulation = note.articulation
        force *= amount(MistakeKind.HARD, note) or 1.0
        if chance < hand.missed_chance + hand.fluffed_chance or amount(MistakeKind.CHOKED, note) is not None:
            # The pick strikes as ever; the hand lies on the string.
            articulation, force = Articulation.CHOKE, 0.8 * force
        cents = detune_cents[note.string] + (amount(MistakeKind.DETUNED, note) or 0.0)
        pitch = open_notes[note.string] + note.fret + cents / 100
        frequency_hz = equal_tempered_hz(pitch, reference_pitch_hz=reference_pitch_hz)
        late_s = amount(MistakeKind.LATE, note) or 0.0
        start = max(0, written - from_frame + round((ahead_s + strum_s + late_s) * tempo.rate_hz))
        rings_on = Fraction(amount(MistakeKind.RINGING, note) or 0).limit_denominator(960)
        end = tempo.quarter_frame(note.beat + note.beats + rings_on) - from_frame
        decay_s = {
            Articulation.RING: instrument.decay_s * (110.0 / frequency_hz) ** 0.35,
            Articulation.MUTE: _MUTED_S,
            Articulation.CHOKE: 0.09,
        }[articulation]
        brightness = instrument.brightness * {
            Articulation.RING: 1.0, Articulation.MUTE: 0.75, Articulation.CHOKE: 0.9,
        }[articulation]  # fmt: skip
        stroke = StringEvent(start, frequency_hz, force, decay_s, brightness, True)
        played[note.string].append((stroke, StringEvent(max(end, start + 1), frequency_hz, 0.0, _DAMPED_S, 0.3, False)))
    touch_frames = round((_FINGER_S if instrument.bass else _PICK_S) * tempo.rate_hz)
    return [_in_order(string, touch_frames) for string in played]


def _extra(notes: Sequence[Note], mistakes: Sequence[Mistake]) -> list[Note]:
    """Strokes that nobody wrote: what was struck last, once more."""
    added = []
    for mistake in mistakes:
        before = max((note.beat for note in notes if note.beat < mistake.beat), default=None)
        again = [note for note in notes if note.beat == before and mistake.string in (None, note.string)]
        added += [replace(note, beat=mistake.beat, beats=Fraction(1, 4)) for note in again]
    return added


def _in_order(played: list[tuple[StringEvent, StringEvent]], touch_frames: int) -> list[StringEvent]:
    """Strokes of one string in order, each followed by its damping, unless the next stroke comes before or at once.

    A hand that is ahead of the click strikes again before the last note's written end: that end is then past. Before a
    string is struck again, pick or finger lies on it for a moment and stops it.
    """
    strokes = sorted(played, key=lambda pair: pair[0].frame)
    kept = []
    for index, (stroke, damping) in enumerate(strokes):
        kept.append(stroke)
        following = strokes[index + 1][0] if index + 1 < len(strokes) else None
        touched = None if following is None else max(stroke.frame + 1, following.frame - touch_frames)
        if touched is None or touched - damping.frame >= _AT_ONCE_FRAMES:
            kept.append(damping)
        if touched is not None:
            kept.append(StringEvent(touched, stroke.frequency_hz, 0.0, _STOPPED_S, 0.2, False))
    return sorted(kept, key=lambda event: event.frame)
