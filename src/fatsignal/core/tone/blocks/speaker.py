"""A loudspeaker and the microphones that hear it."""

import math
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.clip import Samples
from fatsignal.core.mics.place import MicPlace, turned_from_angle
from fatsignal.core.tone.blocks.block import (
    FREQUENCY_HZ,
    ChannelByChannel,
    Channels,
    Curve,
    Operating,
    Runner,
    Step,
    ToneBlock,
    TonePart,
    middle_of,
    response_over,
    setting,
    shares_of_pan,
)
from fatsignal.core.tone.voltage import OUTPUT_FULL_SCALE_V

if TYPE_CHECKING:
    from fatsignal.core.mics.set_up import MicSetUp

_BASE_RATE_HZ = 48_000
# A band-limited response begins before its first arrival: so much of the shared way is left for that.
_LEAD_S = 6 / 48_000


class Mic(TonePart):
    """A microphone in front of the speaker."""

    kind: Literal["coil", "ribbon", "active ribbon", "condenser", "hypercardioid", "pressure", "large condenser"]
    distance_m: float = setting(0.05, label="distance", unit="m", low=0.01, high=3, step=0.005, even="ratios")
    off_centre_m: float = setting(0.0, label="off centre", unit="m", low=-0.3, high=0.3, step=0.005)
    height_m: float = setting(0.0, label="height", unit="m", low=-0.3, high=0.3, step=0.005)
    turned_deg: float = setting(0.0, label="turned", unit="°", low=-180, high=180, step=1)
    tilted_deg: float = setting(0.0, label="tilted", unit="°", low=-90, high=90, step=1)
    pattern: float | None = Field(default=None, ge=0, le=1, description="Where it can be switched: 1 omni, 0 figure-8.")
    gain_db: float = setting(0.0, label="gain", unit="dB", low=-40, high=20, step=0.1)
    flipped: bool = setting(False, label="polarity turned")
    pan: float = setting(0.0, label="left or right", low=-1, high=1, step=0.05)

    @model_validator(mode="before")
    @classmethod
    def _from_one_angle(cls, document: Any) -> Any:
        return turned_from_angle(document) if isinstance(document, dict) else document

    @property
    def place(self) -> MicPlace:
        return MicPlace(self.distance_m, self.off_centre_m, self.height_m, self.turned_deg, self.tilted_deg)


class SpeakerAndMics(ToneBlock):
    """Loudspeaker and the microphones that hear it, mixed to one channel; to two where one stands left or right."""

    TITLE: ClassVar[str] = "Cab and mics"
    GROUP: ClassVar[str] = "cabinet"

    kind: Literal["speaker"] = "speaker"
    speaker: Literal[
        "1x8 open", "1x10 open", "1x12 open", "1x12 closed", "2x12 open", "4x10 bass", "4x12 closed", "1x15 bass",
        "8x10 bass",
    ] = setting("1x12 open")  # fmt: skip
    room: Literal["dry", "treated", "living room", "lively"] = setting("dry")
    aligned: bool = setting(False, label="microphones aligned")
    mics: list[Mic] = Field(min_length=1, max_length=4)

    @classmethod
    def example(cls) -> "SpeakerAndMics":
        return cls(mics=[Mic(kind="coil")])

    @property
    def is_wide(self) -> bool:
        return any(mic.pan for mic in self.mics)

    def runners(self, at: Operating) -> list[Runner]:
        return self._convolvers(at)[:1]

    def steps(self, at: Operating, channels: int) -> list[Step]:
        if not self.is_wide:
            return super().steps(at, channels)
        return [WideCabinet(self._convolvers(at))]

    def _convolvers(self, at: Operating) -> "list[Runner]":
        from fatsignal.core.tone.convolution import Convolver

        responses, lead_frames = self.responses(at.rate_hz, lifted=not at.speaker_is_fed)
        return [Convolver(OUTPUT_FULL_SCALE_V * each, lead_frames=lead_frames) for each in responses]

    def curve(self) -> Curve:
        response = response_over(np.sum(self.responses(_BASE_RATE_HZ)[0], axis=0), _BASE_RATE_HZ, size=8192)
        return Curve("frequency", FREQUENCY_HZ, response - response.max())

    def values(self) -> list[tuple[str, str]]:
        room = self.said("room") if self.room != "dry" else []
        return [*self.said("speaker"), *room, *((mic.kind, str(mic.place)) for mic in self.mics)]

    def responses(self, rate_hz: int, *, lifted: bool = True) -> tuple[list[Samples], int]:
        """All microphones of the block in one impulse response, or in one for each side, and by how many frames of it
        they come late.

        The travel time that they share is taken off, but for what rings before the first arrival; where they are
        aligned, that of each. The level is that of each microphone at its own distance over what one metre gives, with
        its gain; so moving a microphone in makes it louder, as in the room. A constant brings 5 cm to about unity.

        Parameters
        ----------
        lifted : whether the loudspeaker's coil adds what it does behind a usual valve stage.
        """
        from fatsignal.core.mics.response import mic_impulse_response
        from fatsignal.core.units import speed_of_sound_m_s

        arrival_frames = [mic.distance_m / speed_of_sound_m_s() * rate_hz for mic in self.mics]
        shared = math.floor(min(arrival_frames))
        lead_frames = min(shared, round(_LEAD_S * rate_hz))
        sides = [np.zeros(0), np.zeros(0)] if self.is_wide else [np.zeros(0)]
        for mic, arrives in zip(self.mics, arrival_frames, strict=True):
            heard = mic_impulse_response(self._set_up(mic), rate_hz)
            if self.aligned:
                # Brought to where the nearest one's sound arrives, by a fraction of a frame.
                heard = _earlier(heard, arrives - min(arrival_frames))
            heard = heard[shared - lead_frames :]
            factor = 10 ** (mic.gain_db / 20) * (-1 if mic.flipped else 1) * 0.1
            for number, share in enumerate(shares_of_pan(mic.pan) if self.is_wide else (1.0,)):
                sides[number] = _added(sides[number], factor * share * heard)
        return sides if lifted else [_without_lift(side, self.speaker, rate_hz) for side in sides], lead_frames

    def _set_up(self, mic: Mic) -> "MicSetUp":
        from fatsignal.core.mics.set_up import MicSetUp

        return MicSetUp(self.speaker, mic.kind, mic.place, pattern=mic.pattern, room=self.room)


class WideCabinet(ChannelByChannel):
    """A cabinet whose microphones stand left and right: what comes in goes into one loudspeaker."""

    def process(self, channels: Channels) -> Channels:
        """Run the middle of the channels; state goes on."""
        return super().process((middle_of(channels),) * 2)


def _added(one: Samples, other: Samples) -> Samples:
    """The sum of two responses, as long as the longer."""
    total = np.zeros(max(len(one), len(other)))
    total[: len(one)] += one
    total[: len(other)] += other
    return total


def _filtered(response: Samples, spectrum: Callable[[Real], Complex]) -> Samples:
    """A response through what does so much to each frequency, which is told as a share of the rate."""
    size = 1 << math.ceil(math.log2(2 * len(response)))
    turned = np.fft.rfft(response, size) * spectrum(np.asarray(np.fft.rfftfreq(size), dtype=np.float64))
    return np.asarray(np.fft.irfft(turned, size)[: len(response)])


def _earlier(response: Samples, frames: float) -> Samples:
    """A response so many frames earlier, a fraction of a frame among them."""
    return _filtered(response, lambda share: np.exp(2j * np.pi * share * frames))


def _without_lift(response: Samples, speaker: str, rate_hz: int) -> Samples:
    """A response without what the coil adds behind a usual valve stage."""
    from fatsignal.core.mics.sounding import cone_of

    return _filtered(response, lambda share: 1 / cone_of(speaker).coil_lift(rate_hz * share))
