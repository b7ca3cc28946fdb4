"""The click, rendered to the sample."""

import numpy as np

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.timing.tempo import TempoMap

_ACCENT_HZ, _BEAT_HZ = 1_760.0, 1_174.7
_ACCENT_PEAK, _BEAT_PEAK = 0.5, 0.32
_LENGTH_S = 0.045


def render_click(tempo: TempoMap, *, from_frame: int, to_frame: int) -> Clip:
    """A short tone on every beat in [from_frame, to_frame), higher and louder on the first of a bar."""
    samples = np.zeros(max(0, to_frame - from_frame))
    beat = tempo.beat_at(from_frame)
    while (frame := tempo.beat_frame(beat)) < to_frame:
        sound = click_sound(accent=beat % tempo.beats_per_bar == 0, rate_hz=tempo.rate_hz)
        start = frame - from_frame
        skip = max(0, -start)
        end = min(len(samples), start + len(sound))
        if end > max(0, start):
            samples[max(0, start) : end] += sound[skip : end - start]
        beat += 1
    return Clip.mono(samples, tempo.rate_hz)


def click_sound(*, accent: bool, rate_hz: int) -> Samples:
    """One click, shape (frames,): a tone that falls away by 60 dB, starting on its very first sample."""
    time_s = np.arange(round(_LENGTH_S * rate_hz)) / rate_hz
    frequency_hz, peak = (_ACCENT_HZ, _ACCENT_PEAK) if accent else (_BEAT_HZ, _BEAT_PEAK)
    return np.asarray(peak * np.cos(2 * np.pi * frequency_hz * time_s) * 10 ** (-3 * time_s / _LENGTH_S))
