"""What a comp sounds like: joined where two takes meet, untouched where one goes on."""

from itertools import pairwise
from uuid import UUID

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.comp.pieces import CompPiece, Join, laid
from fatsignal.core.comp.sound import material_of_pieces
from fatsignal.core.material.channels import Channel, Wanted
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting
from tests.core.material.test_material import DI, MIC, Noise, a_source, reader_of
from tests.signals import FS

FRAMES = 20_000
SOURCES = {source.id: source for source in (a_source(number, FRAMES) for number in range(4))}
TAKES = list(SOURCES)


def piece(take, from_frame, to_frame, at=None, **more):
    begins = from_frame if at is None else at
    return CompPiece(take_id=TAKES[take], take_frame=begins, place=Window(from_frame, to_frame), **more)


def sound(*pieces, kind="di"):
    material = material_of_pieces(UUID(int=99), tuple(pieces), SOURCES, rate_hz=FS)
    return reader_of(material).read(Wanted((kind,)), 0, FRAMES)


@given(st.lists(st.integers(1, FRAMES - 1), max_size=20, unique=True))
@settings(max_examples=50, deadline=None)
def test_a_take_that_was_cut_into_pieces_is_that_take_bit_for_bit(cuts):
    """Also where the pieces are kept apart, each with its own reason."""
    edges = [0, *sorted(cuts), FRAMES]
    heard = sound(*(piece(1, start, end, why=str(start)) for start, end in pairwise(edges)))
    inside = slice(240, FRAMES - 240)
    np.testing.assert_array_equal(heard[inside], Noise(SOURCES[TAKES[1]]).samples[inside])


def test_where_two_takes_meet_they_cross_within_the_join_and_nowhere_else():
    join = Join(400, alike=((DI, 1.0), (MIC, 0.0)))
    dry = sound(piece(0, 0, 9_000), piece(1, 9_000, FRAMES, join=join))
    one, other = (Noise(SOURCES[TAKES[take]]).samples for take in (0, 1))
    np.testing.assert_array_equal(dry[240:8_800], one[240:8_800])
    np.testing.assert_array_equal(dry[9_200:19_700], other[9_200:19_700])
    assert dry[9_000] == pytest.approx(0.5 * (one[9_000] + other[9_000]))
    miked = sound(piece(0, 0, 9_000), piece(1, 9_000, FRAMES, join=join), kind="mic")
    assert miked[9_000] == pytest.approx(np.sqrt(0.5) * (one[9_000] + other[9_000]))


def test_a_join_is_no_longer_than_the_shorter_of_its_pieces():
    heard = sound(piece(0, 0, 9_000), piece(1, 9_000, 9_100, join=Join(4_000)), piece(2, 9_100, FRAMES))
    one = Noise(SOURCES[TAKES[0]]).samples
    np.testing.assert_array_equal(heard[240:8_950], one[240:8_950])


def test_a_piece_turned_up_is_louder_and_a_hole_is_silent():
    heard = sound(piece(0, 1_000, 5_000, gain_db=6.0), piece(1, 8_000, FRAMES))
    np.testing.assert_allclose(heard[1_300:4_700], Noise(SOURCES[TAKES[0]]).samples[1_300:4_700] * 10**0.3)
    assert not heard[5_300:7_700].any()


def test_a_take_that_is_gone_leaves_a_hole_and_nothing_moves():
    gone = CompPiece(take_id=UUID(int=1234), take_frame=0, place=Window(3_000, 6_000))
    heard = sound(piece(0, 0, 3_000), gone, piece(1, 6_000, FRAMES))
    assert not heard[3_300:5_700].any()
    np.testing.assert_array_equal(heard[6_300:19_000], Noise(SOURCES[TAKES[1]]).samples[6_300:19_000])
    assert material_of_pieces(UUID(int=99), (gone,), SOURCES, rate_hz=FS) is None


def test_what_is_laid_over_the_middle_of_a_piece_takes_its_join_along_and_the_rest_begins_as_any_edge_does():
    join = Join(100, alike=((Channel("di", "DI"), 0.3),))
    before = (piece(0, 0, 5_000), piece(1, 5_000, FRAMES, join=join))
    after = laid(before, piece(2, 7_000, 8_000))
    assert [each.join for each in after] == [None, join, None, None]


@pytest.mark.parametrize("frames", [0, 1, -4, 7])
def test_a_crossfade_that_is_none_is_refused(frames):
    with pytest.raises(InvalidSetting, match="even number"):
        Join(frames)
