"""What was played: every stroke of a take with its place, level, decay and pitch."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit
from fatsignal.core.pitch.reading import lowered_rate, read_pitch
from fatsignal.core.timing.pluck_onsets import Rise, find_attacks, hop_frames, rise_of

ENVELOPE_S = 0.01
_ATTACK_S = 0.05
_BODY_S = (0.07, 0.17)
_PITCH_S = (0.03, 0.38)
_SHORTEST_PITCH_S = 0.11
_BEFORE_NEXT_S = 0.008
_PITCH_STEP_FRAMES = 60
_LEAST_CLEARNESS = 0.8
_SILENCE_DB = -120.0
# What is longer is heard in stretches, each with so much of what lies around it.
_STRETCH_S, _MARGIN_S = 240.0, 2.0
_PER_STROKE = ("frames", "clearness", "attack_db", "body_db", "pitch_hz")


@dataclass(frozen=True, slots=True)
class TakeAnalysis:
    """Arrays over the strokes of a take, in order; frames count from the beginning of the file.

    `attack_db` and `body_db` are levels right after the stroke and a tenth of a second later; `pitch_hz` is nan where
    no single string can be read. `envelope_db` is the level every 10 ms.
    """

    rate_hz: int
    frames: NDArray[np.int64]
    clearness: Samples
    attack_db: Samples
    body_db: Samples
    pitch_hz: Samples
    envelope_db: Samples
    rise: Rise = field(repr=False)

    @property
    def strokes(self) -> int:
        return len(self.frames)

    def level_db(self, from_frame: int, to_frame: int) -> float:
        """Mean level between two frames of the file."""
        hop = self.rate_hz * ENVELOPE_S
        first, last = max(0, round(from_frame / hop)), max(1, round(to_frame / hop))
        return float(_mean_level(self.envelope_db, first, min(last, len(self.envelope_db))))


def listen_to(signal: Samples, *, rate_hz: int) -> TakeAnalysis:
    """Hear out a DI, shape (frames,): where its strokes are and what each of them is like."""
    rise = rise_of(signal, rate_hz=rate_hz)
    attacks = find_attacks(signal, rate_hz=rate_hz, rise=rise, least=_LEAST_CLEARNESS)
    frames = np.array([attack.frame for attack in attacks], dtype=np.int64)
    ends = np.append(frames[1:], len(signal))[: len(frames)]
    return TakeAnalysis(
        rate_hz=rate_hz,
        frames=frames,
        clearness=np.array([attack.clearness for attack in attacks]),
        attack_db=_levels(signal, frames, np.minimum(frames + round(_ATTACK_S * rate_hz), ends)),
        body_db=_body(signal, frames, ends, rate_hz),
        pitch_hz=_pitches(signal, frames, ends, rate_hz),
        envelope_db=_envelope(signal, rate_hz),
        rise=rise,
    )


def listen_through(read: Callable[[int, int], Samples], *, frames: int, rate_hz: int) -> TakeAnalysis:
    """Hear out a DI of any length in bounded memory; up to four minutes are heard as one.

    Parameters
    ----------
    read : callable
        Gives frames (first frame, how many) of the DI, shape (frames,); silence beyond its ends.
    """
    hop, envelope_hop = hop_frames(rate_hz), round(ENVELOPE_S * rate_hz)
    grid = math.lcm(hop, envelope_hop)
    stretch = max(1, round(_STRETCH_S * rate_hz / grid)) * grid
    if frames <= stretch:
        return listen_to(read(0, frames), rate_hz=rate_hz)
    # Each stretch is heard with some of what lies around it, so that its edges are nobody's first or last.
    margin = max(1, round(_MARGIN_S * rate_hz / grid)) * grid
    heard = []
    for start in range(0, frames, stretch):
        first, stop = max(0, start - margin), min(frames, start + stretch)
        heard.append((start, stop, first, listen_to(read(first, min(frames, stop + margin) - first), rate_hz=rate_hz)))
    return _joined(heard, rate_hz)


def _joined(heard: Sequence[tuple[int, int, int, TakeAnalysis]], rate_hz: int) -> TakeAnalysis:
    """One from several: of each the strokes from its start to its stop, in frames of the whole."""
    hop, envelope_hop = hop_frames(rate_hz), round(ENVELOPE_S * rate_hz)
    strokes: dict[str, list[NDArray[Any]]] = {name: [] for name in _PER_STROKE}
    envelopes: list[Samples] = []
    rises: list[Samples] = []
    for start, stop, first, playing in heard:
        frames = playing.frames + first
        mine = (frames >= start) & (frames < stop)
        strokes["frames"].append(frames[mine])
        for name in _PER_STROKE[1:]:
            strokes[name].append(getattr(playing, name)[mine])
        last = stop is heard[-1][1]
        for curve, step, kept in (
            (playing.envelope_db, envelope_hop, envelopes), (playing.rise.clearness, hop, rises)
        ):  # fmt: skip
            kept.append(curve[(start - first) // step : None if last else (stop - first) // step])
    return TakeAnalysis(
        rate_hz=rate_hz, **{name: np.concatenate(found) for name, found in strokes.items()},
        envelope_db=np.concatenate(envelopes),
        rise=Rise(np.concatenate(rises), hop, heard[0][3].rise.first_frame),
    )  # fmt: skip


def _levels(signal: Samples, starts: NDArray[np.int64], ends: NDArray[np.int64]) -> Samples:
    """Mean level between pairs of frames."""
    levels = np.empty(len(starts))
    _add_levels(signal, starts, ends, levels)
    return levels


@njit(cache=True, nogil=True, fastmath=True)
def _add_levels(signal, starts, ends, levels):
    for index in range(len(levels)):
        first, last = max(0, starts[index]), min(ends[index], len(signal))
        total = 0.0
        for sample in signal[first:last]:
            total += sample * sample
        levels[index] = 10 * math.log10(max(total / max(1, last - first), 10 ** (_SILENCE_DB / 10)))


@njit(cache=True, nogil=True)
def _mean_level(levels_db, first, last):
    """The level of the mean power of some levels."""
    if first >= last:
        return _SILENCE_DB
    total = 0.0
    for level_db in levels_db[first:last]:
        total += 10 ** (level_db / 10)
    return 10 * math.log10(total / (last - first))


def _body(signal: Samples, frames: NDArray[np.int64], ends: NDArray[np.int64], rate_hz: int) -> Samples:
    """Level a tenth of a second after the stroke; of short notes that of their second half."""
    length = ends - frames
    first = frames + np.minimum(round(_BODY_S[0] * rate_hz), length // 2)
    last = np.minimum(frames + round(_BODY_S[1] * rate_hz), ends - round(0.012 * rate_hz))
    return _levels(signal, first, np.maximum(last, first + 1))


def _envelope(signal: Samples, rate_hz: int) -> Samples:
    hop = round(ENVELOPE_S * rate_hz)
    starts = np.arange(0, len(signal), hop)
    return _levels(signal, starts, starts + hop)


def _pitches(signal: Samples, frames: NDArray[np.int64], ends: NDArray[np.int64], rate_hz: int) -> Samples:
    low_rate_hz, lowered = lowered_rate(signal, rate_hz)
    found = np.full(len(frames), np.nan)
    for index, (frame_s, end_s) in enumerate(zip(frames / rate_hz, ends / rate_hz, strict=True)):
        start = round((frame_s + _PITCH_S[0]) * low_rate_hz)
        stop = round(min(end_s - _BEFORE_NEXT_S, frame_s + _PITCH_S[1]) * low_rate_hz)
        if stop - start < _SHORTEST_PITCH_S * low_rate_hz:
            continue
        # Of a few lengths only: windows and transforms are kept by length.
        stop -= (stop - start) % _PITCH_STEP_FRAMES
        reading = read_pitch(lowered[start:stop], rate_hz=round(low_rate_hz))
        if reading is not None:
            found[index] = reading.frequency_hz
    return found
