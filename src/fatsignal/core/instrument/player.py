"""A written part, and a seeded player whose passes differ as a person's do."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

import numpy as np

from fatsignal.core.instrument.instruments import Instrument
from fatsignal.core.instrument.plucked_string import StringEvent
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


_DAMPED_S = 0.05
_MUTED_S = 0.8
_STRUM_S = 0.007
_AT_ONCE_FRAMES = 200


def perform(
    notes: list[Note], *, instrument: Instrument, tempo: TempoMap, from_frame: int, to_frame: int, seed: int,
    hand: Hand | None = None, reference_pitch_hz: float = 440.0, open_notes: Sequence[int] | None = None,
    string_cents: Sequence[float] | None = None,
) -> list[list[StringEvent]]:  # fmt: skip
    """Play the notes that begin within [from_frame, to_frame); one list of events a string.

    Event frames count from `from_frame`. The same seed gives the same pass, another one another pass:
    timing, force and intonation wander, now and then a note comes late, is choked or missing. `string_cents` says how
    far each string is out of tune besides.
    """
    hand = hand or Hand()
    open_notes = open_notes or instrument.open_notes
    random = np.random.default_rng([seed, from_frame & 0x7FFFFFFF])
    played: list[list[tuple[StringEvent, StringEvent]]] = [[] for _ in open_notes]
    # A string out of tune stays so for the whole pass.
    detune_cents = random.normal(0.0, hand.detune_cents, len(open_notes))
    if string_cents is not None:
        detune_cents = detune_cents + np.asarray(string_cents)
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
        if chance < hand.missed_chance:
            continue
        articulation = note.articulation
        if chance < hand.missed_chance + hand.fluffed_chance:
            articulation, force = Articulation.CHOKE, 0.6 * force
        pitch = open_notes[note.string] + note.fret + detune_cents[note.string] / 100
        frequency_hz = equal_tempered_hz(pitch, reference_pitch_hz=reference_pitch_hz)
        start = max(0, written - from_frame + round((ahead_s + strum_s) * tempo.rate_hz))
        end = tempo.quarter_frame(note.beat + note.beats) - from_frame
        decay_s = {
            Articulation.RING: instrument.decay_s * (110.0 / frequency_hz) ** 0.35,
            Articulation.MUTE: _MUTED_S,
            Articulation.CHOKE: 0.09,
        }[articulation]
        brightness = instrument.brightness * {
            Articulation.RING: 1.0, Articulation.MUTE: 0.75, Articulation.CHOKE: 0.4,
        }[articulation]  # fmt: skip
        stroke = StringEvent(start, frequency_hz, force, decay_s, brightness, True)
        played[note.string].append((stroke, StringEvent(max(end, start + 1), frequency_hz, 0.0, _DAMPED_S, 0.3, False)))
    return [_in_order(string) for string in played]


def _in_order(played: list[tuple[StringEvent, StringEvent]]) -> list[StringEvent]:
    """Strokes of one string in order, each followed by its damping, unless the next stroke comes before or at once.

    A hand that is ahead of the click strikes again before the last note's written end: that end is then past.
    """
    strokes = sorted(played, key=lambda pair: pair[0].frame)
    kept = []
    for index, (stroke, damping) in enumerate(strokes):
        kept.append(stroke)
        following = strokes[index + 1][0] if index + 1 < len(strokes) else None
        if following is None or following.frame - damping.frame >= _AT_ONCE_FRAMES:
            kept.append(damping)
    return kept
