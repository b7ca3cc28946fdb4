"""Joins: a note is heard once, no attack is cut, and the sum stays as loud as its two sides."""

from pathlib import Path
from uuid import UUID

import numpy as np
import pytest
import soundfile

from fatsignal.core.comp.joins import find_joins, join_at
from fatsignal.core.comp.pieces import CompPiece
from fatsignal.core.comp.sound import material_of_pieces
from fatsignal.core.material.channels import Channel, Wanted
from fatsignal.core.material.material import Source
from fatsignal.core.material.reader import MaterialReader
from fatsignal.core.takes.windows import Window
from fatsignal.errors import SignalError
from tests.signals import FS, noise, plucks, sine

DI, MIC = Channel("di", "DI"), Channel("mic", "mic A")
GUITARS = sorted(Path("/usr/share/sonic-pi").rglob("guit_*.flac"))
HALF = FS // 4


def pluck(at_s, *, hz=110.0, seconds=0.5, level=0.5):
    """A note that begins suddenly and rings, with partials up to 6 kHz."""
    t = np.arange(round(seconds * FS)) / FS - at_s
    partials = sum(np.sin(2 * np.pi * hz * n * t + n) * np.exp(-(3 + n) * np.maximum(t, 0)) / n for n in range(1, 55))
    return level * np.where(t >= 0, partials, 0.0) + 1e-4 * noise(seconds, seed=round(at_s * 1000))


def best(before, after, *, wanted=HALF, first=0, last=2 * HALF):
    before, after = ({DI: each} if isinstance(each, np.ndarray) else each for each in (before, after))
    return find_joins(before, after, wanted=wanted, first=first, last=last, rate_hz=FS)[0]


def joined(before, after, point):
    """Both sides with the border that was found, as the reader plays it; shape (frames,) a channel."""
    samples = {UUID(int=1): before, UUID(int=2): after}
    frames = len(next(iter(before.values())))
    sources = {key: Source(id=key, fingerprint="", frames=frames, channels=tuple(before)) for key in samples}
    pieces = (
        CompPiece(take_id=UUID(int=1), take_frame=0, place=Window(0, point.frame)),
        CompPiece(take_id=UUID(int=2), take_frame=point.frame, place=Window(point.frame, frames), join=point.join),
    )
    material = material_of_pieces(UUID(int=3), pieces, sources, rate_hz=FS)

    class Read:
        def __init__(self, signal):
            self.signal = signal

        def read(self, from_frame, frames):
            padded = np.concatenate((np.zeros(max(0, -from_frame)), self.signal[max(0, from_frame) :]))
            return np.pad(padded, (0, frames))[:frames]

    reader = MaterialReader(
        material, lambda source, wanted: Read(samples[source.id][Channel(wanted.kinds[0], wanted.name)])
    )
    return {channel: reader.read(Wanted.exactly(channel), 0, frames) for channel in before}


@pytest.mark.parametrize("apart_s", [-0.03, -0.01, 0.0, 0.012, 0.04])
def test_a_note_that_both_play_is_heard_once(apart_s):
    """Wanted right on the stroke: the border goes before the earlier of the two."""
    before, after = pluck(0.25), pluck(0.25 + apart_s)
    point = best(before, after)
    assert point.frame + point.join.frames // 2 <= (min(0.25, 0.25 + apart_s) - 0.001) * FS
    assert point.verdict == "clean"


def test_the_note_on_the_wished_border_is_that_of_the_take_that_comes():
    """Quieter is it between the strokes, but whoever chooses a phrase wants its first note."""
    before, after = (
        sum(pluck(at_s + late_s, level=0.3) for at_s in (0.1, 0.25, 0.4)) for late_s in (0.0, 0.004)
    )  # fmt: skip
    point = best(before, after)
    assert point.frame + point.join.frames // 2 <= 0.25 * FS


def test_a_border_between_the_two_strokes_of_a_note_is_told_and_what_cuts_an_attack_too():
    before, after = {DI: pluck(0.25)}, {DI: pluck(0.29)}
    twice = join_at(before, after, frame=round(0.275 * FS), frames=96, rate_hz=FS)
    assert (twice.verdict, twice.join.look) == ("look", "a note would be heard twice, or not at all")
    cut = join_at(before, after, frame=round(0.255 * FS) - 500, frames=960, rate_hz=FS)
    assert (cut.verdict, cut.join.look) == ("look", "it cuts an attack")


def test_between_two_notes_it_goes_where_it_is_quiet():
    """A note that is damped after 150 ms, then silence: nobody hears a join there."""
    damped = pluck(0.05)
    damped *= np.interp(np.arange(len(damped)) / FS, [0.17, 0.2], [1.0, 1e-4])
    point = best(damped, np.roll(damped, 30), wanted=round(0.16 * FS))
    assert point.frame > 0.2 * FS
    assert point.apart_db < -20


def test_the_same_sound_is_joined_anywhere_and_stays_itself():
    signal = plucks(0.5)
    point = best(signal, signal.copy(), wanted=round(0.2 * FS))
    assert dict(point.join.alike)[DI] == pytest.approx(1.0)
    heard = joined({DI: signal}, {DI: signal}, point)[DI]
    np.testing.assert_allclose(heard[300:-300], signal[300:-300], atol=1e-12)


def test_strangers_cross_with_equal_power_and_every_channel_by_its_own_likeness():
    common = sine(200.0, seconds=0.5)
    one = {DI: noise(0.5, seed=1), MIC: common}
    other = {DI: noise(0.5, seed=2), MIC: common + 0.01 * noise(0.5, seed=3)}
    alike = dict(best(one, other).join.alike)
    assert abs(alike[DI]) < 0.2
    assert alike[MIC] > 0.98


def test_what_goes_on_in_phase_is_chosen_before_what_does_not():
    """Two tones of 110 and 113 Hz: within the reach they agree once; there the border lies."""
    one, other = sine(110.0, seconds=0.5), sine(113.0, seconds=0.5)
    found = best(one, other, wanted=round(0.22 * FS))
    middle = slice(found.frame - 480, found.frame + 480)
    assert np.corrcoef(one[middle], other[middle])[0, 1] > 0.8


def test_others_to_try_lie_elsewhere_and_are_no_better():
    points = find_joins({DI: plucks(0.5)}, {DI: plucks(0.5, seed=9)}, wanted=HALF, first=0, last=2 * HALF, rate_hz=FS)
    assert 3 <= len(points) <= 8
    assert [point.cost for point in points] == sorted(point.cost for point in points)
    frames = sorted(point.frame for point in points)
    assert min(np.diff(frames)) >= 0.008 * FS


@pytest.mark.parametrize(("first", "last"), [(HALF - 40, HALF + 40), (HALF - 1, HALF + 1), (0, 30)])
def test_no_crossfade_reaches_beyond_what_both_takes_have(first, last):
    point = best(plucks(0.5), plucks(0.5, seed=9), first=first, last=last)
    assert first <= point.frame - point.join.frames // 2
    assert point.frame + point.join.frames // 2 <= last


def test_silence_can_be_joined_and_what_cannot_is_said():
    silent = np.zeros(2 * HALF)
    assert best(silent, silent.copy()).verdict == "clean"
    assert best(plucks(0.5), silent).join.frames >= 2
    with pytest.raises(SignalError, match="no sample in common"):
        best(silent, silent, first=100, last=101)
    with pytest.raises(SignalError, match="no channel in common"):
        find_joins({DI: silent}, {MIC: silent}, wanted=HALF, first=0, last=2 * HALF, rate_hz=FS)
    with pytest.raises(SignalError, match="not finite"):
        best(silent, np.full(2 * HALF, np.nan))


@pytest.mark.skipif(not GUITARS, reason="Debian's sonic-pi-samples are not installed")
@pytest.mark.parametrize("seed", range(6))
def test_recorded_guitars_joined_with_themselves_elsewhere_keep_their_level(seed):
    """Openly licensed recordings (Debian's sonic-pi-samples), looped from two starts: no dip over 1 dB at the join."""
    random = np.random.default_rng(seed)
    samples, rate_hz = soundfile.read(GUITARS[seed % len(GUITARS)])
    samples = samples.mean(axis=1) if samples.ndim == 2 else samples
    looped = np.tile(samples, 1 + 2 * rate_hz // len(samples))
    starts = random.integers(0, len(looped) - rate_hz, 2)
    before, after = ({DI: looped[start : start + rate_hz]} for start in starts)
    (point, *_) = find_joins(before, after, wanted=rate_hz // 2, first=0, last=rate_hz, rate_hz=rate_hz)
    heard = joined(before, after, point)[DI]
    half = point.join.frames // 2
    inside = slice(point.frame - half, point.frame + half)
    sides = [side[DI][inside] for side in (before, after)]
    softest = min(np.sqrt(np.mean(side**2)) for side in sides)
    assert np.sqrt(np.mean(heard[inside] ** 2)) > softest * 10 ** (-1 / 20)
