"""Takes of one phrase lined up with each other: what most of them have, and the one that lacks it.

The strokes of all takes together show what is meant to be played. A stroke that most takes have and one lacks is
missing there; one that nobody else has is extra; one that comes late, dies at once, rings on or is out of tune is so
against the others and, where there are few, against the click.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.middle import median
from fatsignal.core.takes.findings import Finding, Kind, in_words
from fatsignal.core.takes.notes import ENVELOPE_S, Playing
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap

# Strokes of several takes that lie this close together are the same one.
_TOGETHER_S = 0.075
# A phrase's first stroke may come a little before its first beat.
EARLY_S = 0.06
_MOST_SHARE, _FEW_SHARE = 0.6, 0.34
_ABSENT_CLEARNESS, _THUD_CLEARNESS, _DIED_DB = 0.42, 0.76, 12.0
# A stroke that nobody else has: it is clear by itself, or against the faint traces that the others have there.
_EXTRA_CLEARNESS, _FAINT_EXTRA, _EXTRA_FACTOR = 1.5, 0.85, 2.5
# What others play only faintly may as well be a finger on its way: nobody lacks it, and it has no exact place.
_SURE_CLEARNESS, _PLACED_CLEARNESS = 1.1, 0.95
_LATE_S, _DETUNED_CENTS, _CHOKED_DB, _RINGING_DB = 0.022, 14.0, 7.0, 12.0
# With fewer there is nothing to compare with.
FEWEST_TAKES = 3
_NEIGHBOURS = 2
_WIDEST_CENTS = 80.0
_FEWEST_SAME = 4
_SHIFT_S = 0.07
_SCATTERS = 2.6
_WHOLE_SHARE = 0.7
# The first string of a stroke and its whole rise agree on its place to this; the rise is blurred over so many hops.
_AGREE_S, _BLUR = 0.008, np.hanning(9)
# A note that others let die is this far below its stroke by then.
_QUIET_DB, _REST_SHARE = -18.0, 0.7


@dataclass(frozen=True, slots=True)
class Performance:
    """A take as it lies on the time line."""

    playing: Playing
    from_frame: int

    def at(self, stroke: int) -> int:
        """Where a stroke lies on the time line."""
        return int(self.playing.frames[stroke]) + self.from_frame

    def strokes_in(self, span: Window) -> NDArray[np.int64]:
        """Indices of the strokes that begin within a span of the session."""
        at = self.playing.frames + self.from_frame
        return np.flatnonzero((at >= span.from_frame) & (at < span.to_frame))


@dataclass(frozen=True, slots=True)
class Meant:
    """What most takes play: places of strokes, and which stroke of each take is which, -1 where it has none.

    `strokes` has shape (takes, places).
    """

    frames: Samples
    strokes: NDArray[np.int64]
    share: Samples


def line_up(takes: Sequence[Performance], span: Window, *, rate_hz: int) -> Meant:
    """Find the strokes that the takes have in common."""
    early = round(EARLY_S * rate_hz)
    span = Window(span.from_frame - early, span.to_frame - early)
    mine = [take.strokes_in(span) for take in takes]
    at = [take.playing.frames[each] + take.from_frame for take, each in zip(takes, mine, strict=True)]
    places = _clusters(np.sort(np.concatenate(at)) if at else np.zeros(0), round(_TOGETHER_S * rate_hz))
    strokes = np.full((len(takes), len(places)), -1, dtype=np.int64)
    for take, (indices, frames) in enumerate(zip(mine, at, strict=True)):
        for index, frame in zip(indices, frames, strict=True):
            if not len(places):
                break
            nearest = int(np.argmin(np.abs(places - frame)))
            held = strokes[take, nearest]
            if abs(places[nearest] - frame) > _TOGETHER_S * rate_hz:
                continue
            before = None if held < 0 else takes[take].playing.frames[held] + takes[take].from_frame
            if before is None or abs(frame - places[nearest]) < abs(before - places[nearest]):
                strokes[take, nearest] = index
    share = (strokes >= 0).mean(axis=0) if len(takes) else np.zeros(0)
    return Meant(_medians(takes, strokes, places), strokes, share)


def compare(takes: Sequence[Performance], span: Window, tempo: TempoMap) -> list[list[Finding]]:
    """What is wrong in each take within a span of the session, by comparing it with the others.

    With fewer than three takes nothing can be said of what is missing, extra, choked or ringing: then timing is held
    against the click alone, and pitch against the notes of equal temperament.
    """
    meant = line_up(takes, span, rate_hz=tempo.rate_hz)
    many = len(takes) >= FEWEST_TAKES
    clear = _clearness(takes, meant)
    late = _lateness(takes, meant, clear, tempo, many=many)
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
        if abs(frames) >= _LATE_S * rate_hz:
            ms = 1000 * frames / rate_hz
            found.append(_found("late" if ms > 0 else "early", at, ms))
        if abs(off) >= _DETUNED_CENTS:
            found.append(_found("sharp" if off > 0 else "flat", at, off))
    return found


def _integrity(
    takes: Sequence[Performance], index: int, meant: Meant, clear: Samples, choke: Samples, ring: Samples, rate_hz: int
) -> list[Finding]:
    """Notes that are missing, extra, choked or ringing over."""
    take, found = takes[index], []
    struck = meant.strokes >= 0
    shares = (struck.sum(axis=0) - struck[index]) / (len(takes) - 1)
    for place, (frame, others) in enumerate(zip(meant.frames, shares, strict=True)):
        stroke = meant.strokes[index, place]
        if stroke < 0:
            if others >= _MOST_SHARE and clear[place] >= _SURE_CLEARNESS:
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


def _clearness(takes: Sequence[Performance], meant: Meant) -> Samples:
    """How clear each place is struck in the median of those that strike it; 0 where nobody does."""
    clear = np.zeros(len(meant.frames))
    for place, column in enumerate(meant.strokes.T):
        struck = [take.playing.clearness[stroke] for take, stroke in zip(takes, column, strict=True) if stroke >= 0]
        clear[place] = median(struck) if struck else 0.0
    return clear


def _found(kind: Kind, frame: float, amount: float) -> Finding:
    return Finding(kind, round(frame), round(float(amount), 2), in_words(kind, amount))


def _clusters(at: Samples, reach: int) -> Samples:
    """Middles of the groups that sorted places form: where they stand densest, and no nearer to each other."""
    if not len(at):
        return np.zeros(0)
    counts = np.searchsorted(at, at + reach // 2, side="right") - np.searchsorted(at, at - reach // 2)
    middles: list[float] = []
    taken = np.zeros(len(at), dtype=bool)
    for place in np.argsort(-counts, kind="stable"):
        if not taken[place]:
            middles.append(median(at[np.abs(at - at[place]) <= reach // 2]))
            taken |= np.abs(at - middles[-1]) < reach
    return np.sort(np.array(middles))


def _medians(takes: Sequence[Performance], strokes: NDArray[np.int64], places: Samples) -> Samples:
    at = np.full(strokes.shape, np.nan)
    for index, take in enumerate(takes):
        there = strokes[index] >= 0
        at[index, there] = take.playing.frames[strokes[index, there]] + take.from_frame
    return np.array(
        [
            median(at[strokes[:, place] >= 0, place]) if (strokes[:, place] >= 0).any() else places[place]
            for place in range(len(places))
        ]
    )


def _nobody_else(takes: Sequence[Performance], own: int, frame: int, clearness: float, rate_hz: int) -> bool:
    """Whether most other takes have not even a faint stroke where one has a clear one."""
    faint = [
        take.playing.rise.most_near(frame - take.from_frame, within_frames=round(0.05 * rate_hz))
        for index, take in enumerate(takes)
        if index != own
    ]
    if clearness < min(_EXTRA_CLEARNESS, max(_FAINT_EXTRA, _EXTRA_FACTOR * max(faint))):
        return False
    return float(np.mean(np.array(faint) < _ABSENT_CLEARNESS)) >= _MOST_SHARE


def _lateness(takes: Sequence[Performance], meant: Meant, clear: Samples, tempo: TempoMap, *, many: bool) -> Samples:
    """Frames by which strokes come after where the same hand's neighbours would have them; 0 where none is late.

    A hand that lies behind as a whole is not late at a note: its neighbours lie as far behind. Places are those that
    most takes play, or, with few takes, those of the nearest sixteenth or triplet.
    """
    places = meant.frames if many else np.array([_on_grid(tempo, frame) for frame in meant.frames])
    off = _offsets(takes, meant, places, together=many)
    if many:
        # A stroke that hardly anybody else has lies where it lies.
        off[:, (meant.share < _MOST_SHARE) | (clear < _SURE_CLEARNESS)] = np.nan
        for index, take in enumerate(takes):
            there = np.flatnonzero(meant.strokes[index] >= 0)
            faint = take.playing.clearness[meant.strokes[index, there]] < _PLACED_CLEARNESS
            off[index, there[faint]] = np.nan
    late = np.zeros(off.shape)
    for index in range(len(takes)):
        there = np.flatnonzero(np.isfinite(off[index]))
        for order, place in enumerate(there):
            around = [*there[max(0, order - _NEIGHBOURS) : order], *there[order + 1 : order + 1 + _NEIGHBOURS]]
            late[index, place] = off[index, place] - (median(off[index, around]) if around else 0.0)
        if len(there):
            # Late is what is later than this hand scatters here, and later than the take as a whole.
            scatter = 1.4826 * median(np.abs(late[index, there]))
            whole = np.nan_to_num(off[index] - median(off[index, there])) * np.sign(late[index])
            small = np.abs(late[index]) < _SCATTERS * scatter
            late[index, small | (whole < _WHOLE_SHARE * _LATE_S * tempo.rate_hz)] = 0.0
    return late


def _offsets(takes: Sequence[Performance], meant: Meant, places: Samples, *, together: bool) -> Samples:
    """Frames from where each stroke is meant to where it is, nan without one.

    The strings of a chord begin one after the other, and which of them is heard as the first differs from take to take.
    So with several takes the whole rise of the level is also shifted until it lies best on that of the others; where
    both disagree, the one is believed that finds less.
    """
    off = np.full(meant.strokes.shape, np.nan)
    for index, take in enumerate(takes):
        there = meant.strokes[index] >= 0
        off[index, there] = take.playing.frames[meant.strokes[index, there]] + take.from_frame - places[there]
    if not together:
        return off
    agree = round(_AGREE_S * takes[0].playing.rate_hz)
    for place in range(len(places)):
        there = np.flatnonzero(meant.strokes[:, place] >= 0)
        if len(there) < FEWEST_TAKES:
            continue
        shifted = _shifts([takes[int(index)] for index in there], places[place])
        first = off[there, place]
        less = np.where(first * shifted > 0, np.sign(first) * np.minimum(np.abs(first), np.abs(shifted)), 0.0)
        off[there, place] = np.where(np.abs(first - shifted) > agree, less, first)
    return off


def _shifts(takes: Sequence[Performance], place: float) -> Samples:
    """Frames by which the rise of each take's level around a place has to be moved back to lie best on the others'."""
    rise = takes[0].playing.rise
    reach = round(_SHIFT_S * takes[0].playing.rate_hz / rise.hop_frames)
    curves = np.array([take.playing.rise.around(round(place) - take.from_frame, hops=2 * reach) for take in takes])
    return np.asarray(rise.hop_frames * _best_shifts(np.minimum(curves, 2.0), _BLUR, reach), dtype=np.float64)


@njit(cache=True, nogil=True, fastmath=True)
def _best_shifts(curves, blur, reach):
    """Hops by which each curve, blurred, correlates best with the sum of the others; at most `reach` either way."""
    count, size = curves.shape
    half = len(blur) // 2
    blurred = np.zeros((count, size))
    for row in range(count):
        for at in range(size):
            for k in range(max(0, at - half), min(size, at + half + 1)):
                blurred[row, at] += blur[k - at + half] * curves[row, k]
    total = blurred.sum(axis=0)
    shifts = np.empty(count, dtype=np.int64)
    for row in range(count):
        others = (total - blurred[row])[reach : 3 * reach + 1]
        best = -1.0
        for shift in range(2 * reach + 1):
            fit = 0.0
            for at in range(len(others)):
                fit += blurred[row, shift + at] * others[at]
            if fit > best:
                best, shifts[row] = fit, shift - reach
    return shifts


def _on_grid(tempo: TempoMap, frame: float) -> int:
    """The nearest sixteenth or eighth triplet."""
    place = tempo.place_at(round(frame))
    start = tempo.beat_frame(place.bar, place.beat)
    last = place.beat >= tempo.meter_at(place.bar).beats
    end = tempo.bar_frame(place.bar + 1) if last else tempo.beat_frame(place.bar, place.beat + 1)
    shares = (0, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4, 1)
    return min((round(start + share * (end - start)) for share in shares), key=lambda at: abs(at - frame))


def _cents(takes: Sequence[Performance], meant: Meant) -> Samples:
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


def _decays(takes: Sequence[Performance], meant: Meant, span: Window, rate_hz: int) -> tuple[Samples, Samples]:
    """How much faster strokes die than in most takes, dB (negative), and how much louder they still are at the end."""
    common = meant.frames[meant.share >= _MOST_SHARE]
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
