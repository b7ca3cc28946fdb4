"""A tone as running code: the same blocks stream live and render files, to the same samples."""

import math

import numpy as np

from fatsignal.core.clip import Samples, check_rate
from fatsignal.core.tone.block_row import BlockRow, Run
from fatsignal.core.tone.blocks.block import ChannelByChannel, Channels, Operating, Step, want_key
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.gain import Gain
from fatsignal.core.tone.voltage import OUTPUT_FULL_SCALE_V, UNKNOWN, DiVoltage


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
        self.channels_in = channels
        keyed = want_key(tone.blocks)
        at = Operating(rate_hz, quarter_s, oversample=self.oversample)
        self._row = BlockRow(tone.blocks, at, channels, keyed=keyed)
        self.channels_out, self.latency_frames = self._row.channels_out, self._row.latency_frames
        self._steps: list[Run] = [_factor(voltage.factor, channels).process]
        if keyed:
            self._steps.append(lambda signals: (*signals, signals[0]))
        self._steps += self._row.steps
        if keyed:
            self._steps.append(lambda signals: signals[:-1])
        self._steps.append(_factor(1.0 / output_full_scale_v, self.channels_out).process)

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
        if other.rate_hz == self.rate_hz:
            self._row.take_over(other._row)


def separate(signal: Samples) -> Channels:
    """The channels of a signal of shape (frames,) or (frames, channels)."""
    if signal.ndim == 1:
        return (signal,)
    return tuple(np.ascontiguousarray(signal[:, index]) for index in range(signal.shape[1]))


def together(channels: Channels) -> Samples:
    """A signal of shape (frames,) for one channel, (frames, channels) for more."""
    return channels[0] if len(channels) == 1 else np.column_stack(channels)


def _factor(factor: float, channels: int) -> Step:
    return ChannelByChannel([Gain(factor) for _ in range(channels)])


def inner_factor(oversample: int, rate_hz: int) -> int:
    """Oversampling at `rate_hz` that gives about the inner rate that `oversample` gives at 48 kHz."""
    surplus = max(0, round(math.log2(rate_hz / 48_000)))
    return max(1, oversample >> surplus)
