"""A loudspeaker and the microphones that hear it."""

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from fatsignal.core.clip import Samples
from fatsignal.core.tone.blocks.block import FREQUENCY_HZ, Curve, Operating, Runner, ToneBlock, TonePart, setting

_BASE_RATE_HZ = 48_000


class Mic(TonePart):
    """A microphone in front of the speaker."""

    kind: Literal["coil", "ribbon", "condenser", "pressure"]
    distance_m: float = setting(0.05, label="distance", unit="m", low=0.01, high=3, step=0.005, even="ratios")
    off_centre_m: float = setting(0.0, label="off centre", unit="m", low=-0.3, high=0.3, step=0.005)
    angle_deg: float = setting(0.0, label="angle", unit="°", low=-90, high=90, step=1)
    gain_db: float = setting(0.0, label="gain", unit="dB", low=-40, high=20, step=0.1)
    flipped: bool = setting(False, label="polarity turned")


class SpeakerAndMics(ToneBlock):
    """Loudspeaker and the microphones that hear it, mixed to one channel."""

    TITLE: ClassVar[str] = "Speaker and mics"

    kind: Literal["speaker"] = "speaker"
    speaker: Literal["1x12 open", "4x12 closed", "1x15 bass"] = setting("1x12 open")
    mics: list[Mic] = Field(min_length=1, max_length=4)

    @classmethod
    def example(cls) -> "SpeakerAndMics":
        return cls(mics=[Mic(kind="coil")])

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.tone.convolution import Convolver

        return [Convolver(at.full_scale_v * self.response(at.rate_hz))]

    def curve(self, full_scale_v: float) -> Curve:
        spectrum = np.abs(np.fft.rfft(self.response(_BASE_RATE_HZ), 8192))
        bins = np.fft.rfftfreq(8192, 1 / _BASE_RATE_HZ)
        response = 20 * np.log10(np.maximum(np.interp(FREQUENCY_HZ, bins, spectrum), 1e-9))
        return Curve("frequency", FREQUENCY_HZ, response - response.max())

    def values(self) -> list[tuple[str, str]]:
        places = [(mic.kind, f"{mic.distance_m * 100:g} cm, {mic.off_centre_m * 100:g} off") for mic in self.mics]
        return [*self.said("speaker"), *places]

    def response(self, rate_hz: int) -> Samples:
        """All microphones of the block in one impulse response, without the travel time they share.

        The level is that of each microphone at its own distance over what one metre gives, with its gain; so
        moving a microphone in makes it louder, as in the room. A constant brings 5 cm to about unity.
        """
        from fatsignal.core.mics.speaker_field import MicPosition, mic_impulse_response
        from fatsignal.core.units import speed_of_sound_m_s

        nearest_m = min(mic.distance_m for mic in self.mics)
        shared = math.floor(nearest_m / speed_of_sound_m_s() * rate_hz)
        total = np.zeros(1)
        for mic in self.mics:
            position = MicPosition(mic.kind, mic.distance_m, mic.off_centre_m, mic.angle_deg)
            heard = mic_impulse_response(self.speaker, position, rate_hz)[shared:]
            factor = 10 ** (mic.gain_db / 20) * (-1 if mic.flipped else 1) * 0.1
            longer, shorter = (total, factor * heard) if len(total) > len(heard) else (factor * heard, total)
            total = longer.copy()
            total[: len(shorter)] += shorter
        return total
