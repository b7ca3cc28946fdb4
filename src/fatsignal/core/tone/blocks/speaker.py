"""A loudspeaker and the microphones that hear it."""

import math
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from fatsignal.core.clip import Samples
from fatsignal.core.mics.place import MicPlace, turned_from_angle
from fatsignal.core.tone.blocks.block import FREQUENCY_HZ, Curve, Operating, Runner, ToneBlock, TonePart, setting
from fatsignal.core.tone.voltage import OUTPUT_FULL_SCALE_V

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

    @model_validator(mode="before")
    @classmethod
    def _from_one_angle(cls, document: Any) -> Any:
        return turned_from_angle(document) if isinstance(document, dict) else document

    @property
    def place(self) -> MicPlace:
        return MicPlace(self.distance_m, self.off_centre_m, self.height_m, self.turned_deg, self.tilted_deg)


class SpeakerAndMics(ToneBlock):
    """Loudspeaker and the microphones that hear it, mixed to one channel."""

    TITLE: ClassVar[str] = "Speaker and mics"
    GROUP: ClassVar[str] = "cabinet"

    kind: Literal["speaker"] = "speaker"
    speaker: Literal["1x10 open", "1x12 open", "2x12 open", "4x10 bass", "4x12 closed", "1x15 bass"] = setting(
        "1x12 open"
    )
    mics: list[Mic] = Field(min_length=1, max_length=4)

    @classmethod
    def example(cls) -> "SpeakerAndMics":
        return cls(mics=[Mic(kind="coil")])

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.tone.convolution import Convolver

        response, lead_frames = self.response(at.rate_hz)
        return [Convolver(OUTPUT_FULL_SCALE_V * response, lead_frames=lead_frames)]

    def curve(self) -> Curve:
        spectrum = np.abs(np.fft.rfft(self.response(_BASE_RATE_HZ)[0], 8192))
        bins = np.fft.rfftfreq(8192, 1 / _BASE_RATE_HZ)
        response = 20 * np.log10(np.maximum(np.interp(FREQUENCY_HZ, bins, spectrum), 1e-9))
        return Curve("frequency", FREQUENCY_HZ, response - response.max())

    def values(self) -> list[tuple[str, str]]:
        return [*self.said("speaker"), *((mic.kind, str(mic.place)) for mic in self.mics)]

    def response(self, rate_hz: int) -> tuple[Samples, int]:
        """All microphones of the block in one impulse response, and by how many frames of it they come late.

        The travel time that they share is taken off, but for what rings before the first arrival.

        The level is that of each microphone at its own distance over what one metre gives, with its gain; so
        moving a microphone in makes it louder, as in the room. A constant brings 5 cm to about unity.
        """
        from fatsignal.core.mics.response import mic_impulse_response
        from fatsignal.core.mics.set_up import MicSetUp
        from fatsignal.core.units import speed_of_sound_m_s

        nearest_m = min(mic.distance_m for mic in self.mics)
        travel = math.floor(nearest_m / speed_of_sound_m_s() * rate_hz)
        lead_frames = min(travel, round(_LEAD_S * rate_hz))
        total = np.zeros(1)
        for mic in self.mics:
            set_up = MicSetUp(self.speaker, mic.kind, mic.place, pattern=mic.pattern)
            heard = mic_impulse_response(set_up, rate_hz)[travel - lead_frames :]
            factor = 10 ** (mic.gain_db / 20) * (-1 if mic.flipped else 1) * 0.1
            longer, shorter = (total, factor * heard) if len(total) > len(heard) else (factor * heard, total)
            total = longer.copy()
            total[: len(shorter)] += shorter
        return total, lead_frames
