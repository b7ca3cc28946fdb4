"""Tremolo: the level swings. In stereo the sides swing against each other.

References
----------
.. [1] U. Zölzer (ed.), "DAFX: Digital Audio Effects", 2nd ed., ch. 3.3.1: amplitude modulation at a low frequency.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import Channels, Curve, Operating, Step, ToneBlock, setting, widened
from fatsignal.core.tone.blocks.modulated import NoteValue, note_s


class Tremolo(ToneBlock):
    """The level swings."""

    TITLE: ClassVar[str] = "Tremolo"
    GROUP: ClassVar[str] = "colour"

    kind: Literal["tremolo"] = "tremolo"
    note: NoteValue = setting("ms", label="period in")
    rate_hz: float = setting(4.5, label="rate", unit="Hz", low=0.2, high=20, step=0.05, even="ratios")
    depth: float = setting(60, unit="%", low=0, high=100, step=1)
    shape: Literal["round", "square"] = setting("round")
    wide: bool = setting(False, label="stereo")

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [TremoloStep(self, at, channels)]

    def curve(self) -> Curve:
        seconds = np.linspace(0, 2 / self.rate_hz, 96)
        gains = swing(np.asarray(self.rate_hz * seconds), self.depth / 100, self.shape == "square")
        return Curve("time", 1000 * seconds, 20 * np.log10(np.maximum(gains, 0.01)), unit="dB")


def swing(turns: Samples, depth: float, square: bool) -> Samples:
    """Gains over turns of the swing: from 1 down to 1 − depth and back."""
    wave = np.cos(2 * np.pi * turns)
    if square:
        # Edges of a few ms, so that they do not click.
        wave = np.tanh(12 * wave) / math.tanh(12)
    return np.asarray(1 - depth * (0.5 - 0.5 * wave))


class TremoloStep:
    """A running tremolo."""

    STATE = ("_state",)
    latency_frames = 0

    def __init__(self, values: Tremolo, at: Operating, channels: int) -> None:
        self.channels_out = 2 if values.wide else channels
        rate_hz = values.rate_hz if values.note == "ms" else 1 / note_s(values.note, 0, at.quarter_s)
        self._turn = rate_hz / at.rate_hz
        self._depth, self._square = values.depth / 100, values.shape == "square"
        # For each side the phase.
        self._state = np.zeros((self.channels_out, 1))
        if values.wide:
            self._state[1] = 0.5

    def process(self, channels: Channels) -> Channels:
        """Run the channels; state goes on."""
        return tuple(
            np.asarray(_run_tremolo(signal, self._state[side], self._turn, self._depth, float(self._square)))
            for side, signal in enumerate(widened(channels, self.channels_out))
        )


@kernel
def _run_tremolo(signal, state, turn, depth, square):
    """y = x (1 - d (1 - cos φ)/2)."""
    out = np.empty_like(signal)
    phase = state[0]
    for n in range(signal.size):
        wave = math.cos(2.0 * math.pi * phase)
        phase = (phase + turn) % 1.0
        if square > 0.5:
            wave = math.tanh(12.0 * wave) / math.tanh(12.0)
        out[n] = signal[n] * (1.0 - depth * (0.5 - 0.5 * wave))
    state[0] = phase
    return out
