"""The commands stereo, spectrum and comb."""

import json

import numpy as np
import pytest
import soundfile
from typer.testing import CliRunner

from fatsignal.cli import app
from tests.signals import FS, delayed, noise

runner = CliRunner()


def run(*arguments):
    result = runner.invoke(app, [str(each) for each in arguments])
    assert result.exit_code == 0, result.output
    return json.loads(result.stdout) if "--json" in arguments else result.stdout


@pytest.fixture
def pair(tmp_path):
    source = 0.1 * noise(3, seed=1, rate_hz=44_100)
    path = tmp_path / "pair.flac"
    soundfile.write(path, np.column_stack((source, 0.5 * delayed(source, 44.1))), 44_100, subtype="PCM_24")
    return path


def test_stereo_tells_what_two_channels_do(pair):
    found = run("stereo", pair, "--json")
    assert found["level_difference_db"] == pytest.approx(-6.02, abs=0.01)
    assert found["delay_ms"] == pytest.approx(1.0, abs=1e-3)
    assert found["polarity"] == 1
    assert {"correlation", "mono_loss_db", "width", "image"} <= set(found)
    assert [band["name"] for band in found["bands"]] == ["boom", "body", "honk", "bite", "fizz"]
    said = run("stereo", pair)
    assert "left is 6.0 dB louder" in said
    assert "right is 1.000 ms later, the same polarity" in said


def test_spectrum_against_a_reference(pair, tmp_path):
    louder = tmp_path / "louder.wav"
    samples, _ = soundfile.read(pair)
    soundfile.write(louder, 2 * samples, 44_100, subtype="FLOAT")
    found = run("spectrum", louder, "--reference", pair, "--json")
    assert [band["difference_db"] for band in found["bands"]] == pytest.approx([6.02] * len(found["bands"]), abs=0.01)
    equal = [band["difference_at_equal_loudness_db"] for band in found["bands"]]
    assert equal == pytest.approx([0.0] * len(equal), abs=0.05)
    assert found["tilt_db_per_octave"] == pytest.approx(3.0, abs=0.3)
    assert found["bands"][17]["centre_hz"] == pytest.approx(1000.0)
    assert "at equal loudness" in run("spectrum", louder, "--reference", pair)


def test_comb_is_predicted():
    found = run("comb", "--delay-ms", 0.5, "--level-db", -6, "--json")
    assert found["notches_hz"][:2] == [1000.0, 3000.0]
    assert found["peaks_hz"][0] == 2000.0
    assert (found["notch_depth_db"], found["peak_db"]) == (pytest.approx(6.04, abs=0.01), pytest.approx(3.53, abs=0.01))
    assert "hollow by 6.0 dB at 1000, 3000" in run("comb", "--delay-ms", 0.5, "--level-db", -6)
    assert run("comb", "--delay-ms", 0.5, "--flipped", "--json")["notches_hz"][0] == 2000.0


@pytest.mark.parametrize(
    ("samples", "command", "sentence"),
    [
        (np.zeros((FS, 2)), "stereo", "both channels are silent"),
        (noise(0.5), "stereo", "has one channel: a stereo comparison needs two"),
        (np.zeros((FS, 3)), "stereo", "has 3 channels"),
        (np.zeros(FS), "spectrum", "is silent: there is nothing to measure"),
        (np.full((FS, 2), np.nan), "stereo", "not finite"),
    ],
)
def test_what_cannot_be_measured_is_one_plain_sentence(tmp_path, samples, command, sentence):
    path = tmp_path / "x.wav"
    soundfile.write(path, samples, FS, subtype="FLOAT")
    result = runner.invoke(app, [command, str(path)])
    assert result.exit_code == 2
    assert sentence in result.stderr
    assert len(result.stderr.strip().splitlines()) == 1


def test_a_delay_that_combs_nothing_is_refused():
    result = runner.invoke(app, ["comb", "--delay-ms", "-3"])
    assert result.exit_code == 2
    assert "give one from 0 to 1000 ms" in result.stderr
