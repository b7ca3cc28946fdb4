"""Sections of a song: what is allowed, and what goes with them."""

from dataclasses import replace
from fractions import Fraction
from uuid import uuid4

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.instrument.player import Note
from fatsignal.core.song.questions import changes_inside, tempo_in_words
from fatsignal.core.song.sections import (
    SongSection,
    check_sections,
    laid_out,
    moved_frames,
    rearranged_tempo,
    spans_between,
)
from fatsignal.core.song.written import carried
from fatsignal.core.timing.tempo import MeterChange, TempoChange, TempoMap
from fatsignal.errors import InvalidSetting

INTRO, VERSE, CHORUS = (
    SongSection(uuid4(), *values) for values in (("Intro", 1, 4, 2), ("Verse", 5, 8, 2), ("Chorus", 13, 8, 4))
)
SONG = [INTRO, VERSE, CHORUS]
TEMPO = TempoMap(
    48_000,
    (TempoChange(1, Fraction(100)), TempoChange(5, Fraction(90)), TempoChange(13, Fraction(120))),
    (MeterChange(1, 4), MeterChange(9, 3), MeterChange(13, 4)),
    200_000,
)


def section(first_bar, bars, *, name="S", phrase=1):
    return SongSection(uuid4(), name, first_bar, bars, phrase)


@pytest.mark.parametrize(
    ("sections", "says"),
    [
        ([section(1, 4, name="A"), section(4, 4, name="B")], "A and B overlap: A ends with bar 4, B begins at bar 4"),
        ([section(30, 8)], "runs to bar 37, past the song's end at bar 32"),
        ([section(0, 4)], "the first bar is 1"),
        ([section(1, 0)], "has 0 bars"),
        ([section(1, 4, phrase=5)], "a phrase of 5 bars does not fit"),
        ([section(1, 4, name=" ")], "has no name"),
    ],
)
def test_sections_that_cannot_be(sections, says):
    with pytest.raises(InvalidSetting, match=says):
        check_sections(sections, song_bars=32)


def reordered(*order):
    new = laid_out([SONG[index] for index in order])
    spans = spans_between(SONG, new)
    return new, spans, rearranged_tempo(TEMPO, spans)


def test_tempo_and_meter_go_with_their_section():
    new, spans, tempo = reordered(0, 2, 1)
    assert [(s.name, s.first_bar) for s in new] == [("Intro", 1), ("Chorus", 5), ("Verse", 13)]
    assert [(c.bar, c.bpm) for c in tempo.tempos] == [(1, 100), (5, 120), (13, 90)]
    assert [(m.bar, m.beats) for m in tempo.meters] == [(1, 4), (17, 3)]
    # Every bar of a section lasts as long as before.
    for span in spans:
        for bar in range(span.kept_bars):
            before = TEMPO.bar_frame(span.old_bar + bar + 1) - TEMPO.bar_frame(span.old_bar + bar)
            after = tempo.bar_frame(span.new_bar + bar + 1) - tempo.bar_frame(span.new_bar + bar)
            assert abs(before - after) <= 1


@settings(max_examples=60, deadline=None)
@given(st.permutations([0, 1, 2]))
def test_any_order_and_back_is_the_song_again(order):
    new, _, tempo = reordered(*order)
    back = rearranged_tempo(tempo, spans_between(new, SONG))
    for bar in range(1, 22):
        assert back.bar_frame(bar) == TEMPO.bar_frame(bar)


def test_a_take_goes_with_its_section_and_one_across_an_edge_that_parts_stays():
    _, spans, tempo = reordered(0, 2, 1)
    verse = (TEMPO.bar_frame(6), TEMPO.bar_frame(8))
    assert moved_frames(TEMPO, tempo, spans, verse) == tempo.bar_frame(14) - TEMPO.bar_frame(6)
    assert moved_frames(TEMPO, tempo, spans, (TEMPO.bar_frame(4), TEMPO.bar_frame(6))) is None
    assert moved_frames(TEMPO, tempo, spans, (TEMPO.bar_frame(1), TEMPO.bar_frame(5))) == 0
    # A last chord that rings a little past the edge belongs to its section.
    ringing = (TEMPO.bar_frame(5), TEMPO.bar_frame(13) + 10_000)
    assert moved_frames(TEMPO, tempo, spans, ringing) == tempo.bar_frame(13) - TEMPO.bar_frame(5)


def written(*beats):
    return [Note(Fraction(beat), Fraction(1), 0, 0, 0.8) for beat in beats]


def test_written_notes_go_along_and_those_in_bars_that_are_gone_come_back_with_them():
    notes = written(5, 9, Fraction(33, 2), -2)
    shorter = laid_out([replace(INTRO, bars=2), VERSE, CHORUS])
    tempo = rearranged_tempo(TEMPO, spans_between(SONG, shorter))
    kept, gone = carried(notes, [], TEMPO, tempo, SONG, shorter)
    # Two bars of four quarters less before the verse; the note in bar 3 of the intro has no bar any more.
    assert [note.beat for note in kept] == [-2, 5, Fraction(33, 2) - 8]
    assert [(cut.section_id, cut.offset) for cut in gone] == [(INTRO.id, 9)]
    back, gone = carried(kept, gone, tempo, TEMPO, shorter, SONG)
    assert (sorted(note.beat for note in back), gone) == (sorted(note.beat for note in notes), [])


def test_notes_of_a_section_that_is_taken_out_wait_for_it():
    notes = written(0, 17, 50)
    without = laid_out([INTRO, CHORUS])
    tempo = rearranged_tempo(TEMPO, spans_between(SONG, without))
    kept, gone = carried(notes, [], TEMPO, tempo, SONG, without)
    assert len(kept) == 2
    assert gone[0].section_id == VERSE.id
    back, gone = carried(kept, gone, tempo, TEMPO, without, SONG)
    assert ([note.beat for note in back], gone) == ([0, 17, 50], [])


def test_a_ramp_that_leads_out_of_a_section_that_moves_is_refused():
    ramp = TempoMap(
        48_000, (TempoChange(1, Fraction(100)), TempoChange(7, Fraction(90), ramp=True), TempoChange(15, Fraction(120)))
    )
    with pytest.raises(InvalidSetting, match="leads out of its section"):
        rearranged_tempo(ramp, spans_between(SONG, laid_out([INTRO, CHORUS, VERSE])))


def test_changes_inside_a_section_are_asked_about_until_they_are_meant():
    tempo = TempoMap(
        48_000,
        (TempoChange(1, Fraction(100)), TempoChange(5, Fraction(90)), TempoChange(8, Fraction(96)),
         TempoChange(15, Fraction(100), ramp=True), TempoChange(17, Fraction(110))),
        (MeterChange(1, 4), MeterChange(6, 3), MeterChange(7, 4, meant=True)),
    )  # fmt: skip
    questions = changes_inside(tempo, SONG)
    assert [(question.bar, question.kind) for question in questions] == [(6, "meter"), (8, "tempo"), (15, "tempo")]
    assert "from 90 to 96 at bar 8, inside Verse: is it meant?" in questions[1].says
    assert "begins to move" in questions[2].says


def test_a_song_in_words():
    assert tempo_in_words(TempoMap.steady(104, rate_hz=48_000)) == "104 beats a minute, 4/4"
    assert tempo_in_words(TEMPO) == "90 to 120 beats a minute, 4/4 and 3/4"
