"""Impulse responses of one's own: trimmed, brought to a rate, levelled, and convolved with."""

import hashlib

import numpy as np
import pytest
from scipy import signal

from fatsignal.core.tone.blocks import ImpulseResponse, ResponseFile, Trim
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import (
    Tone,
    check_responses,
    files_of,
    missing_of,
    parse_tone_file,
    with_responses,
)
from fatsignal.core.tone.impulse_response import Response, as_minimum_phase, bounds, prepared
from fatsignal.core.tone.render import render
from fatsignal.core.tone.response_shelf import look_on
from fatsignal.errors import ToneRefused
from tests.signals import FS, noise

AS_IT_IS = {"side": "both sides", "trimmed": True, "minimum_phase": False, "longest_s": 2.0}


@pytest.fixture
def shelf():
    """Responses that are there, by their checksums."""
    there = {}
    look_on(there.get)
    yield there
    look_on({}.get)


def named(name):
    return ResponseFile(sha256=hashlib.sha256(name.encode()).hexdigest(), name=name)


def put(shelf, samples, rate_hz=FS):
    """Under the checksum of what it holds, as a file lies on its shelf."""
    samples = np.asarray(samples, dtype=float)
    file = ResponseFile(sha256=hashlib.sha256(samples.tobytes()).hexdigest(), name="cab")
    shelf[file.sha256] = Response(rate_hz, samples.reshape(len(samples), -1))
    return file


def tone_of(*blocks):
    return Tone(name="t", blocks=list(blocks))


def ringing(rate_hz, *, frequency_hz=900.0, seconds=0.05):
    """A click through a resonance that means the same at every rate (impulse invariance)."""
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    return np.exp(-220 * t) * np.sin(2 * np.pi * frequency_hz * t) / rate_hz * 48_000


def power_db(response, rate_hz, at_hz):
    _, found = signal.freqz(response, worN=2 * np.pi * np.asarray(at_hz) / rate_hz)
    return 20 * np.log10(np.abs(found))


def test_it_is_the_convolution_with_the_file_as_scipy_has_it(shelf):
    response = np.random.default_rng(2).standard_normal(5000) * np.exp(-np.arange(5000) / 700)
    block = ImpulseResponse(file=put(shelf, response), trimmed=False)
    dry = noise(1.0)
    heard = render(ToneChain(tone_of(block), rate_hz=FS), dry)
    expected = signal.fftconvolve(dry, response)[: len(dry)]
    level = np.dot(heard, expected) / np.dot(expected, expected)
    np.testing.assert_allclose(heard, level * expected, atol=1e-9)


@pytest.mark.parametrize("side", ["both sides", "mixed to one", "left only", "right only"])
def test_its_level_over_the_octaves_of_a_cabinet_is_that_of_what_comes_in(shelf, side):
    rng = np.random.default_rng(4)
    response = rng.standard_normal((3000, 2)) * np.exp(-np.arange(3000) / 300)[:, None] * [7.0, 0.3]
    made = prepared(Response(44_100, response), rate_hz=FS, **{**AS_IT_IS, "side": side})
    at_hz = np.geomspace(90, 5600, 300)
    power = np.mean([10 ** (power_db(each, FS, at_hz) / 10) for each in made.channels])
    assert 10 * np.log10(power) == pytest.approx(0.0, abs=0.1)
    assert len(made.channels) == (2 if side == "both sides" else 1)


@pytest.mark.parametrize("rate_hz", [44_100, 96_000, 47_952, 192_000, 32_000])
def test_a_file_of_any_rate_sounds_as_one_of_the_sessions_own(rate_hz):
    """Against the same resonance sampled at 48 kHz, as far up as what each rate folds back is far below it."""
    at_hz = np.geomspace(100, 2_500, 60)
    own = prepared(Response(FS, ringing(FS)[:, None]), rate_hz=FS, **AS_IT_IS).channels[0]
    other = prepared(Response(rate_hz, ringing(rate_hz)[:, None]), rate_hz=FS, **AS_IT_IS).channels[0]
    np.testing.assert_allclose(power_db(other, FS, at_hz), power_db(own, FS, at_hz), atol=0.1)


@pytest.mark.parametrize("to_hz", [44_100, 88_200, 96_000, 192_000])
def test_it_sounds_the_same_at_every_rate_of_a_session(to_hz):
    at_hz = np.geomspace(60, 15_000, 60)
    rng = np.random.default_rng(9)
    file = Response(FS, (rng.standard_normal(2400) * np.exp(-np.arange(2400) / 200))[:, None])
    one, other = (prepared(file, rate_hz=rate, **AS_IT_IS).channels[0] for rate in (FS, to_hz))
    np.testing.assert_allclose(power_db(other, to_hz, at_hz), power_db(one, FS, at_hz), atol=0.2)


def test_silence_before_it_is_taken_off_and_the_sound_lies_where_the_dry_one_does(shelf):
    response = np.concatenate((np.zeros(3000), [1.0], np.zeros(500)))
    trimmed = ImpulseResponse(file=put(shelf, response))
    dry = noise(0.5)
    chain = ToneChain(tone_of(trimmed), rate_hz=FS)
    assert 0 < chain.latency_frames < 10
    heard = render(chain, dry)
    np.testing.assert_allclose(heard, dry * np.dot(heard, dry) / np.dot(dry, dry), atol=1e-6)
    as_it_is = render(ToneChain(tone_of(trimmed.model_copy(update={"trimmed": False})), rate_hz=FS), dry)
    np.testing.assert_allclose(as_it_is[3000:], heard[:-3000], atol=1e-6)
    assert np.abs(as_it_is[:3000]).max() < 1e-9


def test_minimum_phase_keeps_the_magnitudes_and_undoes_a_delay():
    """A filter of minimum phase, from `scipy.signal`, played late and backwards, becomes itself again."""
    sos = signal.butter(2, [120, 4000], "bandpass", fs=FS, output="sos")
    click = np.zeros(6000)
    click[0] = 1.0
    own = signal.sosfilt(sos, click)
    late = np.concatenate((np.zeros(400), own))[:6000]
    np.testing.assert_allclose(as_minimum_phase(late), own, atol=5e-4)
    backwards = own[::-1].copy()
    found = as_minimum_phase(backwards)
    np.testing.assert_allclose(found[:3000], own[:3000], atol=5e-4)
    at_hz = np.geomspace(60, 8000, 50)
    np.testing.assert_allclose(power_db(found, FS, at_hz), power_db(backwards, FS, at_hz), atol=0.1)
    assert np.argmax(np.cumsum(found**2) > 0.5 * np.sum(found**2)) < 40


def test_a_cut_is_faded_and_what_is_short_stays_whole():
    response = np.ones((48_000, 1)) * np.exp(-np.arange(48_000) / 9000)[:, None]
    short = prepared(Response(FS, response), rate_hz=FS, **{**AS_IT_IS, "longest_s": 0.1}).channels[0]
    assert len(short) == 4800
    assert abs(short[-1]) < 1e-4 * abs(short[0])
    assert (np.diff(np.abs(short)) <= 0).all()
    assert len(prepared(Response(FS, response[:300]), rate_hz=FS, **AS_IT_IS).channels[0]) == 300


def test_where_it_begins_and_ends():
    samples = np.zeros((1000, 1))
    samples[100], samples[105], samples[700], samples[800] = 0.009, 1.0, 1.1e-4, 0.9e-4
    assert bounds(samples) == (105, 701)
    assert bounds(np.zeros((10, 2))) == (0, 10)


def test_two_channels_make_one_stereo_and_each_side_has_its_own(shelf):
    left, right = np.zeros(200), np.zeros(200)
    left[0], right[60] = 1.0, 0.5
    block = ImpulseResponse(file=put(shelf, np.column_stack((left, right))), trimmed=False)
    chain = ToneChain(tone_of(block), rate_hz=FS)
    assert chain.channels_out == 2
    dry = noise(0.2)
    heard = chain.process(dry)
    np.testing.assert_allclose(heard[60:, 1], 0.5 * heard[:-60, 0], atol=1e-9)
    both = ToneChain(tone_of(block), rate_hz=FS, channels=2).process(np.column_stack((dry, 0 * dry)))
    np.testing.assert_allclose(both[:, 0], heard[:, 0], atol=1e-12)
    assert np.abs(both[:, 1]).max() == 0


def test_gain_and_mix_are_what_they_say(shelf):
    late = np.zeros(4000)
    late[2000] = 1.0
    file = put(shelf, late)
    dry = noise(0.3)
    wet = render(ToneChain(tone_of(ImpulseResponse(file=file, trimmed=False)), rate_hz=FS), dry)
    half = ImpulseResponse(file=file, trimmed=False, mix=0.25, gain_db=6.0)
    heard = render(ToneChain(tone_of(half), rate_hz=FS), dry)
    np.testing.assert_allclose(heard, 0.75 * dry + 0.25 * 10 ** (6 / 20) * wet, atol=1e-9)


def test_without_a_file_sound_goes_through_and_it_says_so():
    block = ImpulseResponse()
    dry = noise(0.1)
    np.testing.assert_allclose(ToneChain(tone_of(block), rate_hz=FS).process(dry), dry, atol=1e-12)
    assert block.values() == [("file", "none chosen")]


def test_a_missing_file_is_said_and_only_bypassed_it_goes_on(shelf):
    file = named("gone")
    block = ImpulseResponse(file=file)
    assert missing_of(tone_of(block)) == ["gone"]
    for ask in (lambda: ToneChain(tone_of(block), rate_hz=FS), lambda: check_responses(tone_of(block))):
        with pytest.raises(ToneRefused, match=r"impulse response gone .* is missing: bring in its file again"):
            ask()
    assert block.values() == [("file", "gone, missing")]
    assert block.curve().axis == "none"
    bypassed = tone_of(block.model_copy(update={"bypassed": True}), Trim())
    assert missing_of(bypassed) == []
    ToneChain(bypassed, rate_hz=FS)
    shelf[file.sha256] = Response(FS, np.array([[1.0], [0.5], [0.2]]))
    check_responses(tone_of(block))
    assert block.curve().axis == "frequency"
    # One that was there and is gone is not taken for one that is there.
    shelf.clear()
    with pytest.raises(ToneRefused):
        ToneChain(tone_of(block), rate_hz=FS)


def test_a_tone_goes_out_with_its_files_and_comes_in_again():
    content = b"RIFF, or whatever the file was"
    file = ResponseFile(sha256=hashlib.sha256(content).hexdigest(), name="room")
    tone = tone_of(ImpulseResponse(file=file), Trim())
    document = with_responses(tone.model_dump(mode="json"), {file.sha256: content}.get)
    assert list(document["responses"]) == [file.sha256]
    back, files = parse_tone_file(document)
    assert back == tone
    assert files == {file.sha256: content}
    assert list(files_of(back)) == [file]
    damaged = {**document, "responses": {file.sha256: document["responses"][file.sha256][:-8] + "AAAAAAA="}}
    with pytest.raises(ToneRefused, match="damaged: export the tone again"):
        parse_tone_file(damaged)
    with pytest.raises(ToneRefused, match="damaged: export the tone again"):
        parse_tone_file({**document, "responses": {file.sha256: "no base64 §"}})
    assert "responses" not in with_responses(tone.model_dump(mode="json"), {}.get)


@pytest.mark.parametrize("rate_hz", [44_100, 96_000, 47_952])
def test_a_file_of_another_rate_lies_in_time_and_tells_the_same_level(shelf, rate_hz):
    """A band-limited click at every rate: it lies on the dry sound to half a sample, and is as loud as it was."""
    late = np.zeros(6000)
    late[3000] = 1.0
    sos = signal.butter(4, 8_000, fs=rate_hz, output="sos")
    click = signal.sosfiltfilt(sos, late)
    dry = noise(0.5)
    chain = ToneChain(tone_of(ImpulseResponse(file=put(shelf, click, rate_hz))), rate_hz=FS)
    heard = render(chain, dry)
    own = signal.sosfiltfilt(signal.butter(4, 8_000, fs=FS, output="sos"), dry)
    lags = np.arange(-20, 21)
    matches = [np.dot(np.roll(heard, -lag)[100:-100], own[100:-100]) for lag in lags]
    # It begins where it is 40 dB below its peak, which is before the peak of a click that rings on both sides.
    begins = np.argmax(np.abs(click) >= np.abs(click).max() / 100)
    expected = (3000 - begins) * FS / rate_hz
    assert abs(lags[int(np.argmax(matches))] - expected) <= 0.6
    made = prepared(Response(rate_hz, click[:, None]), rate_hz=FS, **AS_IT_IS)
    assert made.own_level_db == pytest.approx(0.0, abs=0.3)
