"""What is heard out of a take: levels, decays, pitches; and takes in which nothing is played."""

import numpy as np
import pytest

from fatsignal.core.takes.notes import listen_to
from fatsignal.files.analysis_cache import load_analysis, save_analysis
from tests.core.takes.played import PARTS, played, strokes_of
from tests.signals import FS


@pytest.mark.parametrize("signal", [np.zeros(2 * FS), np.zeros(100), np.zeros(0), 1e-5 * np.ones(FS)])
def test_where_nothing_is_played_nothing_is_heard(signal):
    playing = listen_to(signal, rate_hz=FS)
    assert playing.strokes == 0
    assert playing.pitch_hz.shape == (0,)
    assert playing.level_db(0, FS) <= -90


def test_pitches_are_those_that_were_played():
    """Equal temperament from A4 = 440 Hz; the player is up to some cents off, the reading adds nothing."""
    signal, plucks, _ = played(PARTS["lead"], seed=11)
    playing = listen_to(signal, rate_hz=FS)
    read = playing.pitch_hz[np.isfinite(playing.pitch_hz)]
    assert len(read) >= 0.9 * len(strokes_of(plucks))
    notes = 69 + 12 * np.log2(read / 440)
    assert np.abs(notes - np.rint(notes)).max() < 0.12


def test_a_bass_rings_and_a_muted_string_dies():
    rings = listen_to(played(PARTS["bass"], seed=12)[0], rate_hz=FS)
    dies = listen_to(played(PARTS["muted"], seed=12)[0], rate_hz=FS)
    assert np.median(rings.body_db - rings.attack_db) > -3
    assert np.median(dies.body_db - dies.attack_db) < -4


@pytest.mark.parametrize("rate_hz", [44_100, 96_000])
def test_other_rates_are_heard_out_as_well(rate_hz):
    from scipy.signal import resample_poly

    signal, plucks, _ = played(PARTS["lead"], seed=13)
    up, down = (147, 160) if rate_hz == 44_100 else (2, 1)
    playing = listen_to(resample_poly(signal, up, down), rate_hz=rate_hz)
    struck = strokes_of(plucks) / FS
    heard = playing.frames / rate_hz
    assert np.mean([np.abs(heard - at).min() < 0.004 for at in struck]) > 0.95


def test_what_was_heard_is_kept_and_read_again(tmp_path):
    playing = listen_to(played(PARTS["lead"], seed=14)[0], rate_hz=FS)
    save_analysis(tmp_path / "a.npz", playing)
    again = load_analysis(tmp_path / "a.npz")
    np.testing.assert_array_equal(again.frames, playing.frames)
    np.testing.assert_allclose(again.pitch_hz, playing.pitch_hz)
    np.testing.assert_allclose(again.rise.clearness, playing.rise.clearness, atol=1e-6)
    assert load_analysis(tmp_path / "none.npz") is None
    (tmp_path / "broken.npz").write_bytes(b"PK nothing")
    assert load_analysis(tmp_path / "broken.npz") is None
