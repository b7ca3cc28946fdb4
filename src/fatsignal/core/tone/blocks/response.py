"""An impulse response of one's own: a cabinet, a room or a body that was measured elsewhere."""

from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from fatsignal.core.clip import Samples
from fatsignal.core.tone.blocks.block import (
    FREQUENCY_HZ,
    NO_CURVE,
    ChannelByChannel,
    Channels,
    Curve,
    Operating,
    Runner,
    Step,
    ToneBlock,
    TonePart,
    response_over,
    setting,
    widened,
)
from fatsignal.core.tone.gain import Gain
from fatsignal.core.tone.impulse_response import LONGEST_S, Prepared, Side, prepared
from fatsignal.core.tone.response_shelf import find_response, get_response

_BASE_RATE_HZ = 48_000


class ResponseFile(TonePart):
    """Which file: by the SHA-256 of its bytes, and by the name that a person knows."""

    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    name: str = Field(min_length=1, max_length=120, pattern=r"^[^\x00-\x1f/\\]+$")


class ImpulseResponse(ToneBlock):
    """A cabinet, a room or a body from a sound file of its impulse response; as loud as what comes in, then turned."""

    TITLE: ClassVar[str] = "Impulse response"
    GROUP: ClassVar[str] = "cabinet"

    kind: Literal["response"] = "response"
    file: ResponseFile | None = Field(None, title="file", description="Null: none is chosen, and sound goes through.")
    side: Side = setting("both sides", label="of two channels")
    trimmed: bool = setting(True, label="silence before it off")
    minimum_phase: bool = setting(False, label="minimum phase")
    longest_s: float = setting(
        LONGEST_S, label="cut at", unit="s", low=0.005, high=LONGEST_S, step=0.001, even="ratios"
    )
    gain_db: float = setting(0.0, label="gain", unit="dB", low=-40, high=40, step=0.1)
    mix: float = setting(1.0, label="mix", low=0, high=1, step=0.01)

    @property
    def lacks(self) -> str | None:
        return self.file.name if self.file is not None and find_response(self.file.sha256) is None else None

    def steps(self, at: Operating, channels: int) -> list[Step]:
        made = self._prepared(at.rate_hz)
        if made is None:
            return [ChannelByChannel([Gain(1.0) for _ in range(channels)])]
        sides = max(channels, len(made.channels))
        return [ConvolvedSides([self._convolver(made, side) for side in range(sides)])]

    def curve(self) -> Curve:
        if self.file is None or self.lacks:
            return NO_CURVE
        response = self._mixed(self._of(_BASE_RATE_HZ), 0)
        size = round(LONGEST_S * _BASE_RATE_HZ)
        return Curve("frequency", FREQUENCY_HZ, response_over(response, _BASE_RATE_HZ, size=size))

    def values(self) -> list[tuple[str, str]]:
        if self.file is None:
            return [("file", "none chosen")]
        found = find_response(self.file.sha256)
        if found is None:
            return [("file", f"{self.file.name}, missing")]
        made = self._of(found.rate_hz)
        ms = 1000 * len(made.channels[0]) / found.rate_hz
        return [
            ("file", self.file.name),
            ("of", f"{ms:.0f} ms, {len(made.channels)} channel{'s' if len(made.channels) > 1 else ''}"),
            ("its level", f"{made.own_level_db:+.1f} dB"),
            *self.said("gain_db", "mix"),
        ]

    def _prepared(self, rate_hz: int) -> Prepared | None:
        return None if self.file is None else self._of(rate_hz)

    def _of(self, rate_hz: int) -> Prepared:
        assert self.file is not None, "none is chosen"
        # Asked for each time, so that one that is missing is never taken for one that was there.
        get_response(self.file.sha256, self.file.name)
        return _made(self.file, self.side, self.trimmed, self.minimum_phase, self.longest_s, rate_hz)

    def _convolver(self, made: Prepared, side: int) -> Runner:
        from fatsignal.core.tone.convolution import Convolver

        return Convolver(self._mixed(made, side), lead_frames=made.lead_frames)

    def _mixed(self, made: Prepared, side: int) -> Samples:
        """The response of a side with its gain, and beside it what stays dry."""
        mixed = 10 ** (self.gain_db / 20) * made.channels[min(side, len(made.channels) - 1)] * self.mix
        mixed[min(made.lead_frames, len(mixed) - 1)] += 1.0 - self.mix
        return np.asarray(mixed)


class ConvolvedSides(ChannelByChannel):
    """Each side through a response of its own: one channel that comes in becomes two where there are two."""

    def process(self, channels: Channels) -> Channels:
        """Run as many frames of every channel; state goes on."""
        return super().process(widened(channels, self.channels_out))


@lru_cache(maxsize=16)
def _made(
    file: ResponseFile, side: Side, trimmed: bool, minimum_phase: bool, longest_s: float, rate_hz: int
) -> Prepared:
    found = get_response(file.sha256, file.name)
    return prepared(
        found, rate_hz=rate_hz, side=side, trimmed=trimmed, minimum_phase=minimum_phase, longest_s=longest_s
    )
