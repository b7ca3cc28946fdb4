"""How well mistakes are found that the simulated player makes on purpose: precision and recall, over 200 takes.

Each group is five takes of eight bars; three of them hold planted mistakes of different kinds, two are clean. A finding
counts when its kind is right and it lies within 60 ms of what was planted.
"""

import sys
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.instrument.player import Hand, Mistake, MistakeKind, Note
from fatsignal.core.takes.compare import compare
from fatsignal.core.takes.notes import listen_to
from fatsignal.core.takes.stroke_alignment import Performance as Heard
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.demo import song
from fatsignal.demo.build import BARITONE_RIG, BASS_RIG, LEAD_RIG
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.simulated import Performance, SimulatedRig

RATE_HZ = 48_000
TEMPO = TempoMap.steady(song.TEMPO_BPM, rate_hz=RATE_HZ)
# A practised hand, five milliseconds around its own drift; nothing goes wrong by chance.
STEADY = Hand(timing_s=0.003, late_chance=0.0, fluffed_chance=0.0, missed_chance=0.0)
TAKES, WITH_MISTAKES = 5, 3
GROUPS = 40
NEAR_FRAMES = round(0.06 * RATE_HZ)

# What is said of each planted kind.
SAID = {
    MistakeKind.MISSING: {"missing"}, MistakeKind.EXTRA: {"extra"}, MistakeKind.LATE: {"late", "early"},
    MistakeKind.DETUNED: {"flat", "sharp"}, MistakeKind.CHOKED: {"choked"}, MistakeKind.RINGING: {"rings over"},
}  # fmt: skip


@dataclass(frozen=True)
class Part:
    """Whose mistakes are looked for: pitch is read from single notes only."""

    name: str
    rig: RigSetup
    notes: list[Note]
    first_bar: int
    kinds: tuple[MistakeKind, ...]


_ALL = (MistakeKind.MISSING, MistakeKind.EXTRA, MistakeKind.LATE, MistakeKind.DETUNED, MistakeKind.CHOKED)
PARTS = (
    Part("lead", LEAD_RIG, song.lead_part(), 13, _ALL),
    Part("bass", BASS_RIG, song.bass_part(), 13, _ALL),
    Part("muted eighths", BARITONE_RIG, song.baritone_part(), 5, (MistakeKind.MISSING, MistakeKind.LATE)),
    Part("bass with rests", BASS_RIG, song.bass_part(), 5, (*_ALL, MistakeKind.RINGING)),
    Part(
        "open chords",
        BARITONE_RIG,
        song.baritone_part(),
        13,
        (MistakeKind.MISSING, MistakeKind.LATE, MistakeKind.CHOKED),
    ),
)


def planted(part: Part, random: np.random.Generator, span: Window, takes: int) -> list[list[Mistake]]:
    """One mistake of each kind in each take, all at different beats, not at the edges."""
    inside = {note.beat for note in part.notes if span.from_frame <= TEMPO.quarter_frame(note.beat) < span.to_frame}
    beats = sorted(inside)
    rings = MistakeKind.RINGING in part.kinds
    # Only where a rest follows can a note ring over: in such a part after the first one of a bar.
    before_rests = [beat for beat in beats if (beat - beats[0]) % 4 == 0] if rings else []
    rests = [before_rests[index] for index in random.permutation(len(before_rests))[:takes]]
    free = [index for index in range(2, len(beats) - 2) if beats[index] not in rests]
    places = random.permutation(free)[: takes * len(part.kinds)]
    made: list[list[Mistake]] = []
    for take in range(takes):
        mine = []
        for kind, index in zip(part.kinds, places[take * len(part.kinds) :], strict=False):
            beat, amount = beats[index], 0.0
            match kind:
                case MistakeKind.LATE:
                    amount = float(random.choice([-0.035, 0.035]))
                case MistakeKind.DETUNED:
                    amount = float(random.choice([-20.0, 20.0]))
                case MistakeKind.EXTRA:
                    beat = beat + (beats[index + 1] - beat) / 2
                case MistakeKind.RINGING:
                    beat, amount = rests[take], 0.4
            mine.append(Mistake(kind, Fraction(beat), amount))
        made.append(mine)
    return made


def recorded(part: Part, seed: int, mistakes: tuple[Mistake, ...] = (), hand: Hand = STEADY) -> Real:
    """The DI of one take of eight bars, shape (frames,), from the bar before on."""
    span = Window(TEMPO.bar_frame(part.first_bar), TEMPO.bar_frame(part.first_bar + 8))
    start = TEMPO.bar_frame(part.first_bar - 1)
    performance = Performance.within(
        span, part.notes, TEMPO, from_frame=start, to_frame=span.to_frame + RATE_HZ // 2, seed=seed
    )
    rig = SimulatedRig(
        part.rig.model_copy(update={"mics": []}), replace(performance, hand=hand, mistakes=mistakes), pace=RigClock(0),
        block_frames=8192,
    )  # fmt: skip
    blocks = []
    while (block := rig.read_block()) is not None:
        blocks.append(block.samples[:, 0])
    return np.concatenate(blocks)


def play(part: Part, seed: int, mistakes: tuple[Mistake, ...], hand: Hand = STEADY) -> Heard:
    """One take, heard out."""
    heard = listen_to(recorded(part, seed, mistakes, hand), rate_hz=RATE_HZ)
    return Heard(heard, TEMPO.bar_frame(part.first_bar - 1))


def group(part: Part, seed: int) -> Counter[tuple[str, str]]:
    """Hits, misses and false alarms of one group."""
    random = np.random.default_rng(seed)
    span = Window(TEMPO.bar_frame(part.first_bar), TEMPO.bar_frame(part.first_bar + 8))
    made = [*planted(part, random, span, WITH_MISTAKES), *([] for _ in range(TAKES - WITH_MISTAKES))]
    takes = [play(part, 1000 * seed + index, tuple(made[index])) for index in range(TAKES)]
    counts: Counter[tuple[str, str]] = Counter()
    for mistakes, findings in zip(made, compare(takes, span, TEMPO), strict=True):
        left = list(findings)
        for mistake in mistakes:
            at = TEMPO.quarter_frame(mistake.beat)
            hit = next((f for f in left if f.kind in SAID[mistake.kind] and abs(f.at_frame - at) <= NEAR_FRAMES), None)
            counts[mistake.kind, "hit" if hit else "missed"] += 1
            if hit:
                left.remove(hit)
        for finding in left:
            kind = next((kind for kind, said in SAID.items() if finding.kind in said), finding.kind)
            counts[kind, "false"] += 1
    return counts


def _one(task: tuple[int, int]) -> tuple[str, Counter[tuple[str, str]]]:
    part = PARTS[task[0]]
    return part.name, group(part, task[1])


def results(groups: int) -> Iterator[tuple[str, Counter[tuple[str, str]]]]:
    """Counts of every group, in two processes."""
    tasks = [(index % len(PARTS), 17 + index) for index in range(groups)]
    with ProcessPoolExecutor(max_workers=2) as pool:
        yield from pool.map(_one, tasks)


def main() -> None:
    """Print precision and recall of each kind, over all parts and of each part."""
    groups = int(sys.argv[1]) if len(sys.argv) > 1 else GROUPS
    total: Counter[tuple[str, str]] = Counter()
    by_part: dict[str, Counter[tuple[str, str]]] = {}
    for name, counts in results(groups):
        total += counts
        by_part.setdefault(name, Counter()).update(counts)
    print(f"{groups * TAKES} takes of eight bars, mistakes planted in three of five")
    for name, counts in [("all parts", total), *by_part.items()]:
        print(name)
        for kind in sorted({kind for kind, _ in counts}):
            hit, missed, false = (counts[kind, what] for what in ("hit", "missed", "false"))
            precision = hit / (hit + false) if hit + false else 1.0
            recall = hit / (hit + missed) if hit + missed else 1.0
            counted = f"{hit} found, {missed} missed, {false} false"
            print(f"  {kind:12} precision {precision:.2f}  recall {recall:.2f}  ({counted})")


if __name__ == "__main__":
    main()
