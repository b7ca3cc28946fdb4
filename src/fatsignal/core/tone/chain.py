"""A tone as running code: the same blocks stream live and render files, to the same samples."""

import math
from collections.abc import Callable, Sequence
from difflib import SequenceMatcher
from itertools import groupby

import numpy as np

from fatsignal.core.clip import Samples, check_rate
from fatsignal.core.tone.blocks.block import ChannelByChannel, Channels, KeyedStep, Operating, Step, ToneBlock
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.gain import Gain
from fatsignal.core.tone.oversampling import Oversampler
from fatsignal.core.tone.taking_over import take_over
from fatsignal.core.tone.voltage import OUTPUT_FULL_SCALE_V, UNKNOWN, DiVoltage

Run = Callable[[Channels], Channels]


class ToneChain:
    """A tone at one rate. `process` takes blocks of any size; `latency_frames` is its delay.

    Parameters
    ----------
    voltage : DiVoltage
        What the samples that come in stand for.
    output_full_scale_v : float
        What goes out is told against this voltage.
    oversample : int, optional
        1, 2, 4 or 8, at 44.1 and 48 kHz; the tone's own when left out. At higher rates it is
        reduced so that the inner rate stays about the same.
    channels : int
        Of what comes in, one or two. What comes out has `channels_out`.
    quarter_s : float
        How long a quarter note is, for what is set in note values.
    """

    def __init__(
        self, tone: Tone, *, rate_hz: int, voltage: DiVoltage = UNKNOWN, oversample: int | None = None,
        channels: int = 1, quarter_s: float = 0.5, output_full_scale_v: float = OUTPUT_FULL_SCALE_V,
    ) -> None:  # fmt: skip
        check_rate(rate_hz)
        self.tone = tone
        self.rate_hz = rate_hz
        self.oversample = inner_factor(oversample or tone.oversample, rate_hz)
        self.latency_frames = 0
        self.channels_in = self.channels_out = channels
        self._steps: list[Run] = []
        # The steps of each block, and the ladders of each stretch that makes partials: what `take_over` pairs.
        self._blocks: list[tuple[ToneBlock, list[Step]]] = []
        self._ladders: list[list[Oversampler]] = []
        self._add([_factor(voltage.factor, channels)])
        self._carriers: list[_KeyCarrier] = []
        keyed = any(block.wants_key for block in tone.blocks if not block.bypassed)
        if keyed:
            self._steps.append(lambda signals: (*signals, signals[0]))
        heard = [block for block in tone.blocks if not block.bypassed]
        fed = False
        for makes_partials, blocks in groupby(heard, key=lambda block: block.MAKES_PARTIALS):
            rate = rate_hz * self.oversample if makes_partials else rate_hz
            came_in, inside = self.channels_out, list[Step]()
            for block in blocks:
                fed = fed or block.feeds_speaker
                at = Operating(rate, quarter_s, fed)
                steps = block.steps(at, self.channels_out)
                self._blocks.append((block, steps))
                inside += steps
                self.channels_out = inside[-1].channels_out if inside else self.channels_out
            before, late = len(self._steps), self.latency_frames
            if makes_partials:
                self._add_oversampled(inside, came_in)
            else:
                self._add(inside)
            if keyed:
                self._carry_key(before, late, inside, makes_partials=makes_partials)
        if keyed:
            self._steps.append(lambda signals: signals[:-1])
        self._add([_factor(1.0 / output_full_scale_v, self.channels_out)])

    @property
    def steps(self) -> list[Run]:
        """The chain in order; a renderer may run parts of it in threads of their own."""
        return self._steps

    def process(self, signal: Samples) -> Samples:
        """Run one block through the tone, full scale ±1.0.

        Its shape is (frames,), or (frames, 2) for a chain of two channels; what comes out has the shape of
        `channels_out`.
        """
        channels = separate(signal)
        for step in self._steps:
            channels = step(channels)
        return together(channels)

    def take_over(self, other: "ToneChain") -> None:
        """Go on where another chain is: what its blocks remember, those here of the same kinds go on with.

        Blocks that are new begin at rest. Nothing of the other is changed, and it must not run meanwhile.
        """
        if other.rate_hz != self.rate_hz or other.oversample != self.oversample:
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

    def _add(self, steps: Sequence[Step]) -> None:
        """What runs at the base rate; however late, it counts."""
        self._steps += [step.process for step in steps]
        self.latency_frames += sum(step.latency_frames for step in steps)

    def _carry_key(self, first: int, late_before: int, inside: Sequence[Step], *, makes_partials: bool) -> None:
        """Let what was added from a place on run with the key beside it; only at the base rate is it listened to."""
        added, late = self._steps[first:], self.latency_frames - late_before
        del self._steps[first:]
        if makes_partials:
            carriers = [_KeyCarrier(added, late, None)]
        else:
            wanting = [step for block, steps in self._blocks if block.wants_key for step in steps]
            carriers = [
                _KeyCarrier(
                    [run], step.latency_frames, step if step in wanting and isinstance(step, KeyedStep) else None
                )
                for run, step in zip(added, inside, strict=True)
            ]  # fmt: skip
        self._carriers += carriers
        self._steps += [carrier.process for carrier in carriers]

    def _add_oversampled(self, steps: Sequence[Step], channels: int) -> None:
        """What runs at the inner rate, between a way up and a way down for each of its channels."""
        late = sum(step.latency_frames for step in steps)
        ladders = [
            Oversampler(self.oversample, inner_latency_frames=late) for _ in range(max(channels, self.channels_out))
        ]
        self._ladders.append(ladders)
        self.latency_frames += ladders[0].latency_frames
        self._steps.append(lambda signals: _each([ladder.up for ladder in ladders], signals))
        self._steps += [step.process for step in steps]
        self._steps.append(lambda signals: _each([ladder.down for ladder in ladders], signals))


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


def separate(signal: Samples) -> Channels:
    """The channels of a signal of shape (frames,) or (frames, channels)."""
    if signal.ndim == 1:
        return (signal,)
    return tuple(np.ascontiguousarray(signal[:, index]) for index in range(signal.shape[1]))


def together(channels: Channels) -> Samples:
    """A signal of shape (frames,) for one channel, (frames, channels) for more."""
    return channels[0] if len(channels) == 1 else np.column_stack(channels)


def _each(runs: Sequence[Callable[[Samples], Samples]], channels: Channels) -> Channels:
    """Each channel through one of at least as many."""
    return tuple(run(signal) for run, signal in zip(runs, channels, strict=False))


def _factor(factor: float, channels: int) -> Step:
    return ChannelByChannel([Gain(factor) for _ in range(channels)])


def inner_factor(oversample: int, rate_hz: int) -> int:
    """Oversampling at `rate_hz` that gives about the inner rate that `oversample` gives at 48 kHz."""
    surplus = max(0, round(math.log2(rate_hz / 48_000)))
    return max(1, oversample >> surplus)
