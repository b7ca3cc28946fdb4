import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.level.depth import WordPacker
from fatsignal.core.level.waveform_peaks import coarser, columns
from tests.signals import noise, sine


def unpack24(data):
    raw = np.frombuffer(data, np.uint8).reshape(-1, 3).astype(np.int32)
    words = raw[:, 0] | raw[:, 1] << 8 | raw[:, 2] << 16
    return np.where(words >= 1 << 23, words - (1 << 24), words) / 2**23


def test_24_bits_have_the_noise_of_24_bits():
    """SNR of a full-scale sine is 6.02·N + 1.76 dB (formula): 146.2 dB at 24 bits."""
    signal = 0.9999 * sine(997.0)
    error = unpack24(WordPacker("24").pack(signal[:, None])) - signal
    snr_db = 10 * np.log10(np.mean(signal**2) / np.mean(error**2))
    assert snr_db == pytest.approx(6.02 * 24 + 1.76, abs=0.3)


def test_dither_takes_the_correlation_out_of_the_error():
    """Lipshitz, Wannamaker, Vanderkooy 1992: with TPDF the error's power is Δ²/4, whatever the signal."""
    step = 2.0**-15
    quiet = step / 3 * sine(1000.0, seconds=4)
    dithered = np.frombuffer(WordPacker("16").pack(quiet[:, None]), "<i2") * step
    error = dithered - quiet
    assert np.mean(error**2) == pytest.approx(step**2 / 4, rel=0.03)
    # Its tone is still there at its level, though it is below one step.
    found = 2 * np.mean(dithered * sine(1000.0, seconds=4))
    assert found == pytest.approx(step / 3, rel=0.05)
    assert not np.round(quiet / step).any()


def test_equal_audio_gives_equal_bytes_and_overload_is_clipped_not_wrapped():
    block = noise(0.1)[:, None]
    assert WordPacker("16").pack(block) == WordPacker("16").pack(block)
    assert unpack24(WordPacker("24").pack(np.array([[2.0], [-2.0]]))) == pytest.approx([1.0, -1.0], abs=1e-6)


@settings(max_examples=30, deadline=None)
@given(st.integers(1, 3000), st.integers(1, 7), st.integers(0, 99))
def test_columns_hold_every_sample_at_every_zoom(frames, factor, seed):
    samples = np.clip(0.4 * np.random.default_rng(seed).standard_normal((frames, 2)), -1, 1)
    fine = columns(samples, frames_per_column=64)
    coarse = coarser(fine, factor)
    assert fine.shape == (2, -(-frames // 64), 2)
    assert coarse[..., 1].max() == fine[..., 1].max() >= np.floor(127 * samples.max())
    assert coarse[..., 0].min() == fine[..., 0].min() <= np.ceil(127 * samples.min())


def test_a_faint_note_never_vanishes_from_the_drawing():
    assert columns(np.full((256, 1), 1e-4))[0, 0, 1] == 1
