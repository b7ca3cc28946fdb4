"""Whatever a person sets, in whatever order: numbers come out, and after the tail silence."""

import random

import numpy as np
import pytest

from fatsignal.core.clip import in_one
from fatsignal.core.tone.blocks import KINDS, Mic, Reverb, SpeakerAndMics
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.controls import controls_of
from fatsignal.core.tone.document import MOST_BLOCKS, Tone
from fatsignal.core.tone.edits import SetValue, edited
from fatsignal.core.tone.voltage import DiVoltage
from tests.signals import FS, plucks

# What 24 bits hold: less is silence in every file that is handed over.
LEAST = 2.0**-24


def extreme(kind, choose):
    """A block with each of its values at an end."""
    tone = Tone(name="x", blocks=[kind.example()])
    groups, _ = controls_of(tone.blocks[0])
    for control in (each for group in groups for each in group.controls):
        ends = {"number": (control.low, control.high), "choice": control.choices, "switch": (True, False), "file": ()}
        if ends[control.shape]:
            value = choose(ends[control.shape])
            edit = SetValue(block=0, kind=tone.blocks[0].kind, path=list(control.path), value=value)
            tone, _ = edited(tone, edit)
    return tone.blocks[0]


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_every_value_at_its_ends_gives_numbers_and_dies_away(kind):
    playing = plucks(0.4)
    chosen = [random.Random(seed).choice for seed in range(3)]
    for choose in (lambda ends: ends[0], lambda ends: ends[-1], *chosen):
        block = extreme(kind, choose)
        for volts in (0.001, 1.0, 500.0):
            chain = ToneChain(Tone(name="t", blocks=[block]), rate_hz=FS, voltage=DiVoltage(volts))
            heard = in_one(chain.process(playing))
            assert np.isfinite(heard).all()
            if volts == 1.0:
                for _ in range(30):
                    rest = in_one(chain.process(np.zeros(FS)))
                    if np.abs(rest).max() < LEAST:
                        break
                assert np.abs(rest).max() < LEAST
                # Nothing so small that it would be slow.
                assert not ((rest != 0) & (np.abs(rest) < 1e-300)).any()


@pytest.mark.parametrize("seed", range(6))
def test_blocks_in_any_order_give_numbers(seed):
    order = random.Random(seed)
    kinds = [*KINDS, *order.choices(KINDS, k=MOST_BLOCKS - len(KINDS))]
    order.shuffle(kinds)
    chain = ToneChain(Tone(name="t", blocks=[kind.example() for kind in kinds]), rate_hz=FS)
    assert np.isfinite(chain.process(plucks(0.4))).all()


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_thirty_of_the_same_give_numbers(kind):
    chain = ToneChain(Tone(name="t", blocks=[kind.example()] * 30), rate_hz=FS)
    assert np.isfinite(chain.process(plucks(0.4))).all()


def test_all_bypassed_is_what_came_in_and_three_cabinets_behind_a_reverb_are_heard():
    playing = plucks(0.5)
    blocks = [kind.example().model_copy(update={"bypassed": True}) for kind in KINDS]
    through = ToneChain(Tone(name="t", blocks=blocks), rate_hz=FS, voltage=DiVoltage(3.0)).process(playing)
    np.testing.assert_allclose(through, playing, atol=1e-12)
    cabinet = SpeakerAndMics(mics=[Mic(kind="coil")])
    heard = ToneChain(Tone(name="t", blocks=[Reverb(), cabinet, cabinet, cabinet]), rate_hz=FS).process(playing)
    assert np.std(heard) > 1e-4
