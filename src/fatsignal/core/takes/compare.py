"""Takes of one phrase lined up with each other: what most of them have, and the one that lacks it.

The strokes of all takes together show what is meant to be played. A stroke that most takes have and one lacks is
missing there; one that nobody else has is extra; one that comes late, dies at once, rings on or is out of tune is so
against the others and, where there are few, against the click.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.median import median
from fatsignal.core.takes.findings import Finding, Kind, in_words
from fatsignal.core.takes.lateness import LATE_S, lateness
from fatsignal.core.takes.notes import ENVELOPE_S
from fatsignal.core.takes.stroke_alignment import (
    FEWEST_TAKES,
    MOST_SHARE,
    SURE_CLEARNESS,
    Consensus,
    Performance,
    line_up,
)
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap

_FEW_SHARE = 0.34
_ABSENT_CLEARNESS, _THUD_CLEARNESS, _DIED_DB = 0.42, 0.76, 12.0
# A stroke that nobody else has: it is clear by itself, or against the faint traces that the others have there.
_EXTRA_CLEARNESS, _FAINT_EXTRA, _EXTRA_FACTOR = 1.5, 0.85, 2.5
_DETUNED_CENTS, _CHOKED_DB, _RINGING_DB = 14.0, 7.0, 12.0
_WIDEST_CENTS = 80.0
_FEWEST_SAME = 4
# A note that others let die is this far below its stroke by then.
_QUIET_DB, _REST_SHARE = -18.0, 0.7


def compare(takes: Sequence[Performance], span: Window, tempo: TempoMap) -> list[list[Finding]]:
    """What is wrong in each take within a span of the session, by comparing it with the others.

    With fewer than three takes nothing can be said of what is missing, extra, choked or ringing: then timing is held
    against the click alone, and pitch against the notes of equal temperament.
    """
    meant = line_up(takes, span, rate_hz=tempo.rate_hz)
    many = len(takes) >= FEWEST_TAKES
    clear = _clearness(takes, meant)
    late = lateness(takes, meant, clear, tempo, many=many)
    cents = _cents(takes, meant)
    findings = [_timing_and_pitch(take, meant.strokes[index], late[index], cents[index], tempo.rate_hz)
                for index, take in enumerate(takes)]  # fmt: skip
    if many:
        choke, ring = _decays(takes, meant, span, tempo.rate_hz)
        for index in range(len(takes)):
            findings[index] += _integrity(takes, index, meant, clear, choke[index], ring[index], tempo.rate_hz)
    return findings


def _timing_and_pitch(
    take: Performance, strokes: NDArray[np.int64], late: Samples, cents: Samples, rate_hz: int
) -> list[Finding]:
    found = []
    for stroke, frames, off in zip(strokes, late, cents, strict=True):
        if stroke < 0:
            continue
        at = take.at(stroke)
        if abs(frames) >= LATE_S * rate_hz:
            ms = 1000 * frames / rate_hz
            found.append(_found("late" if ms > 0 else "early", at, ms))
        if abs(off) >= _DETUNED_CENTS:
            found.append(_found("sharp" if off > 0 else "flat", at, off))
    return found


def _integrity(
    takes: Sequence[Performance],
    index: int,
    meant: Consensus,
    clear: Samples,
    choke: Samples,
    ring: Samples,
    rate_hz: int,
) -> list[Finding]:
    """Notes that are missing, extra, choked or ringing over."""
    take, found = takes[index], []
    struck = meant.strokes >= 0
    shares = (struck.sum(axis=0) - struck[index]) / (len(takes) - 1)
    for place, (frame, others) in enumerate(zip(meant.frames, shares, strict=True)):
        stroke = meant.strokes[index, place]
        if stroke < 0:
            if others >= MOST_SHARE and clear[place] >= SURE_CLEARNESS:
                kind = _not_struck(takes, index, frame, rate_hz)
                if kind is not None:
                    found.append(_found(kind, frame, 1))
        elif others <= _FEW_SHARE:
            if _nobody_else(takes, index, take.at(stroke), take.playing.clearness[stroke], rate_hz):
                found.append(_found("extra", take.at(stroke), 1))
        elif choke[place] <= -_CHOKED_DB:
            found.append(_found("choked", take.at(stroke), choke[place]))
        elif ring[place] >= _RINGING_DB:
            found.append(_found("rings over", take.at(stroke), ring[place]))
    return found


def _not_struck(takes: Sequence[Performance], index: int, frame: float, rate_hz: int) -> Kind | None:
    """Why a stroke was not heard: it is missing, or it was choked so early that a thud is left; None: it is faint."""
    take = takes[index]
    in_file = round(frame) - take.from_frame
    if not 0 <= in_file < len(take.playing.envelope_db) * ENVELOPE_S * rate_hz:
        return None
    faint = take.playing.rise.most_near(in_file, within_frames=round(0.05 * rate_hz))
    after = [_level_after(other, frame, rate_hz) for other in takes]
    died = after[index] <= median(np.delete(after, index)) - _DIED_DB
    if died:
        return "choked" if faint >= _THUD_CLEARNESS else "missing"
    return "missing" if faint < _ABSENT_CLEARNESS else None


def _level_after(take: Performance, frame: float, rate_hz: int) -> float:
    """Level where a stroke that rang would still sound."""
    in_file = round(frame) - take.from_frame
    return take.playing.level_db(in_file + round(0.09 * rate_hz), in_file + round(0.17 * rate_hz))


def _clearness(takes: Sequence[Performance], meant: Consensus) -> Samples:
    """How clear each place is struck in the median of those that strike it; 0 where nobody does."""
    clear = np.zeros(len(meant.frames))
    for place, column in enumerate(meant.strokes.T):
        struck = [take.playing.clearness[stroke] for take, stroke in zip(takes, column, strict=True) if stroke >= 0]
        clear[place] = median(struck) if struck else 0.0
    return clear


def _found(kind: Kind, frame: float, amount: float) -> Finding:
    return Finding(kind, round(frame), round(float(amount), 2), in_words(kind, amount))


def _nobody_else(takes: Sequence[Performance], own: int, frame: int, clearness: float, rate_hz: int) -> bool:
    """Whether most other takes have not even a faint stroke where one has a clear one."""
    faint = [
        take.playing.rise.most_near(frame - take.from_frame, within_frames=round(0.05 * rate_hz))
        for index, take in enumerate(takes)
        if index != own
    ]
    if clearness < min(_EXTRA_CLEARNESS, max(_FAINT_EXTRA, _EXTRA_FACTOR * max(faint))):
        return False
    return float(np.mean(np.array(faint) < _ABSENT_CLEARNESS)) >= MOST_SHARE


def _cents(takes: Sequence[Performance], meant: Consensus) -> Samples:
    """Cents from what the takes agree on, 0 where none can be read; an octave's error of reading is not the hand's."""
    notes = np.full(meant.strokes.shape, np.nan)
    for index, take in enumerate(takes):
        there = meant.strokes[index] >= 0
        notes[index, there] = 1200 * np.log2(take.playing.pitch_hz[meant.strokes[index, there]] / 440.0)
    off = np.full(notes.shape, np.nan)
    agreed = np.full(len(meant.frames), np.nan)
    for place in range(len(meant.frames)):
        read = notes[:, place][np.isfinite(notes[:, place])]
        if not len(read):
            continue
        middle = median(read)
        agreed[place] = middle if len(read) >= FEWEST_TAKES else 100 * round(middle / 100)
        off[:, place] = notes[:, place] - agreed[place]
    off[np.abs(off) >= _WIDEST_CENTS] = np.nan
    for index in range(len(takes)):
        off[index] -= _string_off(off[index], agreed)
    return np.asarray(np.nan_to_num(off))


def _string_off(off: Samples, agreed: Samples) -> Samples:
    """By how much each note is out in the whole take: a string out of tune is no slip of the hand."""
    out = np.zeros(len(off))
    note = np.rint(agreed / 100)
    for each in np.unique(note[np.isfinite(off)]):
        same = np.isfinite(off) & (note == each)
        if same.sum() >= _FEWEST_SAME:
            out[same] = median(off[same])
    return out


def _decays(takes: Sequence[Performance], meant: Consensus, span: Window, rate_hz: int) -> tuple[Samples, Samples]:
    """How much faster strokes die than in most takes, dB (negative), and how much louder they still are at the end."""
    common = meant.frames[meant.share >= MOST_SHARE]
    body = np.full(meant.strokes.shape, np.nan)
    end = np.full(meant.strokes.shape, np.nan)
    for index, take in enumerate(takes):
        playing = take.playing
        for place, stroke in enumerate(meant.strokes[index]):
            if stroke < 0:
                continue
            body[index, place] = playing.body_db[stroke] - playing.attack_db[stroke]
            start = playing.frames[stroke] + round(0.12 * rate_hz)
            # Well before the others strike next, whether this one does or not: only a rest is to be silent.
            following = next((each for each in common if each > meant.frames[place]), span.to_frame)
            stop = round(following) - take.from_frame - round(0.07 * rate_hz)
            first = max(start, stop - round(0.1 * rate_hz))
            if stop - first >= 0.06 * rate_hz:
                end[index, place] = playing.level_db(first, stop) - playing.attack_db[stroke]
    # Most takes are silent there, not only half of them: a rest is written, and no hand merely lets go a little sooner.
    silent = np.mean(np.nan_to_num(end, nan=0.0) <= _QUIET_DB, axis=0) >= _REST_SHARE
    return _against_median(body), np.where(silent, _against_median(end), 0.0)


def _against_median(values: Samples) -> Samples:
    """Each against the median of its column, 0 where there is none."""
    out = np.zeros(values.shape)
    for column in range(values.shape[1]):
        there = np.isfinite(values[:, column])
        if there.sum() >= FEWEST_TAKES:
            out[there, column] = values[there, column] - median(values[there, column])
    return np.asarray(out)
