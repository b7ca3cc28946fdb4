import numpy as np
import pytest
from scipy.signal import firwin, upfirdn

from fatsignal.core.clip import Clip
from fatsignal.core.level.peak import crest_db, extent_of, flat_top_runs, flat_tops, peak_dbfs, rms_dbfs
from fatsignal.core.level.report import di_advice, measure_level, played_average_dbfs
from fatsignal.core.level.true_peak import true_peak_dbtp
from tests.signals import FS, noise, sine


def test_a_full_scale_sine_has_rms_minus_3_01_and_crest_3_01():
    """Root of one half, by formula."""
    signal = sine(1000.0)
    assert rms_dbfs(signal) == pytest.approx(-3.0103, abs=1e-4)
    assert crest_db(signal) == pytest.approx(3.0103, abs=1e-4)


def faded(signal):
    """Without hard ends: the wave between the samples overshoots where a sine begins at once."""
    ramp = np.minimum(1.0, np.arange(len(signal)) / 2000)
    return signal * ramp * ramp[::-1]


@pytest.mark.parametrize("phase_deg", [0.0, 45.0, 60.0, 67.5])
def test_true_peak_of_a_quarter_rate_sine_whatever_its_phase(phase_deg):
    """EBU Tech 3341, true-peak signals 15 to 18: half full scale at fs/4; tolerance +0.2/−0.4 dB of −6.02 dBTP."""
    time = np.arange(FS) / FS
    signal = 0.5 * np.sin(2 * np.pi * FS / 4 * time + np.radians(phase_deg))
    measured = true_peak_dbtp(faded(signal), rate_hz=FS)
    assert -6.02 - 0.4 <= measured <= -6.02 + 0.2


def test_true_peak_of_45_degrees_is_3_db_above_the_samples():
    """At fs/4 and 45° all samples lie at 0.7071 of the wave's peak: 3.01 dB."""
    signal = np.sin(np.pi / 2 * np.arange(FS) + np.pi / 4)
    assert peak_dbfs(signal) == pytest.approx(-3.0103, abs=1e-3)
    assert true_peak_dbtp(faded(signal), rate_hz=FS) == pytest.approx(0.0, abs=0.1)


def test_true_peak_does_not_depend_on_where_pieces_are_cut(monkeypatch):
    signal = faded(0.3 * noise(1, seed=5))
    whole = true_peak_dbtp(signal, rate_hz=FS)
    monkeypatch.setattr("fatsignal.core.level.true_peak._PIECE_FRAMES", 77)
    assert true_peak_dbtp(signal, rate_hz=FS) == pytest.approx(whole, abs=1e-9)


@pytest.mark.parametrize("rate_hz", [48_000, 192_000])
@pytest.mark.parametrize("frames", [1, 5, 30, 511, 512, 513, 5_000])
def test_true_peak_is_that_of_a_reference_interpolation(rate_hz, frames):
    """SciPy's polyphase filter with the same low-pass over all of the signal, nothing passed over."""
    factor = 8 if rate_hz <= 96_000 else 4
    low_pass = factor * firwin(24 * factor + 1, 0.98 / factor, window=("kaiser", 8.0))
    random = np.random.default_rng(frames)
    for signal in (random.normal(0, 0.1, frames), np.exp(-np.arange(frames) / 200) * random.normal(0, 0.3, frames)):
        highest = max(np.abs(signal).max(), np.abs(upfirdn(low_pass, signal, up=factor)).max())
        assert true_peak_dbtp(signal, rate_hz=rate_hz) == pytest.approx(20 * np.log10(highest), abs=1e-4)


@pytest.mark.parametrize("sign", [1, -1])
def test_flat_tops_are_told_at_their_first_frame(sign):
    signal = 0.2 * noise(1, seed=8)
    signal[[100, 101, 102, 30_000, 30_001, 30_002, 30_003]] = sign * 0.9
    signal[[5_000, 5_001]] = sign * 0.9
    assert flat_tops(signal) == [100, 30_000]
    assert flat_tops(np.full(10, sign * 0.9)) == [0]


def test_clipping_is_counted_once_a_crest():
    clipped = np.clip(1.5 * sine(100.0), -1.0, 1.0)
    # 100 positive and 100 negative crests in a second.
    assert flat_top_runs(clipped) == 200
    assert flat_top_runs(0.99 * sine(100.0)) == 0


def test_clipping_is_found_after_a_fader_turned_it_down_but_not_in_quiet_squares():
    clipped = np.clip(1.5 * sine(100.0), -1.0, 1.0)
    assert flat_top_runs(0.8 * clipped) == 200
    assert flat_top_runs(0.1 * np.sign(sine(100.0) + 1e-9)) == 0


def test_rests_say_nothing_about_the_average():
    played = 0.1 * sine(200.0)
    with_rests = np.concatenate([np.zeros(3 * FS), played, np.zeros(5 * FS)])
    assert played_average_dbfs(Clip.mono(with_rests, FS))[0] == pytest.approx(rms_dbfs(played), abs=0.05)


def test_silence_and_nothing_are_measured_without_an_error():
    for frames in (0, 1, FS):
        report = measure_level(Clip.mono(np.zeros(frames), FS))
        assert report.peak_dbfs == [-np.inf]
        assert report.flat_top_runs == [0]


@pytest.mark.parametrize(
    ("average", "peak", "flat", "expected"),
    [
        (-15.0, -6.5, 0, None),
        (-15.0, -2.0, 0, "turn the DI down 4 dB"),
        (-30.0, -20.0, 0, "turn the DI up 14 dB: a weak DI makes a thin simulation"),
        (-14.0, -1.0, 3, "flat tops: turn the DI down 11 dB, they cannot be undone"),
        (-np.inf, -np.inf, 0, "nothing arrived: check the cable and the input"),
    ],
)
def test_advice_says_by_how_much_to_turn_which_way(average, peak, flat, expected):
    """Aims of common practice, no source: average −18 to −12 dBFS, peak −6 dBFS; a flat top was 6 dB higher."""
    assert di_advice(average, peak, flat) == expected


@pytest.mark.parametrize("frames", [1, 2, 511, 512, 513, 537, 1024, 5_000])
def test_the_highest_point_between_samples_is_that_of_oversampling_everything(frames):
    """Against `scipy.signal.upfirdn` over all of it with the same filter: nothing that is passed over was higher.

    Loud at its very end, where the wave overshoots into what comes after.
    """
    signal = np.linspace(0.02, 0.2, frames) * noise(frames / FS, seed=frames)
    taps = 8 * firwin(24 * 8 + 1, 0.98 / 8, window=("kaiser", 8.0))
    between = np.abs(upfirdn(taps, signal, up=8)).max()
    expected = 20 * np.log10(max(between, np.abs(signal).max()))
    assert true_peak_dbtp(signal, rate_hz=FS) == pytest.approx(expected, abs=1e-4)


def test_the_extent_of_a_channel_is_what_numpy_finds():
    signal = 0.1 * noise(10_001 / FS, seed=3) + 0.01
    found = extent_of(signal)
    assert (found.highest, found.lowest) == (signal.max(), signal.min())
    assert found.direct_offset == pytest.approx(signal.mean(), abs=1e-15)
    assert found.average == pytest.approx(np.sqrt(np.mean(signal**2)), rel=1e-13)
    silence = extent_of(np.zeros(0))
    assert (silence.peak, silence.average, silence.direct_offset) == (0.0, 0.0, 0.0)
