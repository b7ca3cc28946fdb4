"""The demonstration song is whole: invented, but a song that can be played."""

from fractions import Fraction

from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.demo import song
from fatsignal.demo.build import BARITONE_RIG, BASS_RIG, LEAD_RIG

PARTS = (
    (BARITONE_RIG, song.baritone_part()),
    (BASS_RIG, song.bass_part()),
    (LEAD_RIG, song.lead_part()),
)


def test_sections_follow_each_other_over_forty_bars():
    bar = 1
    for section in song.SECTIONS:
        assert section.first_bar == bar
        assert section.bars % section.phrase_bars == 0
        bar += section.bars
    assert bar == 41


def test_every_bar_is_played_on_strings_and_frets_that_there_are():
    for rig, notes in PARTS:
        strings = len(INSTRUMENTS[rig.instrument].open_notes)
        played = set()
        for note in notes:
            assert 0 <= note.string < strings
            assert 0 <= note.fret <= 24
            assert 0 < note.force <= 1
            assert note.beats > 0
            played.add(int(note.beat // 4) + 1)
        chorus_bars = {*range(13, 21), *range(29, 37)}
        assert played == (chorus_bars if rig is LEAD_RIG else set(range(1, 41)))


def test_no_string_is_asked_for_two_notes_at_once():
    for _, notes in PARTS:
        at = [(note.beat, note.string) for note in notes]
        assert len(at) == len(set(at))


def test_chords_are_in_e_minor():
    """E natural minor: E F# G A B C D."""
    scale = {4, 6, 7, 9, 11, 0, 2}
    for rig, notes in PARTS:
        open_notes = INSTRUMENTS[rig.instrument].open_notes
        for note in notes:
            assert (open_notes[note.string] + note.fret) % 12 in scale, (note, Fraction(note.beat) // 4 + 1)
