"""The click, rendered to the sample: accent, beat and subdivision, each with its own level and sound."""

from fractions import Fraction
from typing import Literal

import numpy as np
from pydantic import Field

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.documents import Kept
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.units import amplitude_from_db

SoundName = Literal["tone", "wood", "tick"]
Loudness = Literal["accent", "beat", "sub"]

_LENGTH_S = 0.045
# Pitch of the three, so that they are told apart by ear at equal level too.
_TONE_HZ: dict[Loudness, float] = {"accent": 1_760.0, "beat": 1_174.7, "sub": 880.0}
_WOOD_HZ: dict[Loudness, tuple[float, float]] = {
    "accent": (920.0, 2_380.0),
    "beat": (760.0, 1_940.0),
    "sub": (640.0, 1_600.0),
}


class ClickSettings(Kept):
    """How a session's click sounds and how many bars it counts in. Levels are of the click's peak."""

    accent_dbfs: float = Field(default=-6.0, ge=-60, le=0)
    beat_dbfs: float = Field(default=-10.0, ge=-60, le=0)
    sub_dbfs: float = Field(default=-18.0, ge=-60, le=0)
    accent_sound: SoundName = "tone"
    beat_sound: SoundName = "tone"
    sub_sound: SoundName = "tick"
    subdivision: Literal[1, 2, 3, 4] = Field(default=1, description="Clicks a beat; 1 is the beat alone.")
    roll_count_in_bars: int = Field(default=1, ge=0, le=4)
    play_count_in_bars: int = Field(default=0, ge=0, le=4)


def render_click(tempo: TempoMap, *, from_frame: int, to_frame: int, settings: ClickSettings | None = None) -> Clip:
    """The click of every beat that sounds in [from_frame, to_frame), mono; one begun before is cut."""
    settings = settings or ClickSettings()
    samples = np.zeros(max(0, to_frame - from_frame))
    sounds = {kind: _sound_of(settings, kind, tempo.rate_hz) for kind in ("accent", "beat", "sub")}
    longest = max(len(sound) for sound in sounds.values())
    for frame, kind in _strokes(tempo, settings.subdivision, from_frame - longest, to_frame):
        sound = sounds[kind]
        start = frame - from_frame
        skip = max(0, -start)
        end = min(len(samples), start + len(sound))
        if end > max(0, start):
            samples[max(0, start) : end] += sound[skip : end - start]
    return Clip.mono(samples, tempo.rate_hz)


def click_sound(*, kind: Loudness, sound: SoundName, peak_dbfs: float, rate_hz: int) -> Samples:
    """One click, shape (frames,): it starts on its very first sample at its peak and falls away by 60 dB."""
    time_s = np.arange(round(_LENGTH_S * rate_hz)) / rate_hz
    fall = 10 ** (-3 * time_s / _LENGTH_S)
    match sound:
        case "tone":
            wave = np.cos(2 * np.pi * _TONE_HZ[kind] * time_s)
        case "wood":
            low_hz, high_hz = _WOOD_HZ[kind]
            wave = 0.65 * np.cos(2 * np.pi * low_hz * time_s) + 0.35 * np.cos(2 * np.pi * high_hz * time_s) * fall
        case "tick":
            # Short and bright, audible under a loud guitar without a pitch that could clash with it.
            fall = 10 ** (-3 * time_s / (_LENGTH_S / 5))
            wave = np.cos(2 * np.pi * 2.5 * _TONE_HZ[kind] * time_s)
    return np.asarray(amplitude_from_db(peak_dbfs) * wave * fall)


def _sound_of(settings: ClickSettings, kind: Loudness, rate_hz: int) -> Samples:
    sound: SoundName = getattr(settings, f"{kind}_sound")
    return click_sound(kind=kind, sound=sound, peak_dbfs=getattr(settings, f"{kind}_dbfs"), rate_hz=rate_hz)


def _strokes(tempo: TempoMap, subdivision: int, from_frame: int, to_frame: int) -> list[tuple[int, Loudness]]:
    strokes: list[tuple[int, Loudness]] = []
    if to_frame <= from_frame:
        return strokes
    for bar, beat, frame in tempo.beats(tempo.bar_at(from_frame), tempo.bar_at(to_frame) + 1):
        strokes.append((frame, "accent" if beat == 1 else "beat"))
        for part in range(1, subdivision):
            strokes.append((tempo.beat_frame(bar, beat, Fraction(part, subdivision)), "sub"))
    return [stroke for stroke in strokes if from_frame <= stroke[0] < to_frame]
