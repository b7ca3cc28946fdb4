"""Tones found by words and by how they sound, and what is measured of them."""

import math
from uuid import uuid4

import numpy as np
import pytest

from fatsignal.core.tone.blocks import Compressor, Equaliser, FirstStages, Reverb, Trim
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.finding import Findable, apart, found
from fatsignal.core.tone.instruments import instrument_of
from fatsignal.core.tone.measures import measure_tone
from fatsignal.core.tone.riff import RIFF_RATE_HZ, riff

FIGURES = {
    "tilt_db": 0.0, "low_end_db": 0.0, "added_db": -40.0, "crest_lost_db": 0.0, "answers_db": 20.0, "quiet_db": 80.0,
    "tail_s": 0.1,
}  # fmt: skip


def findable(name, words="", instruments=(), **figures):
    return Findable(uuid4(), name, words, instruments, {**FIGURES, **figures} if figures is not None else None)


CLEAN = findable("Lantern", "clean, for chords", ("guitar",), tilt_db=2.0, added_db=-50.0)
EDGE = findable("Ember", "edge of breaking up", ("guitar", "baritone"), tilt_db=1.0, added_db=-30.0)
HOT = findable("Furnace", "high gain, tight", (), tilt_db=0.0, added_db=-10.0, answers_db=1.0)
LOW = findable("Anchor", "bass, round", ("bass",), tilt_db=-2.0, low_end_db=6.0, added_db=-35.0)
NEW = Findable(uuid4(), "Newcomer", "just kept", (), None)
ALL = [CLEAN, EDGE, HOT, LOW, NEW]


def names(tones):
    return [tone.name for tone in tones]


def test_words_begin_words_of_name_use_or_instrument():
    assert names(found(ALL, typed="cle cho")) == ["Lantern"]
    assert names(found(ALL, typed="bass")) == ["Anchor"]
    assert names(found(ALL, typed="EMB")) == ["Ember"]
    assert found(ALL, typed="lean") == []


def test_what_was_made_for_any_instrument_suits_all():
    assert names(found(ALL, instrument="bass")) == ["Anchor", "Furnace", "Newcomer"]
    assert names(found(ALL, instrument="guitar")) == ["Ember", "Furnace", "Lantern", "Newcomer"]
    named = ("baritone guitar", "five-string bass", "acoustic guitar", "seven-string guitar")
    assert [instrument_of(each) for each in named] == ["baritone", "bass", "acoustic", "guitar"]


def test_orders_go_by_what_was_measured_and_what_was_not_comes_last():
    assert names(found(ALL, order="brighter")) == ["Lantern", "Ember", "Furnace", "Anchor", "Newcomer"]
    assert names(found(ALL, order="more driven"))[:2] == ["Furnace", "Ember"]
    assert names(found(ALL, order="brighter", than=EDGE.id)) == ["Lantern"]
    assert names(found(ALL, order="darker", than=EDGE.id)) == ["Anchor", "Furnace"]


def test_the_nearest_is_most_like_and_between_two_lies_what_makes_no_detour():
    assert names(found(ALL, like=CLEAN.id))[0] == "Ember"
    assert names(found(ALL, like=HOT.id))[-1] == "Newcomer"
    assert names(found(ALL, like=CLEAN.id, between=HOT.id))[0] == "Ember"
    # On the straight way the middle comes before what lies nearly at one of its ends.
    ends = [findable(name, added_db=added_db) for name, added_db in (("A", -50.0), ("Z", -10.0))]
    way = [findable(name, added_db=added_db) for name, added_db in (("near A", -48.0), ("middle", -30.0))]
    assert names(found([*ends, *way], like=ends[0].id, between=ends[1].id)) == ["middle", "near A"]
    assert apart(CLEAN, CLEAN) == 0
    assert apart(CLEAN, NEW) is None
    assert apart(CLEAN, HOT) == pytest.approx(apart(HOT, CLEAN))


def tone(*blocks):
    return Tone(name="x", blocks=list(blocks))


PLAIN = measure_tone(tone(Trim()), "guitar")


def test_a_tone_that_does_nothing_has_nothing_to_tell():
    assert PLAIN.tilt_db == pytest.approx(0, abs=0.01)
    assert PLAIN.low_end_db == pytest.approx(0, abs=0.01)
    assert PLAIN.crest_lost_db == pytest.approx(0, abs=0.01)
    assert PLAIN.answers_db == pytest.approx(20, abs=0.01)
    assert PLAIN.added_db < -100
    assert PLAIN.tail_s < 0.1
    assert all(abs(each) < 0.01 for each in PLAIN.thirds_db)


def test_a_shelf_tilts_by_what_it_is_and_a_level_changes_only_the_level():
    """A slope of 6 dB from 200 to 3200 Hz: closed form, 1.5 dB for each of four octaves, less over all of them."""
    louder = measure_tone(tone(Trim(gain_db=6)), "guitar")
    assert louder.loudness_lufs - PLAIN.loudness_lufs == pytest.approx(6, abs=0.02)
    assert (louder.tilt_db, louder.answers_db) == (PLAIN.tilt_db, PLAIN.answers_db)
    shelf = {"shape": "high_shelf", "frequency_hz": 800, "gain_db": 12, "q": 0.5}
    bright = measure_tone(tone(Equaliser(bands=[shelf])), "guitar")
    assert 1.2 < bright.tilt_db < 2.4
    deep = measure_tone(tone(Equaliser(bands=[{"shape": "low_shelf", "frequency_hz": 140, "gain_db": 9}])), "guitar")
    assert 4 < deep.low_end_db < 9


def test_what_squashes_answers_less_and_what_drives_adds():
    squashed = measure_tone(
        tone(Compressor(threshold_dbv=-40, ratio=4, knee_db=0, attack_ms=1, release_ms=200, makeup_db=0)), "guitar"
    )
    # Twenty decibels over a ratio of four, while the level stays over the threshold.
    assert 4.5 < squashed.answers_db < 9
    driven = measure_tone(tone(FirstStages(stages=3, drive=9)), "guitar")
    assert driven.added_db > -25
    assert driven.crest_lost_db > 2
    assert driven.answers_db < 12


def test_a_tail_lasts_as_long_as_its_reverb():
    short, long = (measure_tone(tone(Reverb(decay_s=decay_s, mix=60)), "guitar").tail_s for decay_s in (0.5, 2.0))
    assert short < 0.8
    assert 1.2 < long < 2.2


@pytest.mark.parametrize("instrument", ["guitar", "baritone", "bass", "acoustic"])
def test_the_riff_is_a_voltage_that_such_an_instrument_gives(instrument):
    volts = riff(instrument)
    assert len(volts) == 5 * RIFF_RATE_HZ
    assert 0.1 < np.abs(volts).max() < 3.5
    assert 20 * math.log10(np.std(volts)) < -5
    np.testing.assert_array_equal(volts, riff(instrument))
