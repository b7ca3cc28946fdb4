"""A tone that is turned while it sounds: what goes on goes on, and nothing clicks."""

import numpy as np
import pytest

from fatsignal.core.tone.blocks import KINDS, Echo, Trim
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone, parse_tone
from fatsignal.core.tone.turning import FADE_S, TurningChain, blended
from fatsignal.tones import find_tone, shipped_tones
from tests.signals import FS, plucks, sine

BLOCK = 128
AT = FS // 2 // BLOCK * BLOCK


def with_value(tone: Tone, kind: str, **values) -> Tone:
    document = tone.model_dump(mode="json")
    for block in document["blocks"]:
        if block["kind"] == kind:
            block.update(values)
    return parse_tone(document)


def in_blocks(process, signal, size=BLOCK):
    return np.concatenate([process(signal[start : start + size]) for start in range(0, len(signal), size)])


@pytest.mark.parametrize("tone", shipped_tones(), ids=lambda tone: tone.name)
def test_a_fresh_chain_of_the_same_tone_goes_on_where_the_other_is_bit_for_bit(tone):
    di = plucks(1.0)
    whole = in_blocks(ToneChain(tone, rate_hz=FS).process, di)
    first, second = ToneChain(tone, rate_hz=FS), ToneChain(tone, rate_hz=FS)
    in_blocks(first.process, di[:AT])
    second.take_over(first)
    np.testing.assert_array_equal(in_blocks(second.process, di[AT:]), whole[AT:])


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_every_kind_goes_on_where_it_was(kind):
    tone, di = Tone(name="one", blocks=[kind.example()]), plucks(1.0)
    whole = in_blocks(ToneChain(tone, rate_hz=FS).process, di)
    first, second = ToneChain(tone, rate_hz=FS), ToneChain(tone, rate_hz=FS)
    in_blocks(first.process, di[:AT])
    second.take_over(first)
    np.testing.assert_allclose(in_blocks(second.process, di[AT:]), whole[AT:], atol=1e-9)


def highs(signal):
    """What no tone of 110 Hz has: the fourth difference, where a step of one in ten thousand stands out."""
    return np.abs(np.diff(signal, 4))


@pytest.mark.parametrize(
    ("kind", "values"),
    [
        ("first_stages", {"drive": 4.0}),
        ("tone_network", {"treble": 9.0}),
        ("power", {"level": 7.0, "presence": 9.0}),
        ("speaker", {"mics": [{"kind": "ribbon", "distance_m": 0.12}]}),
        ("trim", {"gain_db": -26.0}),
    ],
)
def test_a_value_is_turned_without_a_click(kind, values):
    """A click would stand over what the tones before and after it have themselves in the highs."""
    tone = find_tone("Kiln")
    other = with_value(tone, kind, **values)
    di = 0.2 * sine(110.0, seconds=1.5)
    chain = TurningChain(ToneChain(tone, rate_hz=FS))
    begun = in_blocks(chain.process, di[:AT])
    chain.turn_to(ToneChain(other, rate_hz=FS))
    turned = np.concatenate((begun, in_blocks(chain.process, di[AT:])))
    steady = [in_blocks(ToneChain(each, rate_hz=FS).process, di) for each in (tone, other)]
    usual = max(highs(each[FS // 4 :]).max() for each in steady)
    assert highs(turned[FS // 4 :]).max() < 1.5 * usual + 1e-5
    # After the fade it is the other tone, but for what the amp still settles to.
    late = slice(AT + FS // 2, None)
    assert np.std(turned[late] - steady[1][late]) < 0.02 * np.std(steady[1][late])


def test_what_rings_goes_on_ringing_while_something_else_is_turned():
    """An echo of what was played before the turn comes after it, as loud as if nobody had turned anything."""
    ringing = Tone(name="r", blocks=[Echo(time_ms=400, feedback=60, mix=60, worn=0), Trim(gain_db=0.0)])
    click = np.zeros(2 * FS)
    click[100:140] = 1.0
    untouched = in_blocks(ToneChain(ringing, rate_hz=FS).process, click)
    turning = TurningChain(ToneChain(ringing, rate_hz=FS))
    first = in_blocks(turning.process, click[:AT])
    turning.turn_to(ToneChain(with_value(ringing, "trim", gain_db=0.5), rate_hz=FS))
    turned = np.concatenate((first, in_blocks(turning.process, click[AT:])))
    settled = AT + round(2 * FADE_S * FS)
    assert np.abs(untouched[settled:]).max() > 0.05
    np.testing.assert_allclose(turned[settled:], 10 ** (0.5 / 20) * untouched[settled:], atol=1e-9)


def test_of_many_turns_the_last_counts_and_none_cuts_a_fade_off():
    tone = find_tone("Pale Lamp")
    di = plucks(1.5)
    chain = TurningChain(ToneChain(tone, rate_hz=FS))
    out = []
    for index, start in enumerate(range(0, len(di), BLOCK)):
        if AT <= start < AT + FS // 4:
            chain.turn_to(ToneChain(with_value(tone, "trim", gain_db=-5.0 - index % 7), rate_hz=FS))
        out.append(chain.process(di[start : start + BLOCK]))
    last = with_value(tone, "trim", gain_db=-20.0)
    chain.turn_to(ToneChain(last, rate_hz=FS))
    chain.process(np.zeros(BLOCK))
    assert chain.chain.tone == last
    sound = np.concatenate(out)
    steady = in_blocks(ToneChain(tone, rate_hz=FS).process, di)
    assert highs(sound).max() < 2.2 * highs(steady).max()


def test_a_block_that_comes_in_begins_at_rest_and_one_that_goes_is_gone():
    tone = find_tone("Kiln")
    fewer = tone.model_copy(update={"blocks": tone.blocks[1:]})
    chain = TurningChain(ToneChain(tone, rate_hz=FS))
    in_blocks(chain.process, plucks(0.6))
    for each in (fewer, tone):
        chain.turn_to(ToneChain(each, rate_hz=FS))
        in_blocks(chain.process, plucks(0.6))
        assert chain.chain.tone == each
        assert chain.latency_frames == ToneChain(each, rate_hz=FS).latency_frames


def test_a_fade_between_one_channel_and_two_has_two():
    share = np.linspace(0, 1, 5)
    both = blended(np.ones(5), np.zeros((5, 2)), share)
    np.testing.assert_allclose(both, np.column_stack((1 - share, 1 - share)))
    assert 0.005 < FADE_S < 0.03
