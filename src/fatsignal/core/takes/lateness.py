"""Which strokes of a take come after, or before, where the same hand's neighbours would have them."""

from collections.abc import Sequence

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit
from fatsignal.core.median import median
from fatsignal.core.takes.stroke_alignment import FEWEST_TAKES, MOST_SHARE, SURE_CLEARNESS, Consensus, Performance
from fatsignal.core.timing.tempo import TempoMap

LATE_S = 0.022
_PLACED_CLEARNESS = 0.95
_NEIGHBOURS = 2
_SHIFT_S = 0.07
_SCATTERS = 2.6
_WHOLE_SHARE = 0.7
# The first string of a stroke and its whole rise agree on its place to this; the rise is blurred by so many hops.
_AGREE_S, _BLUR = 0.008, np.hanning(9)


def lateness(takes: Sequence[Performance], meant: Consensus, clear: Samples, tempo: TempoMap, *, many: bool) -> Samples:
    """Frames by which strokes come after where the same hand's neighbours would have them; 0 where none is late.

    A hand that lies behind as a whole is not late at a note: its neighbours lie as far behind. Places are those that
    most takes play, or, with few takes, those of the nearest sixteenth or triplet.
    """
    places = meant.frames if many else np.array([_on_grid(tempo, frame) for frame in meant.frames])
    off = _offsets(takes, meant, places, together=many)
    if many:
        # A stroke that hardly anybody else has lies where it lies.
        off[:, (meant.share < MOST_SHARE) | (clear < SURE_CLEARNESS)] = np.nan
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
            late[index, small | (whole < _WHOLE_SHARE * LATE_S * tempo.rate_hz)] = 0.0
    return late


def _offsets(takes: Sequence[Performance], meant: Consensus, places: Samples, *, together: bool) -> Samples:
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
