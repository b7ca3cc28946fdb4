"""Finding the pulse of a finished recording: its tempo, beats and first downbeat.

References
----------
.. [1] D. P. W. Ellis, "Beat tracking by dynamic programming", Journal of New Music Research 36(1), 2007: the tempo from
   the weighted autocorrelation of the onset strength, the beats by a recursion over their best predecessors.
.. [2] S. Dixon, "Automatic extraction of tempo and beat from expressive performances", JNMR 30(1), 2001: beats placed
   on onsets near them.
"""

import math

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d
from scipy.signal import butter, sosfilt

from fatsignal.core.clip import Samples
from fatsignal.core.mono_sound import MonoSound
from fatsignal.core.timing.beat_onsets import STRETCH_FRAMES, find_onsets, onset_strength
from fatsignal.core.timing.pulse import Pulse
from fatsignal.errors import SignalError

_MIDDLE_BPM, _OCTAVES = 115.0, 0.75
_LOCAL_S = 10.0
_SLOWEST, _FASTEST = 45.0, 220.0
_TIGHTNESS = 100.0
_SNAP_S = 0.045
SHORTEST_S = 4.0
_LOW_HZ, _HEAVY_HZ = 180.0, 1_200.0
_AS_STRONG = 0.93
# What is at least this share of the recording's loudness sounds.
_SOUNDS_SHARE = 0.5


def find_pulse(sound: MonoSound, *, beats_per_bar: int = 4, near_bpm: float | None = None) -> Pulse:
    """Propose tempo, beats and first downbeat of a recording; an hour of it takes 200 MB.

    Parameters
    ----------
    near_bpm : float, optional
        A tempo that a person tapped: the estimate stays within a tenth of it.

    Raises
    ------
    SignalError
        If the recording is shorter than four seconds, or nothing in it repeats.
    """
    rate_hz = sound.rate_hz
    if sound.frames < SHORTEST_S * rate_hz:
        raise SignalError(
            f"{sound.frames / rate_hz:.1f} s are too short to find a tempo in: {SHORTEST_S:g} s are needed"
        )
    strength, hop = onset_strength(sound)
    if not strength.any():
        raise SignalError("nothing begins in this recording: there is no tempo to find")
    onsets = find_onsets(sound, strength=strength)
    strength = strength / (strength.std() + 1e-12)
    frame_hz = rate_hz / hop
    weight, loudness = heaviness(sound, len(strength), hop)
    bpm, clarity = _tempo(strength * weight, frame_hz, near_bpm)
    rough = _track(strength, 60 * frame_hz / bpm)
    reach = round(_SNAP_S * rate_hz)
    beats = _with_first(_snapped(rough * hop, onsets, reach), sound, loudness)
    if len(beats) < 4:
        raise SignalError("no four beats in a row were found: tap the tempo instead")
    period, _, drift = _even_row(beats)
    phase, sureness = _downbeat(sound, beats, beats_per_bar)
    on_onsets = float(np.mean(_near(beats, onsets, reach)))
    return Pulse(
        bpm=60 * rate_hz / period,
        beats=[int(beat) for beat in beats],
        first_downbeat=int(beats[phase]),
        beats_per_bar=beats_per_bar,
        confidence=round(max(0.0, min(1.0, clarity * on_onsets)), 3),
        downbeat_confidence=round(sureness, 3),
        drift_ms=1000 * drift / rate_hz,
    )


def heaviness(sound: MonoSound, frames: int, hop: int) -> tuple[Samples, float]:
    """How heavy the sound after each frame is, and the RMS of all of it.

    A bar is carried by its drums and basses, not by its cymbals.
    """
    sections = butter(2, _HEAVY_HZ, fs=sound.rate_hz, output="sos")
    state = np.zeros((len(sections), 2))
    power, energy = np.zeros(frames + 6), 0.0
    for first in range(0, -(-sound.frames // hop), STRETCH_FRAMES):
        samples = sound.read(first * hop, min(STRETCH_FRAMES * hop, sound.frames - first * hop))
        energy += float(samples @ samples)
        low, state = sosfilt(sections, samples, zi=state)
        padded = np.concatenate((low, np.zeros(-len(low) % hop))).reshape(-1, hop)
        power[first : first + len(padded)] = np.mean(np.square(padded), axis=1)
    summed = np.concatenate(([0.0], np.cumsum(power)))
    heavy = np.sqrt((summed[6 : 6 + frames] - summed[:frames]) / 6)
    return np.asarray(heavy), math.sqrt(energy / sound.frames)


def _tempo(strength: Samples, frame_hz: float, near_bpm: float | None) -> tuple[float, float]:
    """Beats a minute, and how much of the onset strength repeats at that period."""
    lags = _repetition(strength, round(_LOCAL_S * frame_hz))
    low, high = (near_bpm * 0.9, near_bpm * 1.1) if near_bpm else (_SLOWEST, _FASTEST)
    shortest, longest = max(2, int(60 * frame_hz / high)), int(60 * frame_hz / low) + 1
    if longest >= len(lags):
        raise SignalError("the recording is too short for this tempo")
    lag = np.arange(shortest, longest + 1)

    def at(times: float) -> Samples:
        return np.asarray(np.interp(times * lag, np.arange(len(lags)), lags))

    # All of its multiples repeat too, and its half may: a beat, and not three eighths by accident.
    support = (at(1) + at(2) + at(3) + at(4)) / 4 + 0.2 * np.maximum(at(0.5), 0)
    prior = np.exp(-0.5 * (np.log2(60 * frame_hz / lag / (near_bpm or _MIDDLE_BPM)) / _OCTAVES) ** 2)
    best = int(np.argmax(support * prior))
    if at(1)[best] <= 0.02:
        raise SignalError("nothing in this recording repeats evenly: tap the tempo instead")
    return 60 * frame_hz / float(lag[best]), float(min(1.0, max(0.0, 2.2 * at(1)[best])))


def _repetition(strength: Samples, window: int) -> Samples:
    """Autocorrelation over stretches of some seconds, averaged: a tempo that drifts does not smear it."""
    window = min(window, len(strength))
    size = 1 << math.ceil(math.log2(2 * window))
    total = np.zeros(window)
    for start in range(0, len(strength) - window + 1, max(1, window // 2)):
        piece = strength[start : start + window]
        total += np.fft.irfft(np.abs(np.fft.rfft(piece - piece.mean(), size)) ** 2)[:window]
    return np.asarray(total / max(total[0], 1e-12) * window / np.maximum(window - np.arange(window), 1))


def _track(strength: Samples, period: float) -> NDArray[np.int64]:
    """Frames of the beats: each has the predecessor that lies about a period before and fits best."""
    smooth = gaussian_filter1d(strength, period / 32)
    score = smooth.copy()
    before = np.full(len(smooth), -1)
    reach = np.arange(-round(2 * period), -round(period / 2) + 1)
    cost = -_TIGHTNESS * np.log(-reach / period) ** 2
    for at in range(-int(reach[-1]), len(smooth)):
        first = max(0, at + int(reach[0]))
        candidates = score[first : at + int(reach[-1]) + 1] + cost[len(reach) - (at + int(reach[-1]) + 1 - first) :]
        best = int(np.argmax(candidates))
        if candidates[best] > 0:
            score[at] += candidates[best]
            before[at] = first + best
    tail = max(1, round(period))
    at = len(score) - tail + int(np.argmax(score[-tail:]))
    beats = [at]
    while before[beats[-1]] >= 0:
        beats.append(int(before[beats[-1]]))
    return _trimmed(np.array(beats[::-1], dtype=np.int64), smooth)


def _trimmed(beats: NDArray[np.int64], strength: Samples) -> NDArray[np.int64]:
    """Beats before the first and after the last thing that sounds are invented: they are left out."""
    enough = 0.4 * float(np.median(strength[beats]))
    sounding = np.flatnonzero(strength[beats] > enough)
    return beats[sounding[0] : sounding[-1] + 1] if len(sounding) else beats


def _near(beats: NDArray[np.int64], onsets: NDArray[np.int64], reach: int) -> NDArray[np.bool_]:
    if not len(onsets):
        return np.zeros(len(beats), dtype=bool)
    at = np.clip(np.searchsorted(onsets, beats), 1, len(onsets) - 1) if len(onsets) > 1 else np.zeros(len(beats), int)
    left = onsets[np.maximum(at - 1, 0)]
    return np.asarray(np.minimum(np.abs(beats - left), np.abs(beats - onsets[at])) <= reach)


def _snapped(beats: NDArray[np.int64], onsets: NDArray[np.int64], reach: int) -> NDArray[np.int64]:
    """Each beat on the onset nearest to it, where there is one; the others keep their share of the way."""
    placed = beats.astype(np.float64)
    known = np.zeros(len(beats), dtype=bool)
    for index, beat in enumerate(beats):
        if len(onsets):
            nearest = int(onsets[np.argmin(np.abs(onsets - beat))])
            if abs(nearest - beat) <= reach:
                placed[index], known[index] = nearest, True
    if known.sum() >= 2:
        numbers = np.arange(len(beats))
        shift = np.interp(numbers, numbers[known], (placed - beats)[known])
        placed = np.where(known, placed, beats + shift)
    return np.rint(placed).astype(np.int64)


def _with_first(beats: NDArray[np.int64], sound: MonoSound, loudness: float) -> NDArray[np.int64]:
    """The beats with those that lie at the very beginning: a recording that starts on a beat has no attack to find."""
    window = round(0.05 * sound.rate_hz)
    while len(beats) > 2:
        before = int(beats[0] - (beats[2] - beats[0]) // 2)
        if before < -window:
            break
        at = max(0, before)
        if _rms(sound.read(at, window)) < _SOUNDS_SHARE * loudness:
            break
        beats = np.concatenate(([at], beats))
        if before <= 0:
            break
    return beats


def _rms(samples: Samples) -> float:
    return math.sqrt(float(np.mean(np.square(samples))) + 1e-20)


def _even_row(beats: NDArray[np.int64]) -> tuple[float, float, float]:
    """Period and first place of the line through the beats, and the 90th percentile of their distance from it."""
    numbers = np.arange(len(beats))
    period, first = np.polyfit(numbers, beats, 1)
    away = np.abs(beats - (first + period * numbers))
    return float(period), float(first), float(np.percentile(away, 90))


def beat_weights(sound: MonoSound, beats: NDArray[np.int64]) -> Samples:
    """How much low end lies in the 120 ms after each beat, and half of all that sounds there; shape (beats,)."""
    sections = butter(2, _LOW_HZ, fs=sound.rate_hz, output="sos")
    # After 40 of its time constants the filter knows nothing of what came before.
    settle = round(40 / (math.pi * math.sqrt(2) * _LOW_HZ) * sound.rate_hz)
    weights = []
    for beat in beats:
        samples = sound.read(int(beat) - settle, settle + min(round(0.12 * sound.rate_hz), sound.frames - int(beat)))
        weights.append(_rms(sosfilt(sections, samples)[settle:]) + 0.5 * _rms(samples[settle:]))
    return np.array(weights)


def _downbeat(sound: MonoSound, beats: NDArray[np.int64], beats_per_bar: int) -> tuple[int, float]:
    """Which of the first beats begins a bar: the one whose row carries the most low end and the strongest attacks."""
    weight = beat_weights(sound, np.maximum(beats, 0))
    if len(weight) < beats_per_bar or beats_per_bar == 1:
        return 0, 0.0
    sums = np.array([weight[phase::beats_per_bar].mean() for phase in range(beats_per_bar)])
    order = np.argsort(sums)[::-1]
    margin = float((sums[order[0]] - sums[order[1]]) / max(sums[order[0]], 1e-12))
    # Of rows that are as strong as one another the first one counts: most songs begin on a downbeat.
    first = int(np.argmax(sums >= _AS_STRONG * sums[order[0]]))
    return first, min(1.0, 3 * margin)
