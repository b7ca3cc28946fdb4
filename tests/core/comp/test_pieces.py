"""Rules of pieces, whatever is done with them in whatever order."""

from dataclasses import replace
from itertools import pairwise
from uuid import UUID

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.comp.pieces import CompPiece, cleared, holes, in_order, laid, laid_under, within
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting

SONG = 400


def piece(take, from_frame, to_frame, at=None, **more):
    take_frame = from_frame if at is None else at
    return CompPiece(take_id=UUID(int=take), take_frame=take_frame, place=Window(from_frame, to_frame), **more)


def sound(pieces):
    """Which frame of which take sounds at each frame of the song, shape (SONG, 2); -1 where nothing does."""
    out = np.full((SONG, 2), -1)
    for each in pieces:
        place = slice(each.place.from_frame, each.place.to_frame)
        out[place, 0] = each.take_id.int
        out[place, 1] = np.arange(each.take_frame, each.of_take.to_frame)
    return out


spans = st.tuples(st.integers(0, SONG - 1), st.integers(1, 90)).map(lambda s: Window(s[0], min(SONG, s[0] + s[1])))
pieces_of_takes = st.builds(
    lambda take, place, at: CompPiece(take_id=UUID(int=take), take_frame=at, place=place),
    st.integers(1, 4), spans, st.integers(0, 1000),
)  # fmt: skip
acts = st.lists(
    st.one_of(
        pieces_of_takes.map(lambda new: (laid, new)),
        pieces_of_takes.map(lambda new: (laid_under, new)),
        spans.map(lambda span: (cleared, span)),
    ),
    max_size=25,
)


@given(acts)
@settings(deadline=None)
def test_whatever_is_done_pieces_never_overlap_and_nothing_outside_the_edit_changes(done):
    pieces = ()
    for act, of in done:
        before = sound(pieces)
        pieces = act(pieces, of)
        after = sound(pieces)
        assert all(one.place.to_frame <= other.place.from_frame for one, other in pairwise(pieces))
        span = of if isinstance(of, Window) else of.place
        inside = np.zeros(SONG, bool)
        inside[span.from_frame : span.to_frame] = True
        np.testing.assert_array_equal(after[~inside], before[~inside])
        if act is laid:
            np.testing.assert_array_equal(after[inside], sound([of])[inside])
        elif act is cleared:
            assert np.all(after[inside] == -1)
        else:
            free = inside & (before[:, 0] == -1)
            np.testing.assert_array_equal(after[free], sound([of])[free])
            np.testing.assert_array_equal(after[inside & ~free], before[inside & ~free])


@given(st.lists(st.integers(1, 299), max_size=12, unique=True))
@settings(deadline=None)
def test_a_take_that_was_cut_and_joined_back_is_one_piece_again(cuts):
    whole = piece(7, 0, 300, at=40)
    edges = [0, *sorted(cuts), 300]
    parts = [whole.within(Window(*edge)) for edge in pairwise(edges)]
    assert in_order(reversed(parts)) == (whole,)


def test_what_lies_otherwise_than_it_was_recorded_stays_a_piece_of_its_own():
    first = piece(1, 0, 100)
    assert len(in_order([first, piece(1, 100, 200)])) == 1
    for other in (
        piece(2, 100, 200), piece(1, 100, 200, at=101), piece(1, 100, 200, gain_db=1.0), piece(1, 101, 200),
        piece(1, 100, 200, moved_frames=3), piece(1, 100, 200, by_hand=False), piece(1, 100, 200, why="clean"),
    ):  # fmt: skip
        assert in_order([other, first]) == (first, other)


@given(acts, spans)
@settings(deadline=None)
def test_holes_are_where_nothing_sounds(done, span):
    pieces = ()
    for act, of in done:
        pieces = act(pieces, of)
    silent = np.zeros(SONG, bool)
    for hole in holes(pieces, span):
        assert not silent[hole.from_frame : hole.to_frame].any()
        silent[hole.from_frame : hole.to_frame] = True
    wanted = sound(pieces)[:, 0] == -1
    wanted[: span.from_frame] = wanted[span.to_frame :] = False
    np.testing.assert_array_equal(silent, wanted)
    assert sum(each.place.frames for each in within(pieces, span)) + silent.sum() == span.frames


def test_moved_it_is_the_same_sound_later_and_says_by_how_much():
    moved = piece(1, 10, 50, at=3).moved(7).moved(-2)
    assert (moved.take_frame, moved.place, moved.moved_frames) == (3, Window(15, 55), 5)


def test_what_is_no_piece_is_refused():
    with pytest.raises(InvalidSetting, match="at least one sample"):
        piece(1, 10, 10)
    for gain_db in (24.1, -30.0, float("nan"), float("inf")):
        with pytest.raises(InvalidSetting, match="at most 24 dB"):
            piece(1, 0, 1, gain_db=gain_db)
    with pytest.raises(InvalidSetting, match="over each other"):
        in_order([piece(1, 0, 10), piece(2, 9, 12)])
    assert replace(piece(1, 0, 10), gain_db=-24.0).gain_db == -24.0
