"""Two paths: what divides, what joins, what waits for what."""

import numpy as np
import pytest
from scipy import signal

from fatsignal.core.tone.blocks import Fuzz, Gate, Preamp, Split, SplitPath, Trim
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import MOST_BLOCKS, Tone, parse_tone
from fatsignal.core.tone.edits import AddBlock, MoveBlock, SetValue, edited
from fatsignal.core.tone.places import block_at, every_block, moved_on
from fatsignal.core.tone.render import render
from fatsignal.errors import ToneRefused
from tests.signals import FS, noise, plucks, sine


def through(split, dry, **more):
    return render(ToneChain(Tone(name="t", blocks=[split]), rate_hz=FS, **more), dry)


def split_of(first=(), second=(), **values):
    paths = [SplitPath(blocks=list(first)), SplitPath(blocks=list(second))]
    return Split(**{"paths": paths, **values})


def one_path(number, **values):
    """All that goes through one of two paths; the other is all but silent."""
    paths = [SplitPath(), SplitPath()]
    paths[1 - number] = SplitPath(blocks=[Trim(gain_db=-60)] * 3)
    return Split(paths=paths, **values)


def test_lows_and_highs_are_a_linkwitz_riley_crossover_as_scipy_has_it():
    """Two Butterworth sections each way (Linkwitz 1976), from `scipy.signal.butter`."""
    dry = noise(1.0)
    for number, kind in enumerate(("lowpass", "highpass")):
        sos = signal.butter(2, 400, kind, fs=FS, output="sos")
        expected = signal.sosfilt(np.concatenate((sos, sos)), dry)
        heard = through(one_path(number, crossover_hz=400), dry)
        assert np.std(heard - expected) < 1e-6 * np.std(expected)


def test_joined_again_they_are_as_loud_at_every_frequency():
    click = np.zeros(FS)
    click[100] = 1.0
    spectrum = np.abs(np.fft.rfft(through(split_of(crossover_hz=250), click)))
    assert np.abs(20 * np.log10(spectrum)).max() < 1e-3


def test_soft_and_hard_together_are_what_came_in_and_each_has_its_notes():
    dry = np.concatenate((sine(200, peak=0.005, seconds=0.5), sine(200, peak=0.5, seconds=0.5)))
    values = {"by": "soft and hard", "threshold_dbv": -20.0, "knee_db": 6.0}
    np.testing.assert_allclose(through(split_of(**values), dry), dry, atol=1e-12)
    soft, hard = (through(one_path(number, **values), dry) for number in (0, 1))
    half = FS // 2
    assert np.std(soft[:half]) == pytest.approx(np.std(dry[:half]), rel=1e-3)
    assert np.std(hard[:half]) < 1e-6
    assert np.std(hard[half + 500 :]) == pytest.approx(np.std(dry[half + 500 :]), rel=1e-3)
    assert np.std(soft[half + 500 :]) < 1e-3 * np.std(dry[half:])


def test_the_earlier_path_waits_for_the_later_one():
    """A path that distorts is some frames late by its oversampling; beside it the clean one must not be early."""
    driven = Preamp(gain=3)
    dry = plucks(1.0)
    alone = through(split_of([driven], [Trim(gain_db=-60)] * 3, by="all in both"), dry)
    clean = through(one_path(1, by="all in both"), dry)
    both = through(split_of([driven], by="all in both"), dry)
    assert ToneChain(Tone(name="t", blocks=[split_of([driven], by="all in both")]), rate_hz=FS).latency_frames > 0
    np.testing.assert_allclose(clean, dry, atol=1e-8)
    np.testing.assert_allclose(both, alone + clean, atol=1e-6)


def test_levels_polarity_and_sides():
    dry = noise(0.3)
    turned = Split(by="all in both", paths=[SplitPath(level_db=-6), SplitPath(flipped=True)])
    np.testing.assert_allclose(through(turned, dry), (10 ** (-6 / 20) - 1) * dry, atol=1e-9)
    wide = Split(by="all in both", paths=[SplitPath(pan=-1), SplitPath(pan=1, level_db=-6)])
    heard = through(wide, dry)
    assert heard.shape == (len(dry), 2)
    np.testing.assert_allclose(heard[:, 0], np.sqrt(2) * dry, atol=1e-9)
    np.testing.assert_allclose(heard[:, 1], 10 ** (-6 / 20) * np.sqrt(2) * dry, atol=1e-9)


@pytest.mark.parametrize("by", ["all in both", "lows and highs", "soft and hard"])
@pytest.mark.parametrize("cut", [1, 37, 4096])
def test_streaming_in_blocks_gives_the_samples_of_the_whole(by, cut):
    inner = split_of([Fuzz()], [Gate(key="the DI")], by="soft and hard")
    tone = Tone(name="t", blocks=[split_of([inner, Trim()], [Preamp(gain=6)], by=by), Trim()])
    di = plucks(0.2)[:3000]
    whole = ToneChain(tone, rate_hz=FS).process(di)
    chain = ToneChain(tone, rate_hz=FS)
    pieces = [chain.process(di[start : start + cut]) for start in range(0, len(di), cut)]
    np.testing.assert_array_equal(np.concatenate(pieces), whole)


def test_a_gate_in_a_path_listens_to_the_di_as_one_before_the_split_does():
    """Behind a crossover only highs are left to it; by the DI it opens where the note is."""
    dry = np.concatenate((np.zeros(FS // 4), sine(82, peak=0.3, seconds=0.5), np.zeros(FS // 4)))
    values = {"threshold_dbv": -20.0, "depth_db": 100.0}
    deaf = through(split_of([Trim(gain_db=-60)] * 3, [Gate(**values)], crossover_hz=2000), dry)
    keyed = through(split_of([Trim(gain_db=-60)] * 3, [Gate(**values, key="the DI")], crossover_hz=2000), dry)
    middle = slice(FS // 2, FS // 2 + 4000)
    assert np.std(keyed[middle]) > 100 * np.std(deaf[middle])


def test_turned_while_it_sounds_it_goes_on_where_it_was():
    def tone(hz):
        return Tone(name="t", blocks=[split_of([Trim(gain_db=-3)], [Preamp()], crossover_hz=hz)])

    dry = plucks(1.0)
    old, new = ToneChain(tone(250), rate_hz=FS), ToneChain(tone(250), rate_hz=FS)
    before = old.process(dry[:9001])
    new.take_over(old)
    after = new.process(dry[9001:])
    np.testing.assert_array_equal(np.concatenate((before, after)), ToneChain(tone(250), rate_hz=FS).process(dry))


def test_splits_nest_once_and_all_blocks_count():
    leaf = Trim().model_dump()

    def nested(depth):
        inside = [leaf] if depth == 0 else [nested(depth - 1)]
        return {"kind": "split", "paths": [{"blocks": inside}, {"blocks": []}]}

    parse_tone({"name": "t", "blocks": [nested(1)]})
    with pytest.raises(ToneRefused, match="a split in a split holds no further one"):
        parse_tone({"name": "t", "blocks": [nested(2)]})
    full = {"kind": "split", "paths": [{"blocks": [leaf] * 20}, {"blocks": [leaf] * 20}]}
    with pytest.raises(ToneRefused, match=f"it has 41 blocks with those in splits; up to {MOST_BLOCKS}"):
        parse_tone({"name": "t", "blocks": [full]})
    with pytest.raises(ToneRefused, match="paths"):
        parse_tone({"name": "t", "blocks": [{"kind": "split", "paths": [{}]}]})


NESTED = Tone(
    name="t", blocks=[Gate(), split_of([Fuzz(), split_of([Trim()])], [Preamp()]), Trim(gain_db=1)]
)  # fmt: skip
PLACES = [(0,), (1,), (1, 0, 0), (1, 0, 1), (1, 0, 1, 0, 0), (1, 1, 0), (2,)]


def test_places_are_told_from_outside_in():
    assert [place for place, _ in every_block(NESTED.blocks)] == PLACES
    assert all(block_at(NESTED.blocks, place) is block for place, block in every_block(NESTED.blocks))
    for wrong in ((3,), (0, 0, 0), (1, 0), (1, 2, 0), (1, 0, 5)):
        with pytest.raises(LookupError):
            block_at(NESTED.blocks, wrong)


@pytest.mark.parametrize("start", PLACES)
def test_moved_on_and_on_a_block_comes_past_every_place_and_back(start):
    """Step by step away from the jack to the end of the tone, and back to its beginning; no block is lost."""
    block = block_at(NESTED.blocks, start)
    tone, place, seen = NESTED, start, [start]
    for by in (1, -1):
        for _ in range(30):
            to = moved_on(tone.blocks, place, by)
            if to is None:
                break
            tone, _ = edited(tone, MoveBlock(block=list(place), to=list(to)))
            assert block_at(tone.blocks, to) == block
            assert sorted(each.kind for _, each in every_block(tone.blocks)) == sorted(
                each.kind for _, each in every_block(NESTED.blocks)
            )
            place = to
            seen.append(place)
        assert place == ((len(tone.blocks) - 1,) if by > 0 else (0,))
    if block.kind != "split":
        assert max(map(len, seen)) == 5


def test_a_value_in_a_path_is_turned_and_a_block_added_at_its_end():
    turned, says = edited(NESTED, SetValue(block=[1, 0, 1, 0, 0], kind="trim", path=["gain_db"], value=-3))
    assert block_at(turned.blocks, (1, 0, 1, 0, 0)) == Trim(gain_db=-3)
    assert says == "Trim: out -3 dB"
    more, _ = edited(NESTED, AddBlock(kind="trim", at=[1, 1, 1]))
    assert block_at(more.blocks, (1, 1, 1)) == Trim()
    louder, says = edited(NESTED, SetValue(block=[1], kind="split", path=["paths", 1, "level_db"], value=2.5))
    assert louder.blocks[1].paths[1].level_db == 2.5
    assert says == "Split: level 2.5 dB"
    for wrong in ([0, 0, 0], [1, 2, 0], [7, 0, 0]):
        with pytest.raises(ToneRefused, match="look again"):
            edited(NESTED, AddBlock(kind="trim", at=wrong))
    with pytest.raises(ToneRefused, match="not a value that is turned"):
        edited(NESTED, SetValue(block=[1], kind="split", path=["paths", 0, "blocks"], value=0))


def test_a_split_enters_another_only_where_it_holds_none_and_lies_in_none():
    plain, holding = split_of([Trim()]), split_of([split_of()])
    assert moved_on([plain, split_of()], (0,), 1) == (0, 0, 0)
    assert moved_on([holding, split_of()], (0,), 1) == (1,)
    inner = [split_of([split_of(), split_of()])]
    assert moved_on(inner, (0, 0, 0), 1) == (0, 0, 1)
    assert moved_on([split_of(), plain], (1,), -1) == (0, 1, 0)
