"""The simulated interface's computer playback: two channels of an invented drum loop."""

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.rig_clock import ClockedSource, RigClock
from fatsignal.rig.source import InputChannel

_HIT_S = 0.25


class ComputerPlayback(ClockedSource):
    """Kick, snare and hat in eighths along the session's tempo; it begins on the frame where it is asked to."""

    channels: tuple[InputChannel, ...] = (InputChannel("left", "mic"), InputChannel("right", "mic"))

    def __init__(
        self, tempo: TempoMap, *, from_frame: int, to_frame: int, interface: SimulatedInterface,
        pace: RigClock | None = None, block_frames: int = 256, seed: int = 1,
    ) -> None:  # fmt: skip
        super().__init__(
            rate_hz=tempo.rate_hz, frames=to_frame - from_frame, interface=interface, pace=pace or RigClock(),
            block_frames=block_frames,
        )  # fmt: skip
        self._played = drum_loop(tempo, from_frame=from_frame, to_frame=to_frame, seed=seed)
        self._at = 0

    def render(self, frames: int) -> Samples:
        """The next frames of both channels."""
        start, self._at = self._at, self._at + frames
        return self._played[start : start + frames]


def drum_loop(tempo: TempoMap, *, from_frame: int, to_frame: int, seed: int = 1) -> Samples:
    """A simple loop, shape (frames, 2): kick on the odd beats, snare on the even ones, hats in eighths."""
    rate_hz = tempo.rate_hz
    random = np.random.default_rng(seed)
    time_s = np.arange(round(_HIT_S * rate_hz)) / rate_hz
    kick = 0.5 * np.sin(2 * np.pi * (48 * time_s + 6 * (1 - np.exp(-time_s / 0.02)))) * np.exp(-time_s / 0.09)
    noise = random.standard_normal(len(time_s))
    snare = 0.16 * noise * np.exp(-time_s / 0.06) + 0.15 * np.sin(2 * np.pi * 190 * time_s) * np.exp(-time_s / 0.05)
    hat = 0.05 * np.diff(noise, prepend=0.0) * np.exp(-time_s / 0.02)
    left, right = np.zeros(to_frame - from_frame), np.zeros(to_frame - from_frame)
    for bar in range(tempo.bar_at(from_frame), tempo.bar_at(max(from_frame, to_frame - 1)) + 1):
        for beat in range(1, tempo.meter_at(bar).beats + 1):
            at = tempo.beat_frame(bar, beat) - from_frame
            between = (at + tempo.beat_frame(bar, beat) + _beat_frames(tempo, bar, beat) - from_frame) // 2
            for channel, hat_gain in ((left, 0.7), (right, 1.0)):
                _add(channel, (1.4 if beat == 1 else 1.0) * (kick if beat % 2 else snare), at)
                _add(channel, hat_gain * hat, at)
                _add(channel, 0.7 * hat_gain * hat, between)
    return np.column_stack((left, right))


def _beat_frames(tempo: TempoMap, bar: int, beat: int) -> int:
    beats = tempo.meter_at(bar).beats
    end = tempo.beat_frame(bar, beat + 1) if beat < beats else tempo.bar_frame(bar + 1)
    return end - tempo.beat_frame(bar, beat)


def _add(channel: Samples, hit: Samples, at: int) -> None:
    start, end = max(0, at), min(len(channel), at + len(hit))
    if end > start:
        channel[start:end] += hit[start - at : end - at]
