"""What a kind of tone block is: a document with limits, what runs it, its curve, its words.

A kind is one module beside this one: a class of `ToneBlock` with its fields. `blocks/__init__.py` lists them.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, Protocol, runtime_checkable

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo

from fatsignal.core.clip import Samples
from fatsignal.core.tone.taking_over import take_over

# One array of shape (frames,) for each channel: one or two.
Channels = tuple[Samples, ...]

# Where curves over frequency are computed, and the level of a sine's crest at the input for curves over level.
FREQUENCY_HZ = np.geomspace(40.0, 12_000.0, 72)
LEVEL_DBV = np.linspace(-46.0, 10.0, 29)
# What makes partials runs at about this rate.
INNER_RATE_HZ = 192_000
_PROBE_HZ = 400.0
_PROBE_PERIODS = 4


def loudest_of(channels: Channels) -> Samples:
    """The greater magnitude of the channels, frame by frame."""
    return np.abs(channels[0]) if len(channels) == 1 else np.maximum(np.abs(channels[0]), np.abs(channels[1]))


def middle_of(channels: Channels) -> Samples:
    """The mean of the channels."""
    return channels[0] if len(channels) == 1 else np.asarray(0.5 * (channels[0] + channels[1]))


def widened(channels: Channels, channels_out: int) -> Channels:
    """So many channels: one goes into each of them."""
    return channels if len(channels) == channels_out else (channels[0],) * channels_out


class Runner(Protocol):
    """Anything that turns the samples of one channel into samples and remembers where it was.

    What it remembers it names as `STATE`, or takes over by a method of its own (see `core/tone/taking_over.py`).
    """

    @property
    def latency_frames(self) -> float:
        """Its delay; what runs at the higher rate may be late by half a frame of it."""
        ...

    def process(self, signal: Samples) -> Samples:
        """Process `signal`, shape (frames,); the answer is late by `latency_frames`."""
        ...


class Step(Protocol):
    """A step of a chain: all of its channels at once."""

    @property
    def latency_frames(self) -> float:
        """Its delay; what runs at the higher rate may be late by half a frame of it."""
        ...

    channels_out: int

    def process(self, channels: Channels) -> Channels:
        """Process as many frames of every channel; the answer is late by `latency_frames`."""
        ...


@runtime_checkable
class KeyedStep(Step, Protocol):
    """A step that listens to another signal than its own: the DI, as late as what comes to it is."""

    def process_keyed(self, channels: Channels, key: Samples) -> Channels:
        """As `process`, by a key of as many frames."""
        ...


class ChannelByChannel:
    """Each channel through a runner of its own."""

    def __init__(self, runners: Sequence[Runner]) -> None:
        self._runners = runners
        self.channels_out = len(runners)
        self.latency_frames = max(runner.latency_frames for runner in runners)

    def process(self, channels: Channels) -> Channels:
        return tuple(runner.process(signal) for runner, signal in zip(self._runners, channels, strict=True))

    def take_over(self, other: "ChannelByChannel") -> None:
        """Go on where the other's runners are."""
        for mine, theirs in zip(self._runners, other._runners, strict=False):
            take_over(mine, theirs)


@dataclass(frozen=True, slots=True)
class Operating:
    """What a block runs at: its rate, the tempo that note values are counted in, and whether a stage before it works
    into a loudspeaker's own impedance: then the loudspeaker does not lift the highs by itself. Of blocks within it,
    those that make partials run at `oversample` times its rate.
    """

    rate_hz: int
    quarter_s: float = 0.5
    speaker_is_fed: bool = False
    oversample: int = 1


@dataclass(frozen=True, slots=True)
class Curve:
    """What a block does: its response over frequency, the level it gives over the level it gets, what changes over
    time, what a click becomes. x is in Hz, dBV or ms; y in dB where no other unit is told.
    """

    axis: Literal["frequency", "level", "time", "echoes", "none"]
    x: Samples
    y: Samples
    unit: str = "dB"


NO_CURVE = Curve("none", np.zeros(0), np.zeros(0))


def setting(
    default: Any, *, label: str = "", unit: str = "", low: float | None = None, high: float | None = None,
    step: float | None = None, even: Literal["steps", "ratios"] = "steps",
) -> Any:  # fmt: skip
    """A field that a person sets: what it is called, its unit, its limits, the least step, and whether its rule is even
    in steps or in ratios. All of it stands in the JSON Schema of the format.
    """
    extra: dict[str, Any] = {"unit": unit, "even": even, **({} if step is None else {"step": step})}
    return Field(default, ge=low, le=high, title=label or None, json_schema_extra=extra)


def knob(default: float) -> Any:
    """A rotary control without a unit, from 0 to 10."""
    return setting(default, low=0, high=10, step=0.1)


class TonePart(BaseModel):
    """Anything in a tone document."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class ToneBlock(TonePart):
    """One block of a tone. Signals between blocks are volts."""

    # What it is called.
    TITLE: ClassVar[str]
    # Among which others it is found.
    GROUP: ClassVar[str] = "amp"
    # Whether it runs at the higher rate: what makes new partials, and what would be another filter at each rate.
    OVERSAMPLED: ClassVar[bool] = False

    # The settings that drive it harder.
    DRIVES: ClassVar[tuple[str, ...]] = ()

    # Whether one channel hears of the other: one gain for both, one room.
    LINKS_CHANNELS: ClassVar[bool] = False

    bypassed: bool = Field(False, title="bypassed", description="It is left out, and keeps its values.")

    @classmethod
    def example(cls) -> "ToneBlock":
        """One with usual values: what an engine warms up with, and what an added block begins as."""
        return cls()

    def runners(self, at: Operating) -> list[Runner]:
        """What runs one channel of it, in order."""
        raise NotImplementedError

    @property
    def wants_key(self) -> bool:
        """Whether it listens to the DI: its step is a `KeyedStep` then."""
        return False

    @property
    def lacks(self) -> str | None:
        """The name of a file that it needs and that is missing here."""
        return None

    @property
    def feeds_speaker(self) -> bool:
        """Whether it works into a loudspeaker's own impedance."""
        return False

    def steps(self, at: Operating, channels: int) -> list[Step]:
        """What runs so many channels of it, in order; a kind that mixes or widens them has steps of its own."""
        each = [self.runners(at) for _ in range(channels)]
        return [ChannelByChannel(runners) for runners in zip(*each, strict=True)]

    def curve(self) -> Curve:
        """What it does."""
        raise NotImplementedError

    def values(self) -> list[tuple[str, str]]:
        """What is set, as label and value with its unit."""
        return self.said(*(name for name in type(self).model_fields if name not in ("kind", "bypassed")))

    def idle(self) -> frozenset[str]:
        """The settings that do nothing as it is set now: they are not shown, and keep their values."""
        return frozenset()

    def said(self, *names: str) -> list[tuple[str, str]]:
        """Some of its settings in words."""
        return [self._said(name) for name in names]

    def _said(self, name: str) -> tuple[str, str]:
        field = type(self).model_fields[name]
        return label_of(name, field), value_said(getattr(self, name), field)


def want_key(blocks: Sequence[ToneBlock]) -> bool:
    """Whether one of the blocks that are heard listens to the DI."""
    return any(block.wants_key for block in blocks if not block.bypassed)


def label_of(name: str, field: FieldInfo) -> str:
    """What a setting is called."""
    return field.title or name.replace("_", " ")


def value_said(value: Any, field: FieldInfo) -> str:
    """A value in words, with its unit."""
    extra = field.json_schema_extra
    unit = str(extra.get("unit", "")) if isinstance(extra, dict) else ""
    if isinstance(value, bool):
        shown = "on" if value else "off"
    else:
        shown = f"{value:g}" if isinstance(value, float | int) else str(value)
    return f"{shown} {unit}".strip()


def shares_of_pan(pan: float) -> tuple[float, float]:
    """What goes left and right of what stands between left (−1) and right (1), at equal power; in the middle each side
    has it whole.
    """
    turn = (pan + 1) * math.pi / 4
    return math.sqrt(2) * math.cos(turn), math.sqrt(2) * math.sin(turn)


def response_over(click: Samples, rate_hz: int, *, size: int | None = None) -> Samples:
    """What a click of 1 becomes, shape (frames,), as its spectrum over `FREQUENCY_HZ`, dB."""
    spectrum = np.abs(np.fft.rfft(click, size))
    bins = np.fft.rfftfreq(size or len(click), 1 / rate_hz)
    return np.asarray(20 * np.log10(np.maximum(np.interp(FREQUENCY_HZ, bins, spectrum), 1e-9)))


def driven(runners: Sequence[Runner], *, around_v: float = 1.0) -> Curve:
    """Levels that a sine of each crest leaves with, dB against the highest, from soft to hard as a string is played
    louder and louder; `runners` are fresh ones at `INNER_RATE_HZ`.

    `around_v` is the voltage that 0 dB of the axis stands for.
    """
    period = round(INNER_RATE_HZ / _PROBE_HZ)
    each = _PROBE_PERIODS * period
    crests_v = around_v * np.repeat(10 ** (LEVEL_DBV / 20), each)
    signal = crests_v * np.sin(2 * np.pi * np.arange(len(crests_v)) / period)
    for runner in runners:
        signal = runner.process(signal)
    heard = signal.reshape(len(LEVEL_DBV), each)[:, each // 2 :]
    out = 20 * np.log10(np.std(heard, axis=1) + 1e-9)
    return Curve("level", LEVEL_DBV, out - out.max())
