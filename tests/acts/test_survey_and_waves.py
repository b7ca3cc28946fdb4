"""Looking at what was recorded: long channels read again give what short ones give that are kept; waves come back."""

import numpy as np
import pytest

from fatsignal.acts import survey as room
from fatsignal.acts.survey import survey
from fatsignal.acts.waves import keep_wave, load_wave, make_wave
from fatsignal.core.clip import Clip
from fatsignal.core.level.report import measure_level
from fatsignal.core.level.waveform_peaks import coarser, columns
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused
from tests.files.test_material_files import FS, on_disk, recorded


@pytest.mark.parametrize("kept_frames", [10**9, 0])
def test_figures_checksums_and_waves_are_those_of_the_whole_file(tmp_path, monkeypatch, kept_frames):
    monkeypatch.setattr(room, "_KEPT_FRAMES", kept_frames)
    source, file, samples = recorded(tmp_path, 150_000)
    windows = [Window(1_000 + 20_000, 1_000 + 90_000), Window(1_000 + 100_001, 1_000 + 120_000)]
    found = survey(on_disk(source, file), windows=windows)
    heard = np.concatenate((samples[20_000:90_000], samples[100_001:120_000])).astype(np.float64)
    report = measure_level(Clip.mono(heard, FS))
    assert found.checks[0]["peak_dbfs"] == pytest.approx(report.peak_dbfs[0], abs=5e-4)
    assert found.checks[0]["true_peak_dbtp"] == pytest.approx(report.true_peak_dbtp[0], abs=5e-4)
    assert found.checks[0]["loudness_lufs"] == pytest.approx(report.loudness_lufs, abs=5e-4)
    assert found.checksums == [file.sha256]
    np.testing.assert_array_equal(found.waves, columns(samples[:, None].astype(np.float64)))


def test_a_file_with_samples_that_are_no_numbers_is_refused(tmp_path):
    import soundfile

    source, file, samples = recorded(tmp_path)
    samples[1_234] = np.inf
    soundfile.write(file.path, samples, FS, subtype="FLOAT")
    with pytest.raises(FileRefused, match="not finite numbers"):
        survey(on_disk(source, file))


@pytest.mark.parametrize("junk", [None, b"", b"junk", "cut", "pickle"])
def test_a_wave_that_is_gone_cut_or_junk_is_made_again_from_the_sound(tmp_path, junk):
    source, file, samples = recorded(tmp_path, 30_000)
    waves, sounds = tmp_path / "waves", on_disk(source, file)
    expected = columns(samples[:, None].astype(np.float64))
    kept = waves / f"{sounds.material.fingerprint}.npy"
    keep_wave(waves, sounds.material.fingerprint, expected)
    if junk is None:
        kept.unlink()
    elif junk == "cut":
        kept.write_bytes(kept.read_bytes()[:-50])
    elif junk == "pickle":
        np.save(kept, np.array([{"a": 1}], dtype=object), allow_pickle=True)
    else:
        kept.write_bytes(junk)
    assert load_wave(waves, sounds.material.fingerprint) is None
    assert make_wave(waves, sounds)
    np.testing.assert_array_equal(load_wave(waves, sounds.material.fingerprint), expected)
    coarse = load_wave(waves, sounds.material.fingerprint, frames_per_column=1_024)
    np.testing.assert_array_equal(coarse, coarser(expected, 4))


def test_a_wave_of_a_file_that_is_gone_cannot_be_made_and_says_so(tmp_path):
    source, file, _ = recorded(tmp_path)
    file.path.unlink()
    assert not make_wave(tmp_path / "waves", on_disk(source, file))


def test_a_disk_that_takes_no_waves_holds_nothing_up(tmp_path):
    (tmp_path / "waves").write_text("a file where the folder should be")
    keep_wave(tmp_path / "waves", "x", np.zeros((1, 4, 2), dtype=np.int8))
    assert load_wave(tmp_path / "waves", "x") is None
