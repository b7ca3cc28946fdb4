"""Files recorded elsewhere, several at once: kinds guessed by name, laid out by stamp, by sound or at a bar."""

import io
from datetime import datetime
from typing import Any
from uuid import uuid4

import numpy as np
import pytest
import soundfile

from fatsignal.core.takes.channel_names import guess_kinds, name_channels
from fatsignal.files.bext import BextChunk
from fatsignal.files.wave_writer import WaveWriter
from tests.applications import Application
from tests.signals import FS, plucks


@pytest.mark.parametrize(
    ("names", "kinds"),
    [
        (["gtr DI.wav", "gtr mic close.wav"], ["di", "mic"]),
        (["Take1_Direct.wav", "Take1_Cab.wav", "Take1_Room.wav"], ["di", "mic", "mic"]),
        (["bass-dry.flac", "bass-wet.flac"], ["di", "sim"]),
        (["GuitarDI.wav", "GuitarAmpSim.wav"], ["di", "sim"]),
        (["01.wav", "02.wav"], ["mic", "mic"]),
        (["clean.wav", "DI.wav"], ["di", "mic"]),
        (["anything.wav"], ["di"]),
    ],
)
def test_kinds_are_guessed_from_names_as_people_give_them(names, kinds):
    """Common practice in naming files, no source."""
    assert guess_kinds(names) == kinds


def test_channels_are_named_as_the_program_names_its_own():
    assert name_channels(["di", "mic", "mic", "sim"]) == ["DI", "mic A", "mic B", "sim"]


def upload(app: Application, files: dict[str, bytes], **fields: str) -> tuple[int, Any]:
    session = app.session
    fields = {"part_id": session["parts"][0]["id"], **fields}
    return app.upload(f"/api/sessions/{session['id']}/imports", files, **fields)


def as_file(samples: np.ndarray, rate_hz: int = FS) -> bytes:
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate_hz, format="WAV", subtype="FLOAT")
    return buffer.getvalue()


def stamped(tmp_path, samples, stamp):
    path = tmp_path / f"{uuid4()}.wav"
    note = BextChunk(description="x", originated_at=datetime(2026, 1, 1), time_reference_frames=stamp)
    with WaveWriter(path, rate_hz=FS, depth="32f", note=note) as writer:
        writer.write(samples[:, None])
    return path.read_bytes()


def channel(app, take, position):
    entry = take["channels"][position]
    return soundfile.read(app.data / "sessions" / take["folder"] / entry["file"])[0]


@pytest.fixture(scope="module")
def played():
    di = plucks(4.0)
    # A microphone hears it duller, 96 samples later.
    mic = np.convolve(di, np.hanning(24) / 12)[: len(di)]
    return di, np.concatenate((np.zeros(96), mic))[: len(di)]


def test_the_page_is_told_what_files_probably_hold(application):
    assert application.get("/api/imports/kinds?name=a%20DI.wav&name=a%20mic.wav") == ["di", "mic"]


def test_files_that_begin_together_become_one_time_locked_take_at_a_bar(application, played):
    di, mic = played
    files = {"x DI.wav": as_file(di), "x cab.wav": as_file(mic[:-1000])}
    status, take = upload(application, files, bar=3)
    assert status == 201, take
    assert [(each["name"], each["kind"]) for each in take["channels"]] == [("DI", "di"), ("mic A", "mic")]
    assert (take["first_bar"], take["frames"], take["said"]) == (3, len(di), "from 2 files, beginning together")
    np.testing.assert_allclose(channel(application, take, 0), di, atol=1e-6)
    second = channel(application, take, 1)
    np.testing.assert_allclose(second[:-1000], mic[:-1000], atol=1e-6)
    assert not second[-1000:].any()


def test_files_with_time_stamps_lie_where_these_say(application, played, tmp_path):
    di, mic = played
    files = {"y DI.wav": stamped(tmp_path, di, 500_000), "y mic.wav": stamped(tmp_path, mic, 500_480)}
    status, take = upload(application, files, placing="stamp")
    assert status == 201, take
    assert take["from_frame"] == 500_000
    assert take["frames"] == len(di) + 480
    np.testing.assert_allclose(channel(application, take, 1)[480:], mic, atol=1e-6)
    # Stamps of the time of day tell only how they lie against each other.
    noon = 12 * 3600 * FS
    files = {"z DI.wav": stamped(tmp_path, di, noon + 240), "z mic.wav": stamped(tmp_path, mic, noon)}
    status, take = upload(application, files, placing="stamp", bar=5)
    assert (status, take["first_bar"]) == (201, 5)
    np.testing.assert_allclose(channel(application, take, 0)[240:], di, atol=1e-6)


def test_files_are_laid_on_each_other_by_their_sound(application, played):
    """The microphone's file begins 0.7 s before the DI's; both then sound together again."""
    di, mic = played
    early = np.concatenate((np.zeros(round(0.7 * FS)), mic))
    status, take = upload(application, {"w DI.wav": as_file(di), "w mic.wav": as_file(early)}, placing="sound")
    assert status == 201, take
    one, other = channel(application, take, 0), channel(application, take, 1)
    assert len(one) == len(other) == take["frames"]
    begins = [int(np.argmax(np.abs(each) > 0.2 * np.abs(each).max())) for each in (one, other)]
    assert abs(begins[0] - begins[1]) < 200


def test_what_fits_is_found_time_stamps_else_sound_else_together(application, played, tmp_path):
    di, mic = played
    noise = 0.1 * np.random.default_rng(1).standard_normal(len(di))
    early = np.concatenate((np.zeros(round(0.7 * FS)), mic))
    late = np.concatenate((np.zeros(96), mic))[: len(mic)]
    for files, said in (
        ((stamped(tmp_path, di, 500_000), stamped(tmp_path, mic, 500_480)), "by their time stamps"),
        ((as_file(di), as_file(early)), "by their sound"),
        # Zeros are no time, and 2 ms are the way from the cabinet: they stay.
        ((stamped(tmp_path, di, 0), stamped(tmp_path, late, 0)), "beginning together"),
        ((as_file(di), as_file(noise)), "beginning together"),
    ):
        status, take = upload(application, dict(zip(("t DI.wav", "t mic.wav"), files, strict=True)), placing="fitting")
        assert (status, take["said"]) == (201, f"from 2 files, {said}")
        if "together" in said:
            assert take["frames"] == len(di)
            np.testing.assert_allclose(channel(application, take, 0), di, atol=1e-6)


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"kinds": "di,di"}, "a take has one DI"),
        ({"kinds": "di"}, "say of each of the 2 files"),
        ({"placing": "stamp"}, "has no time stamp"),
        ({"bar": 400}, "the song has bars 1 to 40"),
        ({"placing": "sideways"}, "placing"),
    ],
)
def test_what_cannot_be_one_take_is_refused_and_leaves_nothing(application, played, fields, says):
    di, mic = played
    before = sorted((application.data / "sessions").glob("*/*/Take *"))
    status, problem = upload(application, {"v DI.wav": as_file(di), "v mic.wav": as_file(mic)}, **fields)
    assert status == 422
    assert says in problem["detail"]
    assert sorted((application.data / "sessions").glob("*/*/Take *")) == before


def test_sounds_that_have_nothing_in_common_are_not_laid_on_each_other(application):
    random = np.random.default_rng(1)
    files = {"u DI.wav": as_file(plucks(3.0)), "u mic.wav": as_file(0.1 * random.standard_normal(3 * FS))}
    status, problem = upload(application, files, placing="sound")
    assert status == 422
    assert "alike enough" in problem["detail"] or "cannot be laid" in problem["detail"]
