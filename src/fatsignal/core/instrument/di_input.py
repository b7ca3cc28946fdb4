"""An instrument input with its converter: gain, noise, hum, clipping, 24 bits."""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.clip import Samples

_STEPS = 2**23


@dataclass(frozen=True, slots=True)
class InstrumentInput:
    """`full_scale_v` is the peak voltage that reads 0 dBFS."""

    full_scale_v: float = 3.0
    noise_dbfs: float = -104.0
    hum_dbfs: float = -92.0
    mains_hz: float = 50.0


class InputRunner:
    """A running input: volts in, samples of the converter out."""

    def __init__(self, settings: InstrumentInput, *, rate_hz: int, seed: int) -> None:
        self._settings = settings
        self._rate_hz = rate_hz
        self._random = np.random.default_rng(seed)
        self._frame = 0

    def process(self, volts: Samples) -> Samples:
        """Convert `volts`, shape (frames,): what is beyond full scale becomes a flat top, as it does in hardware."""
        s = self._settings
        time_s = (self._frame + np.arange(len(volts))) / self._rate_hz
        self._frame += len(volts)
        hum = np.zeros(len(volts))
        for harmonic, share in ((1, 1.0), (2, 0.35), (3, 0.5), (5, 0.2)):
            hum += share * np.sin(2 * math.pi * harmonic * s.mains_hz * time_s)
        noise = self._random.standard_normal(len(volts)) * 10 ** (s.noise_dbfs / 20)
        analogue = volts / s.full_scale_v + noise + hum * math.sqrt(2) * 10 ** (s.hum_dbfs / 20)
        return np.clip(np.round(analogue * _STEPS), -_STEPS, _STEPS - 1) / _STEPS
