"""A tone's drive is found again by its own knobs, and what they cannot do is said."""

import numpy as np
import pytest

from fatsignal.core.clip import in_one
from fatsignal.core.tone.blocks import Preamp, SoftClip, Split, SplitPath, Trim
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.drive_matching import Played, matched_drive, played
from fatsignal.core.tone.render import render
from fatsignal.core.tone.riff import riff
from fatsignal.core.tone.voltage import DiVoltage
from fatsignal.errors import ToneRefused
from tests.signals import FS, noise, sine

DRY = riff("guitar")[: 3 * FS]


def heard(tone):
    return in_one(render(ToneChain(tone, rate_hz=FS, voltage=DiVoltage(1.0), oversample=2), DRY))


def tone_of(*blocks):
    return Tone(name="t", blocks=list(blocks))


def driven_like(tone, wanted):
    return matched_drive(tone, heard, played(heard(wanted), rate_hz=FS), rate_hz=FS)


@pytest.mark.parametrize("wanted", [2.0, 5.0, 7.5])
def test_a_gain_that_somebody_set_is_found_again(wanted):
    found = driven_like(tone_of(Preamp(gain=4.0)), tone_of(Preamp(gain=wanted)))
    assert found.tone.blocks[0].gain == pytest.approx(wanted, abs=0.6)
    assert [turn.path for turn in found.turns] == [["gain"]]
    assert found.says.startswith("Preamp, gain 4 to ")
    assert "within a decibel" in found.says


def test_balance_and_level_have_little_share_in_it():
    """A sound that is darker and 20 dB softer is as driven as it was."""
    driven = heard(tone_of(SoftClip(drive=6)))
    plain, turned = (
        played(heard(tone_of(SoftClip(drive=6), *more)), rate_hz=FS) for more in ((), (Trim(gain_db=-20),))
    )
    assert plain.off_db(turned) < 0.01
    tilted = in_one(render(ToneChain(tone_of(Preamp(gain=0.5)), rate_hz=FS), driven * 1e-4))
    assert played(driven, rate_hz=FS).off_db(played(tilted, rate_hz=FS)) < 2.5


def test_more_drive_brings_soft_and_hard_and_peaks_together():
    measured = [played(heard(tone_of(SoftClip(drive=drive))), rate_hz=FS) for drive in (0, 4, 10)]
    assert measured[0].apart_db > measured[1].apart_db > measured[2].apart_db
    assert measured[0].crest_db > measured[2].crest_db


def test_the_crest_of_a_sine_is_that_of_a_sine():
    """3.01 dB, in closed form; a steady tone is as soft as it is hard."""
    steady = played(sine(400.0, peak=0.3, seconds=2.0), rate_hz=FS)
    assert steady.crest_db == pytest.approx(3.01, abs=0.05)
    assert steady.apart_db == pytest.approx(0.0, abs=0.05)
    # And two levels of noise lie apart by what they were made with.
    both = np.concatenate((noise(1.0), 0.1 * noise(1.0)))
    assert played(both, rate_hz=FS).apart_db == pytest.approx(20.0, abs=1.5)


def test_both_what_lies_apart_and_what_stands_out_count():
    assert Played(6.0, 9.0).off_db(Played(9.0, 9.0)) == pytest.approx(3.0)
    assert Played(6.0, 9.0).off_db(Played(6.0, 7.0)) == pytest.approx(3.0)
    assert Played(6.0, 9.0).off_db(Played(9.0, 7.0)) == pytest.approx(3 * 2**0.5)


def test_what_its_knobs_cannot_do_is_said():
    found = driven_like(tone_of(SoftClip(drive=5)), tone_of(Trim()))
    assert "dB less apart still" in found.says or "lower still" in found.says
    assert found.turns


def test_knobs_in_paths_are_turned_and_bypassed_ones_are_not():
    tone = tone_of(Split(paths=[SplitPath(), SplitPath(blocks=[SoftClip(drive=1)])]), Preamp(gain=3, bypassed=True))
    wanted = tone_of(Split(paths=[SplitPath(), SplitPath(blocks=[SoftClip(drive=8)])]))
    found = driven_like(tone, wanted)
    assert found.tone.blocks[0].paths[1].blocks[0].drive == pytest.approx(8, abs=1.5)
    assert found.tone.blocks[1] == tone.blocks[1]


def test_what_does_not_drive_and_what_is_silent_is_refused():
    with pytest.raises(ToneRefused, match="nothing in t drives: add a preamp"):
        driven_like(tone_of(Trim()), tone_of(Preamp()))
    with pytest.raises(ToneRefused, match="too little sounds there"):
        played(np.zeros(FS), rate_hz=FS)
    with pytest.raises(ToneRefused, match="too short to tell"):
        played(noise(0.2), rate_hz=FS)
    with pytest.raises(ToneRefused, match="t is silent over these bars"):
        matched_drive(tone_of(Preamp()), lambda _: np.zeros(FS), played(noise(1.0), rate_hz=FS), rate_hz=FS)
