"""What is said of a phrase as a whole, and of a string over the session: planted and found with its size."""

from dataclasses import replace

import numpy as np
import pytest

from fatsignal.core.takes.click_timing import against_click
from fatsignal.core.takes.findings import explained, in_words
from fatsignal.core.takes.judge import JudgedTake, judge
from fatsignal.core.takes.notes import listen_to
from fatsignal.core.takes.rests import noisy_rests, rest_dbfs
from fatsignal.core.takes.steadiness import steadiness
from fatsignal.core.takes.stroke_alignment import Performance
from fatsignal.core.takes.tuning_drift import NotePitch, pitches_of, tuning_drifts
from fatsignal.core.takes.windows import Window
from tests.core.takes.played import PARTS, TEMPO, heard, mistake, played
from tests.signals import FS, noise

PHRASE = Window(TEMPO.bar_frame(5), TEMPO.bar_frame(9))


def eighths(late_ms=0.0, drag_ms=0.0, scatter_ms=0.0, count=32):
    """Places of eighths within the phrase, late as a whole and later and later."""
    step = (PHRASE.to_frame - PHRASE.from_frame) / count
    off_ms = late_ms + np.linspace(-drag_ms / 2, drag_ms / 2, count)
    off_ms += np.random.default_rng(4).normal(0, scatter_ms, count) if scatter_ms else 0
    return np.round(PHRASE.from_frame + step * np.arange(count) + off_ms * FS / 1000).astype(int)


@pytest.mark.parametrize(
    ("late_ms", "drag_ms", "kind", "size"),
    [(32, 0, "behind", 32), (-30, 0, "ahead", -30), (0, 36, "drags", 36), (0, -40, "rushes", -40)],
)
def test_a_phrase_that_lies_off_the_click_is_told_with_its_size(late_ms, drag_ms, kind, size):
    (found,) = steadiness(against_click(eighths(late_ms, drag_ms, scatter_ms=3), TEMPO), PHRASE)
    assert (found.kind, found.at_frame, found.to_frame) == (kind, PHRASE.from_frame, PHRASE.to_frame)
    assert found.amount == pytest.approx(size, abs=4)
    assert found.says == f"{kind} {abs(round(found.amount))} ms"
    assert "click" in explained(found)


@pytest.mark.parametrize(("late_ms", "drag_ms", "scatter_ms"), [(0, 0, 6), (15, 0, 5), (0, 14, 5), (0, 26, 30)])
def test_a_hand_that_is_merely_human_is_left_alone(late_ms, drag_ms, scatter_ms):
    assert steadiness(against_click(eighths(late_ms, drag_ms, scatter_ms), TEMPO), PHRASE) == []


def test_of_a_few_strokes_nothing_is_said():
    assert steadiness(against_click(eighths(50, count=4), TEMPO), PHRASE) == []


def with_noise(seed, noise_dbfs):
    """A take of the bass line with rests, heard out with noise under it."""
    part = PARTS["rests"]
    signal, _, start = played(part, seed=seed)
    hiss = noise(len(signal) / FS, seed=seed)[: len(signal)]
    hiss *= 10 ** (noise_dbfs / 20) / np.sqrt(np.mean(hiss**2))
    return JudgedTake(listen_to(signal + hiss, rate_hz=FS), start, (part.span,))


def test_noise_between_the_notes_is_found_in_the_take_that_has_it():
    part = PARTS["rests"]
    levels = [-50.0, -75.0, -75.0, -76.0]
    takes = [with_noise(30 + index, level) for index, level in enumerate(levels)]
    rows = judge(takes, [part.span], TEMPO)
    (noisy,) = [each for each in rows[0][0].findings if each.kind == "noisy"]
    assert noisy.says == "noise between notes"
    # It is 25 dB louder where the others rest; of what rings on in them some is left.
    assert 12 < noisy.amount < 26
    assert not [each for row in rows[1:] for each in row[0].findings if each.kind == "noisy"]
    quiet = takes[0].playing
    at = part.span.from_frame - takes[0].from_frame
    assert rest_dbfs(quiet, at, at + part.span.frames) == pytest.approx(-50, abs=1.5)


def test_where_nobody_rests_nothing_is_said_of_noise():
    assert noisy_rests([-20.0, -45.0, -45.0], np.array([-18.0, -18.0, -18.0]), PHRASE) == [[], [], []]
    assert noisy_rests([-20.0, -60.0], np.array([-18.0, -18.0]), PHRASE) == [[], []]


def test_pitches_are_told_by_name_and_cents():
    part = PARTS["lead"]
    index = 11
    sharp = heard(part, seed=70, mistakes=(mistake("detuned", part, index, 20.0),))
    plain = heard(part, seed=70)
    at = TEMPO.quarter_frame(mistake("detuned", part, index).beat)

    def cents(take: Performance, reference_hz=440.0):
        notes = pitches_of(take, part.span, reference_hz=reference_hz)
        return min(notes, key=lambda note: abs(note.frame - at)).cents

    assert cents(sharp) - cents(plain) == pytest.approx(20, abs=3)
    # A4 at 442 Hz is 7.85 cents higher: 1200·log2(442/440).
    assert cents(plain, 442.0) - cents(plain) == pytest.approx(-7.85, abs=0.11)


def notes(*cents, midi_note=40):
    return [NotePitch(FS * index, midi_note, value) for index, value in enumerate(cents)]


def test_a_string_that_slips_over_the_session_is_found_with_its_cents():
    """Two cents flatter from take to take, among takes that scatter by one; the other string stays."""
    random = np.random.default_rng(6)
    takes = [
        [*notes(*(-2.0 * place + random.normal(0, 1, 5))), *notes(*random.normal(3, 1, 5), midi_note=45)]
        for place in range(8)
    ]
    (drift,) = tuning_drifts(takes)
    assert (drift.midi_note, drift.first, drift.last) == (40, 0, 7)
    assert drift.cents == pytest.approx(-14, abs=2)


def test_one_take_off_or_a_note_played_rarely_is_no_drift():
    takes = [notes(0, 1, -1), notes(0, 0, 1), notes(22, 21, 23), notes(1, 0, 0), notes(0, -1, 0)]
    assert tuning_drifts(takes) == []
    assert tuning_drifts([notes(0), notes(10), notes(20), notes(30)]) == []
    assert tuning_drifts([notes(0, 0, 0), notes(20, 20, 20)]) == []
    assert tuning_drifts([]) == []


def test_takes_of_a_steady_instrument_do_not_drift_and_a_slipping_string_does():
    part = PARTS["bass"]
    span = part.span
    steady = [pitches_of(heard(part, seed=seed), span, reference_hz=440.0) for seed in range(90, 95)]
    assert tuning_drifts(steady) == []
    slipping = [
        [
            replace(note, cents=note.cents - 4 * place) if note.midi_note == steady[0][0].midi_note else note
            for note in take
        ]
        for place, take in enumerate(steady)
    ]
    (drift,) = tuning_drifts(slipping)
    # Each note is fretted within 3 cents; the medians of a few scatter by half of it.
    assert drift.cents == pytest.approx(-16, abs=5)


def test_the_words_are_few():
    for kind in ("behind", "ahead", "drags", "rushes", "noisy"):
        assert len(in_words(kind, 31.0).split()) <= 3


def test_the_drift_is_the_median_of_all_slopes_not_the_line_from_the_first_to_the_last():
    """A single take that is off bends nothing, at either end (the robustness that Sen 1968 shows)."""

    def take(cents):
        return [NotePitch(frame, 45, cents) for frame in range(4)]

    steady = [take(cents) for cents in (0, 0.4, -0.3, 0.2, 0, -0.2, 0.3)]
    assert tuning_drifts([*steady, take(30)]) == []
    assert tuning_drifts([take(30), *steady]) == []
    # A string that slips is told as far as it slips, though the last take is off.
    (drift,) = tuning_drifts([*(take(-2.0 * place) for place in range(8)), take(4)])
    assert drift.cents == pytest.approx(-16, abs=1)
