"""A gate: closes between the notes.

What a high-gain chain would lift between notes, hum and hiss, is taken away where the level falls below a threshold.
It listens to what comes in, or to the DI itself, which is steady where a distortion in front has squashed all levels.

References
----------
.. [1] U. Zölzer (ed.), "DAFX: Digital Audio Effects", 2nd ed., ch. 4.2.4: noise gate with attack, hold and release, and
   two thresholds.
"""

import math
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import model_validator

from fatsignal.core.clip import Samples
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import LEVEL_DBV, Channels, Curve, Operating, Step, ToneBlock, loudest_of, setting

# The envelope falls with this time, so that a low string's half waves do not close it.
_ENVELOPE_S = 0.01


class Gate(ToneBlock):
    """Closes between the notes."""

    TITLE: ClassVar[str] = "Gate"
    GROUP: ClassVar[str] = "dynamics"
    LINKS_CHANNELS: ClassVar[bool] = True

    kind: Literal["gate"] = "gate"
    threshold_dbv: float = setting(-50, label="threshold", unit="dBV", low=-100, high=0, step=0.5)
    hysteresis_db: float = setting(4, label="closes lower by", unit="dB", low=0, high=24, step=0.5)
    attack_ms: float = setting(0.5, label="attack", unit="ms", low=0.05, high=50, step=0.05, even="ratios")
    hold_ms: float = setting(30, label="hold", unit="ms", low=0, high=500, step=1)
    release_ms: float = setting(90, label="release", unit="ms", low=5, high=2000, step=1, even="ratios")
    depth_db: float = setting(70, label="depth", unit="dB", low=3, high=100, step=1)
    key: Literal["itself", "the DI"] = setting("itself", label="listens to")

    @model_validator(mode="before")
    @classmethod
    def _from_full_scale(cls, document: Any) -> Any:
        """Of an amp's block, whose full scale was one volt; a tone's is brought up by the tone."""
        if isinstance(document, dict) and "threshold_dbfs" in document:
            values = {name: value for name, value in document.items() if name != "threshold_dbfs"}
            return {**values, "threshold_dbv": document["threshold_dbfs"]}
        return document

    @property
    def wants_key(self) -> bool:
        return self.key == "the DI"

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [GateStep(self, at.rate_hz, channels)]

    def curve(self) -> Curve:
        level = LEVEL_DBV - 20
        closed = np.maximum(level - self.depth_db, level[0] - 20)
        return Curve("level", level, np.where(self.threshold_dbv <= level, level, closed))


class GateStep:
    """A running gate for one channel or two: what opens one opens both."""

    STATE = ("_state",)
    latency_frames = 0

    def __init__(self, values: Gate, rate_hz: int, channels: int) -> None:
        self.channels_out = channels
        open_v = 10 ** (values.threshold_dbv / 20)
        self._floor = 10 ** (-values.depth_db / 20)
        self._settings = (
            open_v, open_v * 10 ** (-values.hysteresis_db / 20), math.exp(-1000 / (values.attack_ms * rate_hz)),
            math.exp(-1000 / (values.release_ms * rate_hz)), math.exp(-1 / (_ENVELOPE_S * rate_hz)),
            float(round(values.hold_ms / 1000 * rate_hz)), self._floor,
        )  # fmt: skip
        # Envelope, gain, whether it is open, frames left to hold.
        self._state = np.array([0.0, self._floor, 0.0, 0.0])

    def process(self, channels: Channels) -> Channels:
        """Gate the channels by the louder of them; state goes on."""
        return self._gated(channels, loudest_of(channels))

    def process_keyed(self, channels: Channels, key: Samples) -> Channels:
        """The same by another signal."""
        return self._gated(channels, np.abs(key))

    def _gated(self, channels: Channels, level_v: Samples) -> Channels:
        gains = _run_gate(level_v, self._state, *self._settings)
        return tuple(np.asarray(gains * signal) for signal in channels)


@kernel
def _run_gate(level, state, open_at, close_at, attack, release, fall, hold_frames, floor):
    """e = max(|x|, fall e);  g -> 1 with `attack` while open or held, else -> floor with `release`."""
    gains = np.empty_like(level)
    envelope, gain, is_open, hold = state[0], state[1], state[2], state[3]
    for n in range(level.size):
        envelope = max(level[n], fall * envelope)
        if envelope >= open_at:
            is_open, hold = 1.0, hold_frames
        elif envelope < close_at:
            if hold > 0:
                hold -= 1.0
            else:
                is_open = 0.0
        gain = 1.0 + attack * (gain - 1.0) if is_open > 0.5 else floor + release * (gain - floor)
        gains[n] = gain
    state[0], state[1], state[2], state[3] = envelope, gain, is_open, hold
    return gains
