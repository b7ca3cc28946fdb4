"""A channel read later by a part of a sample, against sines that are late by the formula."""

import numpy as np
import pytest

from fatsignal.core.material.delayed import read_delayed


def sine(of_half_the_rate):
    def read(from_frame, frames):
        return np.sin(np.pi * of_half_the_rate * np.arange(from_frame, from_frame + frames))

    return read


@pytest.mark.parametrize("of_half_the_rate", [0.001, 0.1, 0.5, 0.8, 0.9])
@pytest.mark.parametrize("delay_frames", [0.01, 0.25, 0.5, 4.8, 35.5])
def test_a_sine_is_late_by_as_much(of_half_the_rate, delay_frames):
    got = read_delayed(sine(of_half_the_rate), delay_frames, 500, 2_000)
    expected = np.sin(np.pi * of_half_the_rate * (np.arange(500, 2_500) - delay_frames))
    assert 20 * np.log10(np.abs(got - expected).max()) < -80


def test_whole_frames_are_exact():
    samples = np.random.default_rng(3).standard_normal(4_000)
    got = read_delayed(lambda at, frames: samples[at : at + frames], 12.0, 100, 50)
    np.testing.assert_array_equal(got, samples[88:138])


def test_any_stretch_gives_the_same_samples():
    samples = np.random.default_rng(4).standard_normal(4_000)

    def read(at, frames):
        return samples[at : at + frames]

    whole = read_delayed(read, 3.3, 200, 1_000)
    pieces = [read_delayed(read, 3.3, at, frames) for at, frames in ((200, 1), (201, 499), (700, 500))]
    np.testing.assert_allclose(np.concatenate(pieces), whole, atol=1e-12)
