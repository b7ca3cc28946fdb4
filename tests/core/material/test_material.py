"""Materials against what was there before them, and against laws that hold for any."""

import math
from dataclasses import replace
from itertools import pairwise
from uuid import UUID, uuid4

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from fatsignal.core.material.channels import HEARD_FIRST, MEASURED_FIRST, Channel, Wanted, find
from fatsignal.core.material.material import CROSSFADE_S, Fade, Piece, Source, fingerprint_of, whole
from fatsignal.core.material.reader import MaterialReader, crossfade, gate_of
from fatsignal.core.takes.counting import Played, counting, newest_wins
from fatsignal.core.takes.gates import opening
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting
from tests.core.material.laid import of_stretches
from tests.signals import FS

DI, MIC = Channel("di", "DI"), Channel("mic", "mic A")


class Noise:
    """A source whose every sample can be told from every other, of one channel."""

    def __init__(self, source: Source) -> None:
        self.samples = np.random.default_rng(source.id.int % (1 << 32)).uniform(-1, 1, source.frames)

    def read(self, from_frame, frames):
        out = np.zeros(frames)
        first, last = max(0, from_frame), min(len(self.samples), from_frame + frames)
        if first < last:
            out[first - from_frame : last - from_frame] = self.samples[first:last]
        return out


def reader_of(material):
    kept = {}

    def open_channel(source, wanted):
        return kept.setdefault(source.id, Noise(source)) if find(source.channels, wanted) else None

    return MaterialReader(material, open_channel)


def a_source(number, frames, channels=(DI, MIC)):
    return Source(id=UUID(int=number + 1), fingerprint=f"{number:064x}", frames=frames, channels=channels)


takes = st.lists(
    st.tuples(
        st.integers(0, 40_000),  # where its files begin
        st.integers(1_000, 30_000),  # how long they are
        st.lists(st.tuples(st.integers(0, 29_999), st.integers(1, 9_000)), min_size=1, max_size=3),
        st.sampled_from([None, "starred", "struck"]),
    ),
    min_size=1, max_size=5,
)  # fmt: skip


def as_played(drawn):
    """Takes, the newest first, with windows inside what was recorded."""
    found = []
    for number, (begins, frames, windows, rating) in enumerate(drawn):
        inside = [
            Window(begins + at % frames, min(begins + frames, begins + at % frames + length)) for at, length in windows
        ]
        found.append((a_source(number, frames), begins, Played(UUID(int=number + 1), tuple(inside), None, rating)))
    return found


@given(takes, st.integers(-500, 60_000), st.integers(1, 20_000))
@settings(max_examples=200, deadline=None)
def test_what_a_part_sounds_like_is_bit_for_bit_what_played_beside_a_roll_before(drawn, from_frame, frames):
    """Until there were materials, what plays beside a roll was made like this: gate times samples, piece by piece."""
    known = as_played(drawn)
    stretches = newest_wins([played for _, _, played in known])
    # One that is shorter than its fades was cut off on one side only; now both sides of a border fade alike.
    assume(all(each.span.frames > 2 * CROSSFADE_S * FS for each in stretches))
    by_id = {source.id: (source, begins) for source, begins, _ in known}
    out, reach = np.zeros(frames), round(CROSSFADE_S * FS)
    for each in stretches:
        span = Window(
            max(from_frame, each.span.from_frame - reach), min(from_frame + frames, each.span.to_frame + reach)
        )
        if span.frames <= 0:
            continue
        source, begins = by_id[each.take_id]
        samples = Noise(source).read(span.from_frame - begins, span.frames)
        out[span.from_frame - from_frame : span.to_frame - from_frame] += (
            opening([each.span], span, rate_hz=FS) * samples
        )
    material = of_stretches(uuid4(), [(each.take_id, each.span) for each in stretches], by_id, rate_hz=FS)
    if material is None:
        assert not stretches
        return
    np.testing.assert_array_equal(reader_of(material).read(Wanted(), from_frame, frames), out)


@given(takes, st.lists(st.integers(1, 7_000), min_size=1, max_size=12))
@settings(max_examples=100, deadline=None)
def test_reading_in_pieces_of_any_length_gives_the_same_samples(drawn, lengths):
    known = as_played(drawn)
    stretches = [(each.take_id, each.span) for each in newest_wins([played for _, _, played in known])]
    material = of_stretches(
        uuid4(), stretches, {source.id: (source, begins) for source, begins, _ in known}, rate_hz=FS
    )
    if material is None:
        return
    reader, at, pieces = reader_of(material), material.first_frame, []
    for length in lengths:
        pieces.append(reader.read(Wanted(), at, length))
        at += length
    together = reader.read(Wanted(), material.first_frame, at - material.first_frame)
    np.testing.assert_array_equal(np.concatenate(pieces), together)


def test_a_take_by_itself_is_its_files_sample_for_sample_handles_too():
    source = a_source(3, 10_000)
    reader = reader_of(whole(source, first_frame=7_000, rate_hz=FS))
    np.testing.assert_array_equal(reader.read(Wanted(), 7_000, 10_000), Noise(source).samples)
    around = reader.read(Wanted(), 6_000, 12_000)
    assert not around[:1_000].any()
    assert not around[11_000:].any()
    assert [len(block) for block in reader.blocks(Wanted(), frames=4_096)] == [4_096, 4_096, 1_808]


@given(st.floats(-0.95, 1.0))
@settings(deadline=None)
def test_two_sides_of_a_crossfade_stay_as_loud_whatever_they_have_in_common(correlation):
    """g₁² + g₂² + 2ρ·g₁·g₂ = 1, and each side alone at its end; ρ = 0 are sine and cosine, ρ = 1 straight lines."""
    share = np.linspace(0, 1, 101)
    opens, closes = crossfade(share, correlation), crossfade(1 - share, correlation)
    np.testing.assert_allclose(opens**2 + closes**2 + 2 * correlation * opens * closes, 1, atol=1e-12)
    np.testing.assert_allclose((opens[0], opens[-1]), (0, 1), atol=1e-12)
    assert np.all(np.diff(opens) > -1e-9) or correlation < 0


def test_the_curves_of_a_crossfade_meet_those_of_strangers_and_of_the_same_sound():
    share = np.linspace(0, 1, 101)
    np.testing.assert_allclose(crossfade(share, 1e-12), crossfade(share, 0.0), atol=1e-9)
    np.testing.assert_allclose(crossfade(share, 1 - 1e-12), crossfade(share, 1.0), atol=1e-9)
    middles = [crossfade(share, correlation)[50] for correlation in (1.0, 0.5, 0.0)]
    np.testing.assert_allclose(middles, [0.5, 1 / math.sqrt(3), math.sqrt(0.5)])


def test_every_channel_of_a_join_has_the_curve_of_its_own_correlation():
    fade = Fade(480, alike=((DI, 1.0), (MIC, 0.5)))
    piece = Piece(source_id=uuid4(), source_frame=0, place=Window(5_000, 9_000), fade_in=fade)
    middle = Window(5_000, 5_001)
    assert gate_of(piece, middle, DI)[0] == pytest.approx(0.5)
    assert gate_of(piece, middle, MIC)[0] == pytest.approx(1 / math.sqrt(3))
    assert gate_of(piece, middle, Channel("mic", "mic B"))[0] == pytest.approx(math.sqrt(0.5))


@pytest.mark.parametrize(("shape", "law"), [("equal power", np.square), ("linear", lambda gate: gate)])
def test_where_two_pieces_meet_one_opens_as_the_other_closes(shape, law):
    """Equal power keeps the sum of squares, linear the sum: what two performances and one need."""
    fade = Fade(480, shape)
    before = Piece(source_id=uuid4(), source_frame=0, place=Window(0, 5_000), fade_out=fade)
    after = Piece(source_id=uuid4(), source_frame=0, place=Window(5_000, 9_000), fade_in=fade)
    span = Window(4_700, 5_300)
    closes, opens = gate_of(before, span), gate_of(after, span)
    np.testing.assert_allclose(law(closes) + law(opens), 1.0, atol=1e-12)
    assert closes[300] == pytest.approx(np.sqrt(0.5) if shape == "equal power" else 0.5)
    assert (np.diff(opens) >= 0).all()


def test_a_gain_is_that_of_its_own_piece():
    source = a_source(1, 4_000)
    material = whole(source, first_frame=0, rate_hz=FS)
    quieter = replace(material, pieces=(replace(material.pieces[0], gain_db=-6.0),))
    expected = Noise(source).samples * 10 ** (-6 / 20)
    np.testing.assert_allclose(reader_of(quieter).read(Wanted(), 0, 4_000), expected, rtol=1e-12)


def test_a_fingerprint_tells_one_sound_from_another_and_is_the_same_wherever_it_lies():
    source = a_source(1, 4_000)
    material = whole(source, first_frame=100, rate_hz=FS)
    assert material.fingerprint == source.fingerprint
    assert whole(source, first_frame=9_000, rate_hz=FS).fingerprint == source.fingerprint
    (piece,) = material.pieces
    others = [
        replace(material, pieces=(replace(piece, gain_db=1.0),)),
        replace(material, pieces=(replace(piece, fade_in=Fade(10)),)),
        replace(material, pieces=(replace(piece, fade_in=Fade(10, "linear")),)),
        replace(material, pieces=(replace(piece, source_frame=1),)),
        replace(material, pieces=(replace(piece, place=Window(100, 4_000)),)),
        replace(material, frames=5_000),
        replace(material, pieces=(piece, piece)),
    ]
    prints = [material.fingerprint, *(each.fingerprint for each in others)]
    assert len(set(prints)) == len(prints)
    moved = replace(others[0], first_frame=500, pieces=(replace(others[0].pieces[0], place=Window(500, 4_500)),))
    assert moved.fingerprint == others[0].fingerprint


def test_what_recorded_the_same_has_the_same_fingerprint_and_a_renamed_channel_another():
    assert fingerprint_of([(DI, "a"), (MIC, "b")]) == fingerprint_of([(DI, "a"), (MIC, "b")])
    assert fingerprint_of([(DI, "a"), (MIC, "b")]) != fingerprint_of([(DI, "b"), (MIC, "a")])
    assert fingerprint_of([(DI, "a")]) != fingerprint_of([(Channel("di", "DI 2"), "a")])


def test_a_piece_of_an_unknown_source_is_refused():
    material = whole(a_source(1, 4_000), first_frame=0, rate_hz=FS)
    with pytest.raises(InvalidSetting, match="not among those given"):
        replace(material, pieces=(replace(material.pieces[0], source_id=uuid4()),))


def test_a_channel_is_found_by_kind_and_name_never_by_position():
    channels = [MIC, Channel("mic", "mic B"), DI]
    assert find(channels, Wanted(HEARD_FIRST)) == MIC
    assert find(channels, Wanted(MEASURED_FIRST)) == DI
    assert find(channels, Wanted(HEARD_FIRST, "mic B")) == channels[1]
    assert find(channels, Wanted(("di",), "mic A")) is None
    assert find([DI], Wanted(("mic",))) is None


def test_a_source_that_lacks_the_channel_is_silent_and_nothing_moves():
    dry, both = a_source(1, 4_000, (DI,)), a_source(2, 4_000)
    material = of_stretches(
        uuid4(), [(dry.id, Window(0, 4_000)), (both.id, Window(4_000, 8_000))],
        {dry.id: (dry, 0), both.id: (both, 4_000)}, rate_hz=FS,
    )  # fmt: skip
    heard = reader_of(material).read(Wanted(("mic",)), 0, 8_000)
    assert not heard[:3_700].any()
    np.testing.assert_array_equal(heard[4_300:7_700], Noise(both).samples[300:3_700])
    assert material.channels == (DI, MIC)


# Which take counts


def played(number, rating=None, *windows):
    return Played(UUID(int=number), tuple(Window(*span) for span in windows), None, rating)


def test_starred_takes_count_before_newer_ones_and_a_struck_one_never():
    newest_first = [
        played(4, "struck", (0, 100)),
        played(3, None, (0, 100)),
        played(2, "starred", (20, 60)),
        played(1, None, (0, 200)),
    ]
    assert [each.take_id.int for each in counting(newest_first)] == [2, 3, 1]
    assert [(each.take_id.int, *each.span) for each in newest_wins(newest_first)] == [
        (3, 0, 20), (2, 20, 60), (3, 60, 100), (1, 100, 200),
    ]  # fmt: skip


@given(takes)
@settings(max_examples=200, deadline=None)
def test_every_place_is_played_by_the_first_that_counts_there_and_by_no_other(drawn):
    newest_first = [each for _, _, each in as_played(drawn)]
    stretches = newest_wins(newest_first)
    assert all(one.span.to_frame <= other.span.from_frame for one, other in pairwise(stretches))
    for frame in range(0, 70_000, 997):
        heard = [each.take_id for each in stretches if each.span.from_frame <= frame < each.span.to_frame]
        wanted = [
            take.take_id for take in counting(newest_first)
            if any(window.from_frame <= frame < window.to_frame for window in take.windows)
        ]  # fmt: skip
        assert heard == wanted[:1]
