"""What a tone is, in figures: how bright, how driven, how it answers to the hand, how quiet, how long it rings.

All of it is measured on a plain riff (`riff.py`), against the riff itself where that has a share in it.
"""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.clip import Clip, Samples, in_one
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.instruments import For
from fatsignal.core.tone.render import render
from fatsignal.core.tone.riff import RIFF_RATE_HZ, riff
from fatsignal.core.tone.tone_distance import BAND_NUMBERS, third_octave_levels_db
from fatsignal.core.tone.voltage import DiVoltage

_VOLTS = DiVoltage(1.0)
_SOFTER_DB = 20.0
_NOISE_DBV = -100.0
# A soft tone of a single string, for the partials that a tone adds.
_SINE_HZ, _SINE_V = 196.0, 0.3
_LONGEST_TAIL_S = 8.0
_TAIL_STEP_S = 0.25
_LOW_BANDS, _MIDDLE_BANDS = range(17, 23), range(23, 31)


@dataclass(frozen=True, slots=True)
class ToneMeasures:
    """`tilt_db` is per octave, over what the riff itself has; `answers_db` is how much louder it gets when it is played
    20 dB harder; `quiet_db` how far its noise lies below the riff; `added_db` the partials that it adds to a soft tone,
    against that.
    """

    loudness_lufs: float
    tilt_db: float
    low_end_db: float
    added_db: float
    crest_lost_db: float
    answers_db: float
    quiet_db: float
    tail_s: float
    thirds_db: tuple[float, ...]


def measure_tone(tone: Tone, instrument: For) -> ToneMeasures:
    """Run the riff of an instrument through a tone, and tell what came of it."""
    dry = riff(instrument)
    wet = in_one(render(_chain(tone), dry))
    soft = in_one(render(_chain(tone), dry * 10 ** (-_SOFTER_DB / 20)))
    loudness = integrated_loudness_lufs(Clip.mono(wet, RIFF_RATE_HZ))
    thirds = third_octave_levels_db(wet, rate_hz=RIFF_RATE_HZ) - third_octave_levels_db(dry, rate_hz=RIFF_RATE_HZ)
    thirds -= np.median(thirds)
    octaves = np.array(BAND_NUMBERS) / (10 * math.log10(2))
    return ToneMeasures(
        loudness_lufs=round(loudness, 2) if math.isfinite(loudness) else -70.0,
        tilt_db=round(float(np.polyfit(octaves, thirds, 1)[0]), 2),
        low_end_db=round(_low_end_db(wet) - _low_end_db(dry), 2),
        added_db=round(_added_db(tone), 1),
        crest_lost_db=round(_crest_db(dry) - _crest_db(wet), 2),
        answers_db=round(_level_db(wet) - _level_db(soft), 2),
        quiet_db=round(_level_db(wet) - _noise_db(tone), 1),
        tail_s=round(_tail_s(tone, dry, wet), 2),
        thirds_db=tuple(round(float(each), 2) for each in thirds),
    )  # fmt: skip


def _chain(tone: Tone) -> ToneChain:
    return ToneChain(tone, rate_hz=RIFF_RATE_HZ, voltage=_VOLTS)


def _level_db(signal: Samples) -> float:
    return 20 * math.log10(float(np.std(signal)) + 1e-12)


def _crest_db(signal: Samples) -> float:
    return 20 * math.log10(float(np.abs(signal).max()) / (float(np.std(signal)) + 1e-12) + 1e-12)


def _low_end_db(signal: Samples) -> float:
    """The octaves around 80 Hz against those up to 1 kHz."""
    power = np.abs(np.fft.rfft(signal)) ** 2
    frequency_hz = np.fft.rfftfreq(len(signal), 1 / RIFF_RATE_HZ)

    def band(numbers: range) -> float:
        low_hz, high_hz = 10 ** (numbers[0] / 10 - 0.05), 10 ** (numbers[-1] / 10 + 0.05)
        return float(power[(frequency_hz >= low_hz) & (frequency_hz < high_hz)].sum())

    return 10 * math.log10((band(_LOW_BANDS) + 1e-20) / (band(_MIDDLE_BANDS) + 1e-20))


def _added_db(tone: Tone) -> float:
    """Power of what is no part of a soft sine, against all; a whole number of periods, once the tone has settled."""
    periods = round(0.5 * _SINE_HZ)
    frames = round(periods * RIFF_RATE_HZ / _SINE_HZ)
    sine = _SINE_V * np.sin(2 * np.pi * periods * np.arange(3 * frames) / frames)
    settled = in_one(_chain(tone).process(sine))[-frames:]
    power = np.abs(np.fft.rfft(settled * np.hanning(frames))) ** 2
    around = slice(periods - 2, periods + 3)
    own, total = float(power[around].sum()), float(power[3:].sum())
    return 10 * math.log10(max(total - own, 1e-12 * total + 1e-30) / (total + 1e-30))


def _noise_db(tone: Tone) -> float:
    """What a DI's own noise becomes."""
    noise = 10 ** (_NOISE_DBV / 20) * np.random.default_rng(1).standard_normal(RIFF_RATE_HZ)
    return _level_db(in_one(_chain(tone).process(noise))[RIFF_RATE_HZ // 4 :])


def _tail_s(tone: Tone, dry: Samples, wet: Samples) -> float:
    """How long after the strings are damped it is 60 dB below the riff."""
    chain, step = _chain(tone), round(_TAIL_STEP_S * RIFF_RATE_HZ)
    chain.process(np.ascontiguousarray(dry[-3 * RIFF_RATE_HZ :]))
    floor_db = _level_db(wet) - 60
    silence = np.zeros(step)
    for count in range(round(_LONGEST_TAIL_S / _TAIL_STEP_S)):
        rest = in_one(chain.process(silence))
        parts = rest.reshape(5, -1)
        for part, piece in enumerate(parts):
            if _level_db(piece) < floor_db:
                return (count + part / len(parts)) * _TAIL_STEP_S
    return _LONGEST_TAIL_S
