"""What was played: every stroke of a take with its place, level, decay, pitch, and what sounds in it."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.signal import resample_poly

from fatsignal.core.clip import Samples
from fatsignal.core.pitch.reading import ANALYSIS_RATE_HZ, read_pitch
from fatsignal.core.timing.attacks import Rise, find_attacks, rise_of

ENVELOPE_S = 0.01
_ATTACK_S = 0.05
_BODY_S = (0.07, 0.17)
_PITCH_S = (0.03, 0.38)
_SHORTEST_PITCH_S = 0.11
_LEAST_CLEARNESS = 0.8
_SILENCE_DB = -120.0
# Energy in semitones, from the lowest string of a five-string bass on.
LOWEST_NOTE, SEMITONES = 23, 66
_TONE_S = (0.02, 0.2)


@dataclass(frozen=True, slots=True)
class Playing:
    """Arrays over the strokes of a take, in order; frames count from the beginning of the file.

    `attack_db` and `body_db` are levels right after the stroke and a tenth of a second later; `pitch_hz` is nan where
    no single string can be read. `tones_db` has shape (strokes, semitones). `envelope_db` is the level every 10 ms.
    """

    rate_hz: int
    frames: NDArray[np.int64]
    clearness: Samples
    attack_db: Samples
    body_db: Samples
    pitch_hz: Samples
    tones_db: Samples
    envelope_db: Samples
    rise: Rise = field(repr=False)

    @property
    def strokes(self) -> int:
        return len(self.frames)

    def level_db(self, from_frame: int, to_frame: int) -> float:
        """Mean level between two frames of the file."""
        hop = self.rate_hz * ENVELOPE_S
        piece = self.envelope_db[max(0, round(from_frame / hop)) : max(1, round(to_frame / hop))]
        return float(10 * np.log10(np.mean(10 ** (piece / 10)))) if len(piece) else _SILENCE_DB


def listen_to(signal: Samples, *, rate_hz: int) -> Playing:
    """Hear out a DI, shape (frames,): where its strokes are and what each of them is like."""
    rise = rise_of(signal, rate_hz=rate_hz)
    attacks = find_attacks(signal, rate_hz=rate_hz, rise=rise, least=_LEAST_CLEARNESS)
    frames = np.array([attack.frame for attack in attacks], dtype=np.int64)
    power = np.concatenate(([0.0], np.cumsum(np.square(signal, dtype=np.float64))))
    ends = np.append(frames[1:], len(signal))[: len(frames)]
    return Playing(
        rate_hz=rate_hz,
        frames=frames,
        clearness=np.array([attack.clearness for attack in attacks]),
        attack_db=_levels(power, frames, np.minimum(frames + round(_ATTACK_S * rate_hz), ends)),
        body_db=_body(power, frames, ends, rate_hz),
        pitch_hz=_pitches(signal, frames, ends, rate_hz),
        tones_db=_tones(signal, frames, ends, rate_hz),
        envelope_db=_envelope(power, rate_hz),
        rise=rise,
    )


def _levels(power: Samples, starts: NDArray[np.int64], ends: NDArray[np.int64]) -> Samples:
    """Mean level between pairs of frames, from the running sum of the power."""
    last = len(power) - 1
    starts, ends = np.clip(starts, 0, last), np.clip(ends, 0, last)
    mean = (power[ends] - power[starts]) / np.maximum(ends - starts, 1)
    return np.asarray(10 * np.log10(np.maximum(mean, 10 ** (_SILENCE_DB / 10))))


def _body(power: Samples, frames: NDArray[np.int64], ends: NDArray[np.int64], rate_hz: int) -> Samples:
    """Level a tenth of a second after the stroke; of short notes that of their second half."""
    length = ends - frames
    first = frames + np.minimum(round(_BODY_S[0] * rate_hz), length // 2)
    last = np.minimum(frames + round(_BODY_S[1] * rate_hz), ends - round(0.012 * rate_hz))
    return _levels(power, first, np.maximum(last, first + 1))


def _envelope(power: Samples, rate_hz: int) -> Samples:
    hop = round(ENVELOPE_S * rate_hz)
    starts = np.arange(0, len(power) - 1, hop)
    return _levels(power, starts, starts + hop)


def _pitches(signal: Samples, frames: NDArray[np.int64], ends: NDArray[np.int64], rate_hz: int) -> Samples:
    factor = max(1, rate_hz // ANALYSIS_RATE_HZ)
    low_rate = rate_hz / factor
    lowered = resample_poly(signal, 1, factor) if factor > 1 else signal
    found = np.full(len(frames), np.nan)
    for index, (frame, end) in enumerate(zip(frames, ends, strict=True)):
        start = round(frame / factor + _PITCH_S[0] * low_rate)
        stop = round(min(end / factor - 0.008 * low_rate, frame / factor + _PITCH_S[1] * low_rate))
        if stop - start < _SHORTEST_PITCH_S * low_rate:
            continue
        reading = read_pitch(lowered[start:stop], rate_hz=round(low_rate))
        if reading is not None:
            found[index] = reading.frequency_hz
    return found


def _tones(signal: Samples, frames: NDArray[np.int64], ends: NDArray[np.int64], rate_hz: int) -> Samples:
    """Energy of each stroke in semitones: by one transform of its first fifth of a second."""
    factor = max(1, rate_hz // ANALYSIS_RATE_HZ)
    low_rate = rate_hz / factor
    lowered = resample_poly(signal, 1, factor) if factor > 1 else signal
    size = 1 << round(np.log2(0.34 * low_rate))
    pieces = np.zeros((len(frames), size))
    for index, (frame, end) in enumerate(zip(frames, ends, strict=True)):
        start = round(frame / factor + _TONE_S[0] * low_rate)
        stop = round(min(end / factor, frame / factor + _TONE_S[1] * low_rate))
        piece = lowered[start:stop]
        if len(piece) > 32:
            pieces[index, : len(piece)] = piece * np.hanning(len(piece)) / np.sqrt(len(piece))
    power = np.abs(np.fft.rfft(pieces, axis=1)) ** 2
    note = 69 + 12 * np.log2(np.maximum(np.fft.rfftfreq(size, 1 / low_rate), 1e-3) / 440.0)
    semitone = np.rint(note).astype(int) - LOWEST_NOTE
    tones = np.zeros((len(frames), SEMITONES))
    for bin_, place in enumerate(semitone):
        if 0 <= place < SEMITONES:
            tones[:, place] += power[:, bin_]
    return np.asarray(10 * np.log10(tones + 1e-12))
