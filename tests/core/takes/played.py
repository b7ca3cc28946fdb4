"""Simulated takes whose truth is known: what the player did, stroke by stroke, and which mistakes were planted."""

from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache

import numpy as np

from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.core.instrument.player import Hand, Mistake, MistakeKind, Note, perform
from fatsignal.core.takes.notes import listen_to
from fatsignal.core.takes.stroke_alignment import Performance as Heard
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.demo import song
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import RigSetup, standard_rig
from fatsignal.rig.simulated import Performance, SimulatedRig
from tests.signals import FS, drained

TEMPO = TempoMap.steady(104, rate_hz=FS)
# A practised hand, five milliseconds around its own drift; nothing goes wrong by chance.
STEADY = Hand(timing_s=0.003, late_chance=0.0, fluffed_chance=0.0, missed_chance=0.0)


@dataclass(frozen=True)
class Part:
    instrument: str
    notes: tuple[Note, ...]
    first_bar: int
    bars: int = 4

    @property
    def rig(self) -> RigSetup:
        return standard_rig(self.instrument).model_copy(update={"mics": []})

    @property
    def span(self) -> Window:
        return Window(TEMPO.bar_frame(self.first_bar), TEMPO.bar_frame(self.first_bar + self.bars))


PARTS = {
    "lead": Part("six-string guitar", tuple(song.lead_part()), 13, 8),
    "bass": Part("four-string bass", tuple(song.bass_part()), 13),
    "rests": Part("four-string bass", tuple(song.bass_part()), 5),
    "muted": Part("baritone guitar", tuple(song.baritone_part()), 5),
    "chords": Part("baritone guitar", tuple(song.baritone_part()), 13),
}


def played(part: Part, *, seed: int, mistakes: tuple[Mistake, ...] = (), hand: Hand = STEADY):
    """A DI, what the player did in it (frames of the DI, string, pluck), and where it begins in the song."""
    start, end = part.span.from_frame - FS // 2, part.span.to_frame + FS // 2
    performance = Performance.within(part.span, list(part.notes), TEMPO, from_frame=start, to_frame=end, seed=seed)
    performance = replace(performance, hand=hand, mistakes=mistakes)
    signal = drained(SimulatedRig(part.rig, performance, pace=RigClock(0), block_frames=8192))[:, 0]
    events = perform(
        performance.notes, instrument=INSTRUMENTS[part.instrument], tempo=TEMPO, from_frame=start, to_frame=end,
        seed=seed, hand=hand, open_notes=part.rig.open_notes, string_cents=[0.0] * len(part.rig.open_notes),
        mistakes=mistakes,
    )  # fmt: skip
    plucks = sorted((event.frame, string) for string, row in enumerate(events) for event in row if event.pluck)
    return signal, plucks, start


def strokes_of(plucks) -> np.ndarray:
    """First plucks of strokes: strings that follow each other within 60 ms are one."""
    found = []
    for frame, _ in plucks:
        if not found or frame - found[-1] > 0.06 * FS:
            found.append(frame)
    return np.array(found)


@lru_cache(maxsize=64)
def heard(part: Part, *, seed: int, mistakes: tuple[Mistake, ...] = (), hand: Hand = STEADY) -> Heard:
    """A simulated take, heard out, on the song's time line."""
    signal, _, start = played(part, seed=seed, mistakes=mistakes, hand=hand)
    return Heard(listen_to(signal, rate_hz=FS), start)


def beats_of(part: Part) -> list[Fraction]:
    """Beats on which a part strikes within its bars."""
    span = part.span
    return sorted({n.beat for n in part.notes if span.from_frame <= TEMPO.quarter_frame(n.beat) < span.to_frame})


def mistake(kind: str, part: Part, index: int, amount: float = 0.0) -> Mistake:
    """A mistake at the index-th stroke of a part."""
    return Mistake(MistakeKind(kind), beats_of(part)[index], amount)
