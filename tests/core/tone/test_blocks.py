"""Kinds of blocks: each is whole by itself, wherever it stands in a chain, on one channel or two."""

from typing import ClassVar, Literal

import numpy as np
import pytest

from fatsignal.core.tone.blocks import KINDS, Gate, Mic, Power, SpeakerAndMics, Split, SplitPath, Trim
from fatsignal.core.tone.blocks.block import NO_CURVE, Channels, Operating, Step, ToneBlock
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone, parse_tone, tone_schema
from fatsignal.core.tone.render import render, render_chunks
from tests.signals import FS, noise, plucks, sine

EACH_KIND = pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)


class Late:
    """Answers some frames late and does nothing else."""

    def __init__(self, frames: int) -> None:
        self.latency_frames = frames
        self._line = np.zeros(frames)

    def process(self, signal):
        line = np.concatenate((self._line, signal))
        self._line = line[len(signal) :]
        return line[: len(signal)]


class Waits(ToneBlock):
    """A kind of the tests' own: what looks ahead has to wait."""

    TITLE: ClassVar[str] = "Waits"
    kind: Literal["waits"] = "waits"
    frames: int = 0

    def runners(self, at: Operating):
        return [Late(self.frames)]

    def curve(self):
        return NO_CURVE


class WaitsInside(Waits):
    """The same among blocks that make partials."""

    OVERSAMPLED: ClassVar[bool] = True


class Widens(ToneBlock):
    """One channel becomes two, the right one turned."""

    TITLE: ClassVar[str] = "Widens"
    kind: Literal["widens"] = "widens"

    class Both:
        latency_frames, channels_out = 0, 2

        def process(self, channels: Channels) -> Channels:
            return channels[0], -channels[0]

    def steps(self, at: Operating, channels: int) -> list[Step]:
        assert channels == 1
        return [self.Both()]


class WidensInside(Widens):
    """The same among blocks that make partials."""

    OVERSAMPLED: ClassVar[bool] = True


def tone_of(*blocks):
    return Tone.model_construct(format="fatsignal.tone", version=2, name="t", use="", oversample=4, blocks=list(blocks))


@EACH_KIND
def test_each_kind_has_an_example_a_curve_words_and_its_place_in_the_schema(kind):
    block = kind.example()
    document = {"name": "one", "blocks": [block.model_dump(mode="json")]}
    assert parse_tone(document).blocks == [block]
    drawn = block.curve()
    assert len(drawn.x) == len(drawn.y)
    assert np.isfinite(drawn.y).all()
    assert all(label and value for label, value in block.values())
    assert kind.__name__ in tone_schema()["$defs"]
    assert block.TITLE


@EACH_KIND
@pytest.mark.parametrize("channels", [1, 2])
def test_blocks_of_any_size_give_the_same_samples_bit_for_bit(kind, channels):
    tone, left = tone_of(kind.example()), plucks(0.6)
    di = left if channels == 1 else np.column_stack((left, 0.3 * left[::-1]))
    whole = ToneChain(tone, rate_hz=FS, channels=channels).process(di)
    for size in (1, 7, 128, 4096):
        chain = ToneChain(tone, rate_hz=FS, channels=channels)
        until = 1500 if size == 1 else len(di)
        pieces = [chain.process(di[start : min(until, start + size)]) for start in range(0, until, size)]
        np.testing.assert_array_equal(np.concatenate(pieces), whole[:until])


@EACH_KIND
def test_a_kind_that_links_its_channels_treats_both_alike(kind):
    if not kind.LINKS_CHANNELS:
        return
    tone, left = tone_of(kind.example()), plucks(0.6)
    quiet = render(ToneChain(tone, rate_hz=FS, channels=2), np.column_stack((left, 0.1 * left)))
    one = render(ToneChain(tone, rate_hz=FS, channels=2), np.column_stack((left, left)))
    assert np.isfinite(quiet).all()
    assert one.shape == quiet.shape == (len(left), 2)


@EACH_KIND
def test_what_is_bypassed_is_as_if_it_were_not_there(kind):
    off = kind.example().model_copy(update={"bypassed": True})
    chain = ToneChain(tone_of(off), rate_hz=FS)
    di = plucks(0.6)
    assert (chain.latency_frames, chain.channels_out) == (0, 1)
    np.testing.assert_allclose(chain.process(di), di, atol=1e-15)


@EACH_KIND
def test_two_channels_are_each_what_one_is(kind):
    if kind.LINKS_CHANNELS:
        return
    tone, left = tone_of(kind.example()), plucks(0.6)
    right = 0.5 * left[::-1]
    both = render(ToneChain(tone, rate_hz=FS, channels=2), np.column_stack((left, right)))
    assert both.shape == (len(left), 2)
    for column, signal in ((0, left), (1, right)):
        np.testing.assert_array_equal(both[:, column], render(ToneChain(tone, rate_hz=FS), signal))


@pytest.mark.parametrize("late", [1, 7, 64, 1000])
@pytest.mark.parametrize("place", [0, 1, 2])
def test_a_late_block_is_taken_off_wherever_it_stands(late, place):
    """At the base rate before, between and behind others, and among those that run at the higher rate."""
    di = plucks(0.5)
    others = [Trim(gain_db=-3.0), Trim(gain_db=3.0)]
    others.insert(place, Waits(frames=late))
    chain = ToneChain(tone_of(*others), rate_hz=FS)
    assert chain.latency_frames == late
    np.testing.assert_allclose(render(chain, di), di, atol=1e-12)


@pytest.mark.parametrize("late", [1, 5, 8, 1001])
def test_a_late_block_at_the_higher_rate_is_taken_off_to_the_sample(late):
    """What is filled up to a whole frame moves nothing that a string's lower partials are."""
    di, plain = 0.5 * sine(220.0, seconds=0.5) + 0.2 * sine(880.0, seconds=0.5), tone_of(WaitsInside(frames=0))
    waiting = ToneChain(tone_of(Waits(frames=3), WaitsInside(frames=late), Waits(frames=9)), rate_hz=FS)
    both = render(waiting, di), render(ToneChain(plain, rate_hz=FS), di)
    np.testing.assert_allclose(both[0][2000:-2000], both[1][2000:-2000], atol=1e-4)


@pytest.mark.parametrize("widens", [Widens(), WidensInside()], ids=["outside", "at the higher rate"])
def test_a_chain_may_become_wider_and_goes_on_with_two(widens):
    di = plucks(0.6)
    tone = tone_of(Gate.example(), WaitsInside(frames=2), widens, Trim(gain_db=-6.0), WaitsInside(frames=6))
    chain = ToneChain(tone, rate_hz=FS)
    assert (chain.channels_in, chain.channels_out) == (1, 2)
    wide = render(chain, di)
    assert wide.shape == (len(di), 2)
    np.testing.assert_array_equal(wide[:, 0], -wide[:, 1])
    for threads in (1, 2):
        pieces = list(render_chunks(ToneChain(tone, rate_hz=FS), [di[:5000], di[5000:]], threads=threads))
        np.testing.assert_array_equal(np.concatenate(pieces), wide)


def test_behind_a_stage_that_feeds_a_loudspeaker_its_coil_lifts_nothing_by_itself():
    """In a split's path too; a bypassed stage feeds nothing."""
    dry = 1e-3 * noise(1.0)
    cabinet = SpeakerAndMics(mics=[Mic(kind="coil")])
    power, around = Power(load="1x12 open", presence=0), {}
    split = Split(by="all in both", paths=[SplitPath(blocks=[cabinet]), SplitPath(level_db=-60)])
    stage = render(ToneChain(tone_of(power, Trim()), rate_hz=FS), dry)
    rows = {
        "none": (stage, [cabinet]), "before": (dry, [power, cabinet]),
        "bypassed": (stage, [power.model_copy(update={"bypassed": True}), cabinet]),
        "in a path": (dry, [power, split]),
    }  # fmt: skip
    for name, (given, blocks) in rows.items():
        heard = np.abs(np.fft.rfft(render(ToneChain(tone_of(*blocks), rate_hz=FS), given)))
        around[name] = 20 * np.log10(heard[8_000:9_000].mean() / heard[900:1_100].mean())
    assert around["none"] - around["before"] > 3
    assert around["bypassed"] == pytest.approx(around["none"], abs=0.1)
    assert around["in a path"] == pytest.approx(around["before"], abs=0.5)
