"""A delay: echoes, clean or worn as from a tape that is old.

References
----------
.. [1] U. Zölzer (ed.), "DAFX: Digital Audio Effects", 2nd ed., ch. 2.5.2: IIR comb filter; its response in closed form.

What wears is bandwidth, level at the top, and the evenness of the speed: values of common practice, no source.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.delay_line import LEAST_FRAMES, or_nothing, read_line
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import Channels, Curve, Operating, Step, ToneBlock, setting, widened
from fatsignal.core.tone.blocks.modulated import NoteValue, note_s

_LONGEST_S = 2.1
_MOST_ECHOES = 24
# A worn tape's speed wavers twice: slowly, and a little faster.
_WOW_HZ, _FLUTTER_HZ = 0.7, 5.3


class Echo(ToneBlock):
    """Echoes, in ms or note values; worn they lose highs, and waver."""

    TITLE: ClassVar[str] = "Delay"
    GROUP: ClassVar[str] = "space"

    kind: Literal["echo"] = "echo"
    note: NoteValue = setting("ms", label="time in")
    time_ms: float = setting(380, label="time", unit="ms", low=10, high=2000, step=1, even="ratios")
    feedback: float = setting(35, unit="%", low=0, high=95, step=1)
    mix: float = setting(25, label="level of echoes", unit="%", low=0, high=100, step=1)
    worn: float = setting(0, unit="%", low=0, high=100, step=1)
    low_cut_hz: float = setting(80, label="low cut", unit="Hz", low=20, high=1000, step=1, even="ratios")
    high_cut_hz: float = setting(9000, label="high cut", unit="Hz", low=500, high=20_000, step=10, even="ratios")
    wide: bool = setting(False, label="left and right by turns")

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [EchoStep(self, at, channels)]

    def curve(self) -> Curve:
        """What a click becomes; without a song a quarter lasts half a second."""
        seconds = note_s(self.note, self.time_ms, 0.5)
        count = np.arange(_MOST_ECHOES)
        level = self.mix / 100 * (self.feedback / 100) ** count
        heard = count[level > 1e-3]
        times_ms = np.concatenate(([0.0], 1000 * seconds * (heard + 1)))
        levels = np.concatenate(([1.0], level[level > 1e-3]))
        return Curve("echoes", times_ms, 20 * np.log10(levels), unit="dB")


class EchoStep:
    """Running echoes. By turns, the first comes from the left."""

    STATE = ("_lines", "_state")
    latency_frames = 0

    def __init__(self, values: Echo, at: Operating, channels: int) -> None:
        self.channels_out = 2 if values.wide else channels
        self._wide = values.wide and channels == 1
        rate_hz, worn = at.rate_hz, values.worn / 100
        delay = min(_LONGEST_S - 0.05, max(0.001, note_s(values.note, values.time_ms, at.quarter_s))) * rate_hz
        high_hz = min(values.high_cut_hz * 10 ** (-0.55 * worn), 0.45 * rate_hz)
        self._settings = (
            delay, values.feedback / 100, values.mix / 100,
            1 - math.exp(-2 * math.pi * high_hz / rate_hz), math.exp(-2 * math.pi * values.low_cut_hz / rate_hz),
            worn, 0.0016 * worn * rate_hz, 0.00022 * worn * rate_hz, _WOW_HZ / rate_hz, _FLUTTER_HZ / rate_hz,
        )  # fmt: skip
        self._lines = np.zeros((self.channels_out, math.ceil(_LONGEST_S * rate_hz) + 8))
        # For each side the low-pass, the high-pass's two, then the place, the phases.
        self._state = np.zeros((self.channels_out, 6))

    def process(self, channels: Channels) -> Channels:
        """Run the channels; state goes on."""
        if self._wide:
            left, right = _run_by_turns(channels[0], self._lines, self._state, *self._settings)
            return np.asarray(left), np.asarray(right)
        return tuple(
            np.asarray(_run_echo(signal, self._lines[side], self._state[side], *self._settings))
            for side, signal in enumerate(widened(channels, self.channels_out))
        )


@kernel
def _worn(x, state, high, low, worn):
    """What an echo loses on its way: highs, lows, and its crests where it is worn."""
    state[0] = or_nothing(state[0] + high * (x - state[0]))
    y = state[0]
    state[2] = or_nothing(low * (state[2] + y - state[1]))
    state[1] = y
    y = state[2]
    if worn > 0.0:
        drive = 1.0 + 2.0 * worn
        y = (1.0 - worn) * y + worn * math.tanh(drive * y) / drive
    return y


@kernel
def _run_echo(signal, line, state, delay, feedback, share, high, low, worn, wow, flutter, wow_turn, flutter_turn):
    """e = worn(line[n - d]);  line = x + f e;  y = x + m e."""
    out = np.empty_like(signal)
    place, first, second = int(state[3]), state[4], state[5]
    for n in range(signal.size):
        at = delay + wow * math.sin(2.0 * math.pi * first) + flutter * math.sin(2.0 * math.pi * second)
        first, second = (first + wow_turn) % 1.0, (second + flutter_turn) % 1.0
        echo = _worn(read_line(line, place, max(LEAST_FRAMES, at)), state, high, low, worn)
        line[place] = or_nothing(signal[n] + feedback * echo)
        out[n] = signal[n] + share * echo
        place = (place + 1) % line.size
    state[3], state[4], state[5] = float(place), first, second
    return out


@kernel
def _run_by_turns(signal, lines, states, delay, feedback, share, high, low, worn, wow, flutter, wow_turn, flutter_turn):
    """The left line feeds the right one and that the left one: echoes come by turns, each a delay after the other."""
    left, right = np.empty_like(signal), np.empty_like(signal)
    place, first, second = int(states[0, 3]), states[0, 4], states[0, 5]
    size = lines.shape[1]
    for n in range(signal.size):
        at = max(2.0, delay + wow * math.sin(2.0 * math.pi * first) + flutter * math.sin(2.0 * math.pi * second))
        first, second = (first + wow_turn) % 1.0, (second + flutter_turn) % 1.0
        from_left = _worn(read_line(lines[0], place, at), states[0], high, low, worn)
        from_right = _worn(read_line(lines[1], place, at), states[1], high, low, worn)
        lines[0, place] = or_nothing(signal[n] + feedback * from_right)
        lines[1, place] = or_nothing(feedback * from_left)
        left[n] = signal[n] + share * from_left
        right[n] = signal[n] + share * from_right
        place = (place + 1) % size
    states[0, 3], states[0, 4], states[0, 5] = float(place), first, second
    return left, right
