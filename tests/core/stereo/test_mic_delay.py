"""Two microphones' delay, on open recordings of real guitars, with known fractional delays in noise."""

from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest
import soundfile
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.mics.microphone import MIC_KINDS, capsule_response
from fatsignal.core.stereo.mic_delay import mic_delay
from fatsignal.errors import SignalError
from tests.signals import FS, delayed, noise

GUITARS = sorted(Path("/usr/share/sonic-pi").rglob("guit_*.flac"))
SECONDS = 4


@lru_cache
def guitar(path: Path):
    """Four seconds of Debian's sonic-pi-samples (CC0), again from the beginning where they are shorter."""
    samples, rate_hz = soundfile.read(path, always_2d=True)
    samples = soxr.resample(samples[:, 0], rate_hz, FS)
    return np.tile(samples, 1 + SECONDS * FS // len(samples))[: SECONDS * FS]


def in_noise(signal, snr_db, seed):
    level = np.sqrt(np.mean(signal**2)) * 10 ** (-snr_db / 20)
    return signal + level * noise(len(signal) / FS, seed=seed)


@pytest.mark.parametrize(("snr_db", "most"), [(20, 0.05), (6, 0.15), (0, 0.3)])
@pytest.mark.parametrize("path", GUITARS, ids=lambda path: path.stem)
def test_known_delays_and_polarities_of_a_real_guitar_in_noise(path, snr_db, most):
    source = guitar(path)
    for seed, (frames, polarity) in enumerate(
        [(0.0, 1), (3.37, -1), (-7.81, 1), (21.5, -1), (-140.25, 1), (912.7, -1)]
    ):
        second = polarity * 0.6 * delayed(source, frames)
        found = mic_delay(in_noise(source, snr_db, seed), in_noise(second, snr_db, 50 + seed), rate_hz=FS)
        assert found.delay_samples == pytest.approx(frames, abs=most)
        assert found.polarity == polarity
        assert found.uncertainty_samples < most


def test_it_scatters_as_the_bound_of_cramer_and_rao_says():
    """Knapp and Carter 1976: white noise in white noise, whose coherence is 1/(1 + 1/snr)² at every frequency."""
    snr_db, errors, told = 0.0, [], []
    for seed in range(12):
        source = noise(1.0, seed=1000 + seed)
        first, second = (
            in_noise(each, snr_db, 2000 + 2 * seed + n) for n, each in enumerate((source, delayed(source, 5.3)))
        )
        found = mic_delay(first, second, rate_hz=FS)
        errors.append(found.delay_samples - 5.3)
        told.append(found.uncertainty_samples)
    # Of 60 Hz to 16 kHz: 2·T·∫(2πf/rate)²·C/(1−C) df, with C = 1/4.
    omega = 2 * np.pi * np.linspace(60, 16_000, 10_000) / FS
    bound = 1 / np.sqrt(2 * 1.0 * (16_000 - 60) * np.mean(omega**2) * (0.25 / 0.75))
    assert np.mean(told) == pytest.approx(bound, rel=0.25)
    assert np.sqrt(np.mean(np.square(errors))) < 2 * bound


def heard(path, kind, late, floor=0.0):
    """A guitar through a capsule, so many frames late, and from a floor."""
    size = 2 * SECONDS * FS
    spectrum = np.fft.rfft(guitar(path), size) * capsule_response(MIC_KINDS[kind], np.fft.rfftfreq(size, 1 / FS))
    through = np.fft.irfft(spectrum)[: SECONDS * FS]
    return delayed(through, late) + floor * delayed(through, late + 73.3)


@pytest.mark.parametrize("path", GUITARS, ids=lambda path: path.stem)
@pytest.mark.parametrize(
    "pair", [("coil", "condenser"), ("ribbon", "large condenser"), ("coil", "ribbon")], ids="-".join
)
@pytest.mark.parametrize("floor", [0.0, 0.4])
def test_other_capsules_and_a_floor_bend_it_by_less_than_half_a_sample(path, pair, floor):
    """Capsules are of minimum phase, and so is a reflection weaker than the direct sound (Oppenheim, Schafer)."""
    first, second = heard(path, pair[0], 0, floor), heard(path, pair[1], 13.4, floor)
    found = mic_delay(in_noise(first, 40, 1), in_noise(second, 40, 2), rate_hz=FS)
    assert found.delay_samples == pytest.approx(13.4, abs=0.25)
    assert found.polarity == 1
    assert 0.05 < found.uncertainty_samples < 0.5


@pytest.mark.parametrize("path", GUITARS[::2], ids=lambda path: path.stem)
@pytest.mark.parametrize("pair", [("coil", "condenser"), ("coil", "coil"), ("ribbon", "large condenser")])
def test_a_reflection_that_only_one_of_them_hears_bends_it_by_less_than_is_told(path, pair):
    first, direct = heard(path, pair[0], 0), heard(path, pair[1], 13.4)
    for later, gain in ((61, 0.35), (90, -0.3), (140, 0.4)):
        second = direct + gain * delayed(direct, later)
        found = mic_delay(in_noise(first, 40, 1), in_noise(second, 40, 2), rate_hz=FS)
        off = abs(found.delay_samples - 13.4)
        assert off < 0.4
        assert off < 2 * found.uncertainty_samples


@pytest.mark.parametrize("path", GUITARS[::2], ids=lambda path: path.stem)
def test_capsules_that_nobody_described_and_reflections_of_each_are_half_a_sample_off(path):
    """Falls of another steepness and shelves, which the fit does not know, seeded; a reflection of each its own."""
    random, errors = np.random.default_rng(7), []
    size = 2 * SECONDS * FS
    s = 2j * np.pi * np.fft.rfftfreq(size, 1 / FS)
    for case in range(4):

        def built():
            top, low = (2 * np.pi * random.uniform(*limits) for limits in ((9e3, 20e3), (300, 5_000)))
            fall = 1 / ((s / top) ** 2 + s / top / random.uniform(0.5, 0.9) + 1)
            shelf = (1 + s / low * 10 ** (random.uniform(-5, 5) / 20)) / (1 + s / low)
            echo = 1 + random.uniform(0, 0.2) * np.exp(-s / FS * random.uniform(40, 200))
            return np.fft.irfft(np.fft.rfft(guitar(path), size) * fall * shelf * echo)[: SECONDS * FS]

        frames = random.uniform(-30, 30)
        first, second = in_noise(built(), 40, case), in_noise(delayed(built(), frames), 40, 50 + case)
        found = mic_delay(first, second, rate_hz=FS)
        errors.append(found.delay_samples - frames)
        assert found.polarity == 1
    assert np.abs(errors).max() < 0.5


@settings(max_examples=20, deadline=None)
@given(st.floats(-200, 200), st.floats(0.05, 20), st.sampled_from([-1, 1]))
def test_exchanged_it_is_the_same_the_other_way(frames, gain, polarity):
    first, second = noise(0.5, seed=3), polarity * gain * delayed(noise(0.5, seed=3), frames)
    there, back = mic_delay(first, second, rate_hz=FS), mic_delay(second, first, rate_hz=FS)
    assert there.delay_samples == pytest.approx(frames, abs=0.02)
    assert back.delay_samples == pytest.approx(-frames, abs=0.02)
    assert there.polarity == back.polarity == polarity


def test_what_cannot_be_compared_is_said():
    with pytest.raises(SignalError, match="one of the two is silent"):
        mic_delay(noise(), np.zeros(FS), rate_hz=FS)
    with pytest.raises(SignalError, match="too few to compare"):
        mic_delay(noise(0.05), noise(0.05), rate_hz=FS)
    broken = noise()
    broken[77] = np.nan
    with pytest.raises(SignalError, match="not finite"):
        mic_delay(noise(), broken, rate_hz=FS)
