"""Two paths: what comes in is divided between them, each has its own blocks, and they are joined again.

Lows can stay clean while the rest is driven, a soft note can go another way than a hard one, two amps can play at once.
The path that is later by its blocks is waited for.

References
----------
.. [1] S. H. Linkwitz, "Active crossover networks for noncoincident drivers", J. Audio Eng. Soc. 24(1), 1976: two
   Butterworth sections each way, whose sum is an allpass.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal, Protocol

import numpy as np
from pydantic import Field, model_validator

from fatsignal.core.clip import Samples
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import (
    FREQUENCY_HZ,
    INNER_RATE_HZ,
    LEVEL_DBV,
    NO_CURVE,
    Channels,
    Curve,
    Operating,
    Step,
    ToneBlock,
    TonePart,
    loudest_of,
    setting,
    shares_of_pan,
    want_key,
    widened,
)
from fatsignal.core.tone.taking_over import take_over

if TYPE_CHECKING:
    from fatsignal.core.amp.filters import RationalFilter
    from fatsignal.core.tone.blocks import Block

_SETTINGS_OF: dict[str, tuple[str, ...]] = {
    "all in both": (),
    "lows and highs": ("crossover_hz",),
    "soft and hard": ("threshold_dbv", "knee_db", "release_ms"),
}
_BUTTERWORTH_Q = 1 / math.sqrt(2)


class SplitPath(TonePart):
    """One way through a split."""

    blocks: "list[Block]" = Field(default_factory=list, max_length=32)
    level_db: float = setting(0.0, label="level", unit="dB", low=-60, high=20, step=0.1)
    pan: float = setting(0.0, label="left or right", low=-1, high=1, step=0.05)
    flipped: bool = setting(False, label="polarity turned")


class Split(ToneBlock):
    """Two paths, each with its own blocks: all of it in both, lows and highs, or soft and hard playing."""

    TITLE: ClassVar[str] = "Split"
    GROUP: ClassVar[str] = "level"
    LINKS_CHANNELS: ClassVar[bool] = True

    kind: Literal["split"] = "split"
    by: Literal["all in both", "lows and highs", "soft and hard"] = setting("lows and highs", label="divides")
    crossover_hz: float = setting(250.0, label="crossover", unit="Hz", low=30, high=8000, step=1, even="ratios")
    threshold_dbv: float = setting(-24.0, label="hard from", unit="dBV", low=-80, high=20, step=0.5)
    knee_db: float = setting(6.0, label="gradually over", unit="dB", low=0, high=30, step=0.5)
    release_ms: float = setting(120.0, label="falls in", unit="ms", low=5, high=2000, step=1, even="ratios")
    paths: list[SplitPath] = Field(
        default_factory=lambda: [SplitPath(), SplitPath()],
        min_length=2,
        max_length=2,
        description="Lows or soft first.",
    )

    @model_validator(mode="after")
    def _nests_once(self) -> "Split":
        for within in self.splits_within():
            if any(True for _ in within.splits_within()):
                raise ValueError("a split in a split holds no further one: move it out")
        return self

    def splits_within(self) -> "Iterator[Split]":
        """The splits among the blocks of its paths."""
        return (block for path in self.paths for block in path.blocks if isinstance(block, Split))

    @property
    def wants_key(self) -> bool:
        return any(want_key(path.blocks) for path in self.paths)

    def lane(self, path: int) -> str:
        """What goes through a path, in words."""
        match self.by:
            case "lows and highs":
                return f"{'below' if path == 0 else 'above'} {self.crossover_hz:g} Hz"
            case "soft and hard":
                return f"{'soft' if path == 0 else 'hard'} playing"
            case _:
                return "all of it"

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [SplitStep(self, at, channels)]

    def curve(self) -> Curve:
        if self.by == "lows and highs":
            from fatsignal.core.amp.filters import response_db

            one = response_db(*_half(self.crossover_hz, "high_cut", INNER_RATE_HZ), FREQUENCY_HZ, INNER_RATE_HZ)
            return Curve("frequency", FREQUENCY_HZ, np.maximum(2 * one, -60.0))
        if self.by == "soft and hard":
            shares = np.array([_share_of_hard(10 ** (dbv / 20), *self._thresholds()) for dbv in LEVEL_DBV])
            return Curve("level", LEVEL_DBV, 100 * shares, "% hard")
        return NO_CURVE

    def values(self) -> list[tuple[str, str]]:
        return self.said("by", *_SETTINGS_OF[self.by])

    def idle(self) -> frozenset[str]:
        return frozenset(name for by, names in _SETTINGS_OF.items() if by != self.by for name in names)

    def _thresholds(self) -> tuple[float, float]:
        """Where hard playing begins, and where all of it is hard, in dBV."""
        return self.threshold_dbv - self.knee_db / 2, self.threshold_dbv + self.knee_db / 2


class SplitStep:
    """A running split for one channel or two; it listens to the DI where a block of its paths does."""

    def __init__(self, values: Split, at: Operating, channels: int) -> None:
        from fatsignal.core.tone.block_row import BlockRow

        self._by = values.by
        self._divide = _DIVIDERS[values.by](values, at.rate_hz, channels)
        self._keyed = [want_key(path.blocks) for path in values.paths]
        self._rows = [
            BlockRow(path.blocks, at, channels, keyed=keyed)
            for path, keyed in zip(values.paths, self._keyed, strict=True)
        ]
        self.latency_frames = max(row.latency_frames for row in self._rows)
        wide = any(path.pan for path in values.paths) or any(row.channels_out > 1 for row in self._rows)
        self.channels_out = 2 if wide else 1
        # What is earlier waits: some frames of each channel of each path.
        self._lines = [np.zeros((row.channels_out, self.latency_frames - row.latency_frames)) for row in self._rows]
        self._shares = [_shares(path, wide=wide) for path in values.paths]

    def process(self, channels: Channels) -> Channels:
        """Run as many frames of every channel; state goes on."""
        return self._joined([row.process(part) for row, part in zip(self._rows, self._divide(channels), strict=True)])

    def process_keyed(self, channels: Channels, key: Samples) -> Channels:
        """The same where blocks within listen to the DI."""
        found = []
        for row, part, keyed in zip(self._rows, self._divide(channels), self._keyed, strict=True):
            found.append(row.process((*part, key))[:-1] if keyed else row.process(part))
        return self._joined(found)

    def take_over(self, other: "SplitStep") -> None:
        """Go on where the other's paths are."""
        if self._by == other._by:
            self._divide.take_over(other._divide)
        for mine, theirs in zip(self._rows, other._rows, strict=True):
            mine.take_over(theirs)
        for line, other_line in zip(self._lines, other._lines, strict=True):
            if line.shape == other_line.shape:
                line[...] = other_line

    def _joined(self, paths: Sequence[Channels]) -> Channels:
        total = [np.zeros(len(paths[0][0])) for _ in range(self.channels_out)]
        for number, (channels, shares) in enumerate(zip(paths, self._shares, strict=True)):
            line = np.concatenate((self._lines[number], np.stack(channels)), axis=1)
            self._lines[number] = line[:, len(channels[0]) :].copy()
            late = tuple(each[: len(channels[0])] for each in line)
            for side, signal in enumerate(widened(late, self.channels_out)):
                total[side] += shares[side] * signal
        return tuple(total)


class _Divider(Protocol):
    """What divides the channels that come in between two paths."""

    def __call__(self, channels: Channels) -> tuple[Channels, Channels]: ...

    def take_over(self, other: Any) -> None: ...


class _InBoth:
    def __init__(self, values: Split, rate_hz: int, channels: int) -> None:
        pass

    def __call__(self, channels: Channels) -> tuple[Channels, Channels]:
        return channels, channels

    def take_over(self, other: "_InBoth") -> None:
        """There is nothing to go on with."""


class _LowsAndHighs:
    """Two Butterworth sections each way, for each channel."""

    def __init__(self, values: Split, rate_hz: int, channels: int) -> None:
        self._sides = [
            [_two_halves(values.crossover_hz, shape, rate_hz) for _ in range(channels)]
            for shape in ("high_cut", "low_cut")
        ]

    def __call__(self, channels: Channels) -> tuple[Channels, Channels]:
        low, high = (
            tuple(second.process(first.process(each)) for (first, second), each in zip(side, channels, strict=True))
            for side in self._sides
        )
        return low, high

    def take_over(self, other: "_LowsAndHighs") -> None:
        for side, other_side in zip(self._sides, other._sides, strict=True):
            for mine, theirs in zip(side, other_side, strict=False):
                for half, other_half in zip(mine, theirs, strict=True):
                    take_over(half, other_half)


class _SoftAndHard:
    """A fade from the one to the other by how loud it is played: their sum is what came in."""

    def __init__(self, values: Split, rate_hz: int, channels: int) -> None:
        self._settings = (*values._thresholds(), math.exp(-1000 / (values.release_ms * rate_hz)))
        self._envelope = np.zeros(1)

    def __call__(self, channels: Channels) -> tuple[Channels, Channels]:
        hard = _run_shares(loudest_of(channels), self._envelope, *self._settings)
        hard_part = tuple(np.asarray(hard * each) for each in channels)
        return tuple(each - part for each, part in zip(channels, hard_part, strict=True)), hard_part

    def take_over(self, other: "_SoftAndHard") -> None:
        self._envelope[...] = other._envelope


_DIVIDERS: dict[str, Callable[[Split, int, int], _Divider]] = {
    "all in both": _InBoth,
    "lows and highs": _LowsAndHighs,
    "soft and hard": _SoftAndHard,
}


def _half(frequency_hz: float, shape: str, rate_hz: int) -> tuple[Samples, Samples]:
    from fatsignal.core.amp.filters import cookbook_section

    return cookbook_section(shape, frequency_hz=frequency_hz, gain_db=0, q=_BUTTERWORTH_Q, rate_hz=rate_hz)


def _two_halves(frequency_hz: float, shape: str, rate_hz: int) -> "tuple[RationalFilter, RationalFilter]":
    from fatsignal.core.amp.filters import RationalFilter

    section = _half(frequency_hz, shape, rate_hz)
    return RationalFilter(*section), RationalFilter(*section)


def _shares(path: SplitPath, *, wide: bool) -> tuple[float, ...]:
    """What of a path goes to each channel."""
    factor = 10 ** (path.level_db / 20) * (-1 if path.flipped else 1)
    return tuple(factor * share for share in shares_of_pan(path.pan)) if wide else (factor,)


@kernel
def _share_of_hard(level, from_dbv, to_dbv):
    """0 below `from_dbv`, 1 above `to_dbv`, half a cosine between, over dB."""
    dbv = 20.0 * math.log10(max(level, 1e-9))
    if dbv <= from_dbv:
        return 0.0
    if dbv >= to_dbv:
        return 1.0
    return 0.5 - 0.5 * math.cos(math.pi * (dbv - from_dbv) / (to_dbv - from_dbv))


@kernel
def _run_shares(level, envelope, from_dbv, to_dbv, fall):
    """e = max(|x|, fall e), and the share of what is hard at each frame."""
    shares = np.empty_like(level)
    now = envelope[0]
    for n in range(level.size):
        now = max(level[n], fall * now)
        shares[n] = _share_of_hard(now, from_dbv, to_dbv)
    envelope[0] = now
    return shares
