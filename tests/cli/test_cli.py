import base64
import hashlib
import json

import numpy as np
import pytest
import soundfile
from scipy.signal import fftconvolve
from typer.testing import CliRunner

from fatsignal.cli import app
from tests.signals import FS, delayed, noise, plucks, sine

runner = CliRunner()


@pytest.fixture
def di(tmp_path):
    path = tmp_path / "my di.wav"
    soundfile.write(path, plucks(1.0), FS, subtype="PCM_24")
    return path


def test_analyse_prints_the_promised_document(tmp_path):
    path = tmp_path / "sine.wav"
    soundfile.write(path, np.column_stack([sine(997.0, seconds=3), 0.5 * sine(997.0, seconds=3)]), FS, subtype="FLOAT")
    result = runner.invoke(app, ["analyse", str(path), "--json"])
    assert result.exit_code == 0
    found = json.loads(result.stdout)
    assert list(found) == [
        "rate_hz", "channels", "frames", "peak_dbfs", "true_peak_dbtp", "rms_dbfs", "loudness_lufs", "crest_db", "dc",
        "flat_top_runs",
    ]  # fmt: skip
    assert (found["rate_hz"], found["channels"], found["frames"]) == (FS, 2, 3 * FS)
    assert found["peak_dbfs"] == pytest.approx([0.0, -6.02], abs=0.01)
    # Power adds: −3.01 and −9.03 LKFS are −2.04 together (BS.1770, front channels).
    assert found["loudness_lufs"] == pytest.approx(-2.04, abs=0.02)


def test_silence_is_null_in_json_not_an_error(tmp_path):
    path = tmp_path / "rest.wav"
    soundfile.write(path, np.zeros(FS), FS)
    found = json.loads(runner.invoke(app, ["analyse", str(path), "--json"]).stdout)
    assert found["peak_dbfs"] == [None]
    assert found["loudness_lufs"] is None


def test_align_prints_delay_and_polarity(tmp_path):
    source = 0.2 * noise(3)
    for name, signal in (("a", source), ("b", -delayed(source, 12.25))):
        soundfile.write(tmp_path / f"{name}.wav", signal, FS, subtype="FLOAT")
    result = runner.invoke(app, ["align", str(tmp_path / "a.wav"), str(tmp_path / "b.wav"), "--json"])
    found = json.loads(result.stdout)
    assert set(found) == {"delay_samples", "delay_ms", "path_difference_m", "polarity", "confidence"}
    assert found["delay_samples"] == pytest.approx(12.25, abs=0.05)
    assert found["polarity"] == -1


@pytest.mark.parametrize(
    ("options", "subtype", "rate_hz"),
    [
        ([], "PCM_24", FS),
        (["--depth", "16"], "PCM_16", FS),
        (["--depth", "32f"], "FLOAT", FS),
        (["--rate", "44100"], "PCM_24", 44_100),
    ],
)
def test_reamp_writes_what_was_asked_for(tmp_path, di, options, subtype, rate_hz):
    out = tmp_path / "wet.wav"
    result = runner.invoke(app, ["reamp", str(di), "--tone", "kiln", "--out", str(out), *options])
    assert result.exit_code == 0, result.output
    info = soundfile.info(out)
    assert (info.subtype, info.samplerate, info.frames) == (subtype, rate_hz, rate_hz)
    assert soundfile.read(out)[0].std() > 0.003


def test_a_file_of_unknown_voltage_is_told_as_it_plays_and_a_person_knows_better(tmp_path, di):
    outs = [tmp_path / f"{number}.wav" for number in range(3)]
    guessed = runner.invoke(app, ["reamp", str(di), "--tone", "foundry", "--out", str(outs[0])])
    assert "plays like a passive single coil of a six-string guitar at about" in guessed.stderr
    plain = tmp_path / "plain.json"
    plain.write_text('{"name": "Plain", "blocks": [{"kind": "trim", "gain_db": -12}]}')
    for out, volts in ((outs[1], "2"), (outs[2], "8")):
        told = runner.invoke(app, ["reamp", str(di), "--tone", str(plain), "--out", str(out), "--volts", volts])
        assert "plays like" not in told.stderr
    soft, hard = (soundfile.read(out)[0].std() for out in outs[1:])
    assert 20 * np.log10(hard / soft) == pytest.approx(12.04, abs=0.05)
    refused = runner.invoke(app, ["reamp", str(di), "--tone", "kiln", "--out", str(outs[0]), "--volts", "0"])
    assert refused.exit_code == 2
    assert "0 V for full scale cannot be: give 0.001 to 500 V" in refused.stderr


def test_several_files_go_to_a_folder_and_a_tone_may_be_a_file(tmp_path, di):
    second = tmp_path / "second.flac"
    soundfile.write(second, plucks(0.5, seed=9, rate_hz=44_100), 44_100)
    tone = tmp_path / "mine.json"
    tone.write_text('{"name": "Mine", "blocks": [{"kind": "trim", "gain_db": -6}]}')
    out = tmp_path / "wet"
    result = runner.invoke(
        app, ["reamp", str(di), str(second), "--tone", str(tone), "--out", str(out), "--quiet", "--volts", "3"]
    )
    assert result.exit_code == 0, result.output
    assert sorted(path.name for path in out.iterdir()) == ["my di - Mine.wav", "second - Mine.wav"]
    dry, wet = soundfile.read(di)[0], soundfile.read(out / "my di - Mine.wav")[0]
    np.testing.assert_allclose(wet, dry * 10 ** (-6 / 20), atol=2.0**-22)


def test_a_tone_brings_its_impulse_response_along_and_without_it_is_refused(tmp_path, di):
    """An echo of one click, after scipy's own convolution."""
    response = np.zeros(300)
    response[0], response[200] = 0.5, -0.25
    soundfile.write(tmp_path / "echo.wav", response, FS, subtype="FLOAT")
    content = (tmp_path / "echo.wav").read_bytes()
    sha256 = hashlib.sha256(content).hexdigest()
    document = {"name": "Echo", "blocks": [{"kind": "response", "file": {"sha256": sha256, "name": "echo"}}]}
    tone, out = tmp_path / "echo.json", tmp_path / "wet.wav"
    tone.write_text(json.dumps({**document, "responses": {sha256: base64.b64encode(content).decode()}}))
    done = runner.invoke(app, ["reamp", str(di), "--tone", str(tone), "--out", str(out), "--volts", "3"])
    assert done.exit_code == 0, done.output
    dry, wet = soundfile.read(di)[0], soundfile.read(out)[0]
    expected = fftconvolve(dry, response)[: len(dry)]
    np.testing.assert_allclose(wet, expected * np.dot(wet, expected) / np.dot(expected, expected), atol=2.0**-22)
    tone.write_text(json.dumps(document))
    refused = runner.invoke(app, ["reamp", str(di), "--tone", str(tone), "--out", str(tmp_path / "no.wav")])
    assert refused.exit_code == 2
    assert "the impulse response echo of the tone Echo is missing" in refused.stderr
    tone.write_text(json.dumps({**document, "responses": {sha256: base64.b64encode(content[:60]).decode()}}))
    damaged = runner.invoke(app, ["reamp", str(di), "--tone", str(tone), "--out", str(tmp_path / "no.wav")])
    assert "is damaged: export the tone again" in damaged.stderr


def test_folders_and_several_tones_give_a_file_each_and_what_is_there_is_kept(tmp_path, di):
    folder, out = tmp_path / "dry", tmp_path / "wet"
    folder.mkdir()
    for number in (1, 2):
        soundfile.write(folder / f"riff {number}.wav", plucks(0.3, seed=number), FS)
    (folder / "notes.txt").write_text("not a sound")
    quiet = tmp_path / "quiet.json"
    quiet.write_text('{"name": "Quiet", "blocks": [{"kind": "trim", "gain_db": -12}]}')
    asked = ["reamp", str(folder), "--tone", "kiln", "--tone", str(quiet), "--out", str(out)]
    first = runner.invoke(app, [*asked, "--volts", "3"])
    assert first.exit_code == 0, first.output
    names = ["riff 1 - Kiln.wav", "riff 1 - Quiet.wav", "riff 2 - Kiln.wav", "riff 2 - Quiet.wav"]
    assert sorted(path.name for path in out.iterdir()) == names
    # Again: refused, gone on with, written over.
    kept = (out / names[0]).read_bytes()
    refused = runner.invoke(app, asked)
    assert refused.exit_code == 2
    assert "exists already: choose another name, --replace to write over it, or --resume to go on" in refused.stderr
    (out / names[3]).unlink()
    (out / names[0]).write_bytes(b"mine")
    resumed = runner.invoke(app, [*asked, "--resume", "--volts", "3"])
    assert resumed.exit_code == 0, resumed.output
    assert "3 of 4 were there already" in resumed.stderr
    assert (out / names[0]).read_bytes() == b"mine"
    assert (out / names[3]).exists()
    assert runner.invoke(app, [*asked, "--replace", "--volts", "3"]).exit_code == 0
    assert (out / names[0]).read_bytes() == kept
    assert sorted(path.name for path in out.iterdir()) == names


def test_what_rings_after_the_end_is_kept_as_long_as_it_is_asked_for(tmp_path):
    dry = tmp_path / "short.wav"
    soundfile.write(dry, plucks(0.5), FS)
    tone = tmp_path / "rings.json"
    tone.write_text('{"name": "Rings", "blocks": [{"kind": "echo", "time_ms": 300, "feedback": 30, "wide": false}]}')
    lengths = []
    for number, tail in enumerate(("0", "0.4", "20")):
        out = tmp_path / f"{number}.wav"
        asked = ["reamp", str(dry), "--tone", str(tone), "--out", str(out), "--tail", tail, "--volts", "3"]
        assert runner.invoke(app, asked).exit_code == 0
        lengths.append(soundfile.info(out).frames)
    assert lengths[:2] == [FS // 2, FS // 2 + round(0.4 * FS)]
    # An echo that falls by 10 dB every 0.3 s is gone after some seconds.
    assert 2 * FS < lengths[2] < 8 * FS
    refused = runner.invoke(app, ["reamp", str(dry), "--tone", "kiln", "--out", "x.wav", "--tail", "90"])
    assert "a tail of 90 s is not kept: choose 0 to 30 s" in refused.stderr


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["analyse", "nowhere.wav"], "nowhere.wav cannot be opened"),
        (["reamp", "DI", "--tone", "Nosuch", "--out", "x.wav"], "there is no tone 'Nosuch'; there are Pale Lamp"),
        (["reamp", "DI", "--tone", "Kiln", "--out", "x.mp3"], "x.mp3 should end in .wav or .flac"),
        (["reamp", "DI", "--tone", "Kiln", "--out", "x.wav", "--rate", "0"], "a rate of 0 Hz is outside"),
        (["reamp", "DI", "--tone", "Kiln", "--out", "x.wav", "--depth", "12"], "choose 16, 24 or 32f"),
        (["reamp", "DI", "--tone", "Kiln", "--out", "x.wav", "--oversample", "3"], "choose 1, 2, 4 or 8"),
        (["reamp", "DI", "--tone", "Kiln", "--out", "DI"], "exists already"),
        (["reamp", "DI", "--out", "x.wav"], "say through which tone: --tone NAME, or --all"),
        (["reamp", "DI", "--all", "--tone", "Kiln", "--out", "x"], "--all is every tone: leave --tone out"),
        (["reamp", ".", "--tone", "Kiln", "--out", "x.wav", "--replace", "--resume"], "choose one"),
        (["reamp", "empty", "--tone", "Kiln", "--out", "x"], "in empty there is no sound file"),
        (["reamp", "DI", "--tone", "Kiln", "--out", "no/such/folder/x.wav"], "could not be used"),
        (["align", "DI", "README"], "not a sound file"),
    ],
)
def test_wrong_input_is_one_plain_sentence_and_status_2(tmp_path, di, arguments, says, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "README").write_text("dear diary")
    (tmp_path / "empty").mkdir()
    result = runner.invoke(app, [str(di) if word == "DI" else word for word in arguments])
    assert result.exit_code == 2
    assert says in result.stderr
    assert len(result.stderr.strip().splitlines()) == 1
    assert not (tmp_path / "x.wav").exists()


def test_tones_lists_what_there_is_with_its_use():
    plain = runner.invoke(app, ["tones"]).stdout.splitlines()
    assert len(plain) >= 32
    assert plain[0] == "Pale Lamp      clean, open chords"
    assert "Keel" in [tone["name"] for tone in json.loads(runner.invoke(app, ["tones", "--json"]).stdout)]
    assert "properties" in json.loads(runner.invoke(app, ["tones", "--schema"]).stdout)


def test_tune_lists_notes_with_string_and_cents(tmp_path):
    path = tmp_path / "strings.wav"
    rest = np.zeros(FS // 2)
    time_s = np.arange(FS) / FS
    fall = np.exp(-2 * time_s)
    low, high = (0.3 * fall * sum(sine(n * hz) / n for n in range(1, 8)) for hz in (82.407, 110.0 * 2 ** (10 / 1200)))
    soundfile.write(path, np.concatenate((rest, low, rest, high)), FS, subtype="PCM_24")
    result = runner.invoke(app, ["tune", str(path), "--tuning", "E2 A2 D3 G3 B3 E4", "--json"])
    assert result.exit_code == 0
    notes = json.loads(result.stdout)
    assert [(note["note"], note["string"]) for note in notes] == [("E2", 0), ("A2", 1)]
    assert set(notes[0]) == {"start_s", "length_s", "frequency_hz", "note", "string", "cents", "drift_cents"}
    assert notes[1]["cents"] == pytest.approx(10, abs=0.5)
    assert "string 2 from the lowest" in runner.invoke(app, ["tune", str(path), "--tuning", "E2 A2 D3 G3 B3 E4"]).stdout
    plain = json.loads(runner.invoke(app, ["tune", str(path), "--json"]).stdout)
    assert [note["string"] for note in plain] == [None, None]


def test_noise_tells_hum_from_hiss(tmp_path):
    path = tmp_path / "rest.wav"
    hum = 1e-3 * (sine(60, seconds=4) + 0.5 * sine(180, seconds=4)) + 1e-5 * noise(4.0)
    soundfile.write(path, hum, FS, subtype="FLOAT")
    (found,) = json.loads(runner.invoke(app, ["noise", str(path), "--playing", "-15", "--json"]).stdout)
    assert found["worst"] == "hum"
    assert found["mains_hz"] == pytest.approx(60, abs=0.1)
    assert found["below_playing_db"] == pytest.approx(-15 - found["floor_dbfs"])
    assert "turn yourself and the guitar" in runner.invoke(app, ["noise", str(path)]).stdout


def test_chord_gives_intervals_and_the_compromise():
    result = runner.invoke(app, ["chord", "--shape", "022100", "--shape", "x02210", "--alone", "1 6", "--json"])
    found = json.loads(result.stdout)
    assert len(found["shapes"][0]["intervals"]) == 15
    assert found["offsets_cents"][0] == found["offsets_cents"][5] == 0
    assert found["compromise"][0]["clash_cents"] < found["shapes"][0]["clash_cents"]
    plain = runner.invoke(app, ["chord", "--tuning", "B1 E2 A2 D3 F#3 B3", "--shape", "x02210"]).stdout
    assert "best compromise" in plain


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["tune", "nowhere.wav"], "no such file"),
        (["chord", "--shape", "x0221"], "has 5 strings and the tuning 6"),
        (["chord", "--shape", "hello"], "is not a chord shape"),
        (["chord", "--shape", "x02210", "--tuning", "H2"], "is no note"),
        (["chord", "--shape", "x02210", "--alone", "9"], "strings to leave alone"),
        (["chord", "--shape", "x02210", "--pitch", "20"], "outside 380 to 480"),
        (["noise", "nowhere.wav"], "no such file"),
    ],
)
def test_checks_refuse_with_one_sentence(arguments, says):
    result = runner.invoke(app, arguments)
    assert result.exit_code == 2
    assert says in result.stderr


def run(*arguments, code=0):
    result = runner.invoke(app, [str(each) for each in arguments])
    assert result.exit_code == code, result.output
    return result


def struck(path, beats, *, late_s=None, rate_hz=48_000):
    """Plucked notes at 120 beats a minute; `late_s` moves single ones: {index: seconds}."""
    from fatsignal.core.instrument.plucked_string import StringRunner, StringShape
    from fatsignal.core.instrument.string_event import StringEvent

    moved = late_s or {}
    events = []
    for index, beat in enumerate(beats):
        frame = round((0.5 * beat + moved.get(index, 0.0)) * rate_hz) + rate_hz // 10
        events += [
            StringEvent(frame, 110.0, 0.8, 4.0, 0.6, True),
            StringEvent(frame + rate_hz // 5, 110.0, 0.0, 0.05, 0.3, False),
        ]
    sound = 0.4 * StringRunner(StringShape(), events, rate_hz=rate_hz, seed=3).process(rate_hz * (len(beats) // 2 + 1))
    soundfile.write(path, sound, rate_hz, subtype="PCM_24")


def test_timing_lists_every_stroke_with_ms_early_or_late(tmp_path):
    struck(tmp_path / "a.wav", range(8), late_s={5: 0.03})
    done = run("timing", tmp_path / "a.wav", "--bpm", "120", "--first-beat", "0.1", "--json")
    found = json.loads(done.stdout)
    assert [round(onset["ms"]) for onset in found["onsets"]] == [0, 0, 0, 0, 0, 30, 0, 0]
    assert [(onset["bar"], onset["beat"]) for onset in found["onsets"]] == [
        (1, 1), (1, 2), (1, 3), (1, 4), (2, 1), (2, 2), (2, 3), (2, 4),
    ]  # fmt: skip
    assert found["subdivision"] == 1
    assert "8 strokes" in run("timing", tmp_path / "a.wav", "--bpm", "120", "--first-beat", "0.1").stdout


def test_check_holds_takes_against_each_other(tmp_path):
    for name in "abcd":
        struck(tmp_path / f"{name}.wav", range(12))
    struck(tmp_path / "e.wav", [beat for beat in range(12) if beat != 6])
    files = [tmp_path / f"{name}.wav" for name in "abcde"]
    found = json.loads(run("check", *files, "--bpm", "120", "--first-beat", "0.1", "--json").stdout)
    assert [take["file"] for take in found] == ["a.wav", "b.wav", "c.wav", "d.wav", "e.wav"]
    assert [finding["kind"] for finding in found[4]["findings"]] == ["missing"]
    assert abs(found[4]["findings"][0]["at_s"] - 3.1) < 0.05
    assert all(take["findings"] == [] for take in found[:4])


def test_wrong_clicks_and_mixed_rates_end_with_one_sentence(tmp_path):
    struck(tmp_path / "a.wav", range(4))
    struck(tmp_path / "b.wav", range(4), rate_hz=44_100)
    for arguments, says in (
        (("timing", tmp_path / "a.wav", "--bpm", "fast"), "is not a tempo"),
        (("timing", tmp_path / "a.wav", "--bpm", "120", "--first-beat", "-1"), "outside 0 to 3600"),
        (("check", tmp_path / "a.wav", tmp_path / "b.wav", "--bpm", "120"), "have to be of one rate"),
        (("check", tmp_path / "no.wav", "--bpm", "120"), "cannot be opened"),
    ):
        assert says in run(*arguments, code=2).output
