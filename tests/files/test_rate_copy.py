"""A second file at another rate, written while a print passes by."""

import numpy as np
import pytest
import soundfile

from fatsignal.files.rate_copy import copied_at
from tests.signals import sine


def blocks(samples, *, fails=False):
    for start in range(0, len(samples), 5000):
        if fails and start > 10_000:
            raise OSError("no space left")
        yield samples[start : start + 5000, None]


@pytest.mark.parametrize("to_hz", [44_100, 96_000])
def test_what_passes_is_handed_on_and_the_copy_is_the_same_tone(tmp_path, to_hz):
    dry = sine(997.0, peak=0.5, seconds=2.0)
    passed = np.concatenate(
        list(copied_at(tmp_path / "a.wav", blocks(dry), rate_hz=48_000, to_hz=to_hz, channels=1, depth="32f"))
    )
    np.testing.assert_array_equal(passed[:, 0], dry)
    copy, rate_hz = soundfile.read(tmp_path / "a.wav")
    assert (rate_hz, len(copy)) == (to_hz, 2 * to_hz)
    expected = sine(997.0, peak=0.5, seconds=2.0, rate_hz=to_hz)
    np.testing.assert_allclose(copy[2000:-2000], expected[2000:-2000], atol=1e-6)


def test_no_half_a_copy_is_left(tmp_path):
    path = tmp_path / "a.wav"
    dry = sine(997.0, seconds=1.0)
    with pytest.raises(OSError, match="no space"):
        list(copied_at(path, blocks(dry, fails=True), rate_hz=48_000, to_hz=96_000, channels=1, depth="24"))
    passing = copied_at(path, blocks(dry), rate_hz=48_000, to_hz=96_000, channels=1, depth="24")
    next(passing)
    assert path.exists()
    passing.close()
    assert not path.exists()
