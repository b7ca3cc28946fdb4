"""Blocks in a row as running code, at one rate: those that make partials run at a higher one, between two ladders.

A whole tone is such a row, and so is each path of a split.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from difflib import SequenceMatcher
from itertools import groupby

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.tone.blocks.block import Channels, KeyedStep, Operating, Step, ToneBlock
from fatsignal.core.tone.oversampling import Oversampler
from fatsignal.core.tone.taking_over import take_over

Run = Callable[[Channels], Channels]


class BlockRow:
    """Blocks in a row; those that are bypassed are left out.

    Parameters
    ----------
    at : Operating
        The rate of what comes in, and how many times that what makes partials runs at.
    channels : int
        Of what comes in, one or two. What comes out has `channels_out`.
    keyed : bool
        Whether what comes in has the key as a channel more, its last; so has what comes out then, as late as the rest.
    """

    def __init__(self, blocks: Sequence[ToneBlock], at: Operating, channels: int, *, keyed: bool = False) -> None:
        self.latency_frames = 0
        self.channels_out = channels
        self.steps: list[Run] = []
        # The steps of each block, and the ladders of each stretch that makes partials: what `take_over` pairs.
        self._blocks: list[tuple[ToneBlock, list[Step]]] = []
        self._ladders: list[list[Oversampler]] = []
        self._carriers: list[_KeyCarrier] = []
        self._oversample = at.oversample
        heard = [block for block in blocks if not block.bypassed]
        fed = at.speaker_is_fed
        for oversampled, stretch in groupby(heard, key=lambda block: block.OVERSAMPLED):
            rate_hz = at.rate_hz * at.oversample if oversampled else at.rate_hz
            came_in, inside = self.channels_out, list[Step]()
            for block in stretch:
                fed = fed or block.feeds_speaker
                steps = block.steps(replace(at, rate_hz=rate_hz, speaker_is_fed=fed), self.channels_out)
                self._blocks.append((block, steps))
                inside += steps
                self.channels_out = inside[-1].channels_out if inside else self.channels_out
            before, late = len(self.steps), self.latency_frames
            if oversampled:
                self._add_oversampled(inside, came_in)
            else:
                # What runs at the base rate; however late, it counts.
                self.steps += [step.process for step in inside]
                self.latency_frames += sum(int(step.latency_frames) for step in inside)
            if keyed:
                self._carry_key(before, late, inside, oversampled=oversampled)

    def process(self, channels: Channels) -> Channels:
        """Run as many frames of every channel; the answer is late by `latency_frames`."""
        for step in self.steps:
            channels = step(channels)
        return channels

    def take_over(self, other: "BlockRow") -> None:
        """Go on where another row is: what its blocks remember, those here of the same kinds go on with.

        Blocks that are new begin at rest. Nothing of the other is changed, and it must not run meanwhile.
        """
        if self._oversample != other._oversample:
            return
        mine, theirs = ([type(block) for block, _ in each] for each in (self._blocks, other._blocks))
        for start, start_other, count in SequenceMatcher(None, mine, theirs, autojunk=False).get_matching_blocks():
            for offset in range(count):
                steps, others = self._blocks[start + offset][1], other._blocks[start_other + offset][1]
                for step, other_step in zip(steps, others, strict=False):
                    take_over(step, other_step)
        for carrier, other_carrier in zip(self._carriers, other._carriers, strict=False):
            take_over(carrier, other_carrier)
        for ladders, other_ladders in zip(self._ladders, other._ladders, strict=False):
            for ladder, other_ladder in zip(ladders, other_ladders, strict=False):
                take_over(ladder, other_ladder)

    def _carry_key(self, first: int, late_before: int, inside: Sequence[Step], *, oversampled: bool) -> None:
        """Let what was added from a place on run with the key beside it; only at the base rate is it listened to."""
        added, late = self.steps[first:], self.latency_frames - late_before
        del self.steps[first:]
        if oversampled:
            carriers = [_KeyCarrier(added, late, None)]
        else:
            wanting = [step for block, steps in self._blocks if block.wants_key for step in steps]
            carriers = [
                _KeyCarrier(
                    [run], int(step.latency_frames), step if step in wanting and isinstance(step, KeyedStep) else None
                )
                for run, step in zip(added, inside, strict=True)
            ]  # fmt: skip
        self._carriers += carriers
        self.steps += [carrier.process for carrier in carriers]

    def _add_oversampled(self, steps: Sequence[Step], channels: int) -> None:
        """What runs at the inner rate, between a way up and a way down for each of its channels."""
        late = sum(step.latency_frames for step in steps)
        ladders = [
            Oversampler(self._oversample, inner_latency_frames=late) for _ in range(max(channels, self.channels_out))
        ]
        self._ladders.append(ladders)
        self.latency_frames += ladders[0].latency_frames
        self.steps.append(lambda signals: _each([ladder.up for ladder in ladders], signals))
        self.steps += [step.process for step in steps]
        self.steps.append(lambda signals: _each([ladder.down for ladder in ladders], signals))


class _KeyCarrier:
    """Lets a stretch of a chain run with the key beside its channels, as the last of them: the key waits as long as
    the stretch is late.
    """

    STATE = ("_line",)

    def __init__(self, runs: Sequence[Run], late_frames: int, keyed: KeyedStep | None) -> None:
        self._runs, self._keyed = runs, keyed
        self._line = np.zeros(late_frames)

    def process(self, signals: Channels) -> Channels:
        *channels, key = signals
        if self._keyed is not None:
            out = self._keyed.process_keyed(tuple(channels), key)
        else:
            out = tuple(channels)
            for run in self._runs:
                out = run(out)
        line = np.concatenate((self._line, key))
        self._line = line[len(key) :].copy()
        return (*out, line[: len(key)])


def _each(runs: Sequence[Callable[[Samples], Samples]], channels: Channels) -> Channels:
    """Each channel through one of at least as many."""
    return tuple(run(signal) for run, signal in zip(runs, channels, strict=False))
