"""The song as the page is told it, its click, and every format of a hand-over."""

import io
import subprocess
import zipfile
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile

from tests.signals import FS
from tests.web.in_process import in_process, session_with_takes
from tests.web.test_api import raw


def click_of(app, from_frame, to_frame):
    path = f"/api/sessions/{app.session['id']}/click.wav?from_frame={from_frame}&to_frame={to_frame}"
    status, body, _ = raw(app, "GET", path)
    assert status == 200
    samples, rate_hz = soundfile.read(io.BytesIO(body))
    assert rate_hz == FS
    return samples


def test_the_click_falls_on_the_beats_that_the_page_draws(application):
    """104 beats a minute at 48 kHz: 60/104 · 48000 = 27692.3 frames; beats fall on rounded multiples of it."""
    session = application.session
    beats = session["beat_frames"]
    bar_one = beats[session["beat_bars"].index(1)]
    at = beats.index(bar_one)
    # Bar 1 lies on a whole frame, sixteen beats after the zero; every beat is rounded from there.
    assert bar_one == round(16 * 60 / 104 * FS)
    assert beats == [bar_one + round((number - at) * 60 / 104 * FS) for number in range(len(beats))]
    heard = click_of(application, bar_one, beats[at + 8])
    for number, beat in enumerate(beats[at : at + 8]):
        place = beat - bar_one
        assert abs(heard[place]) > 0.3, "a click starts on its very first sample"
        assert not heard[max(0, place - 2_000) : place].any() or number == 0
    accents = [np.abs(heard[beat - bar_one :][:200]).max() for beat in beats[at : at + 8]]
    assert accents[0] == accents[4] > 1.3 * max(accents[1:4])


def test_a_click_that_begins_between_beats_is_the_same_click(application):
    session = application.session
    start = session["beat_frames"][session["beat_bars"].index(1)]
    whole = click_of(application, start, start + 60_000)
    np.testing.assert_array_equal(click_of(application, start + 10_001, start + 60_000), whole[10_001:])
    path = f"/api/sessions/{session['id']}/click.wav?from_frame=0&to_frame={200 * FS}"
    assert raw(application, "GET", path)[0] == 422


def test_a_part_that_is_armed_is_the_one_that_opens(application):
    parts = application.get("/api/opening")["session"]["parts"]
    bass, first = next(part for part in parts if part["name"] == "Bass"), next(part for part in parts if part["armed"])
    address = f"/api/sessions/{application.session['id']}/parts"
    assert application.send("POST", f"{address}/{bass['id']}/arm")[0] == 204
    opening = application.get("/api/opening")
    assert [part["name"] for part in opening["session"]["parts"] if part["armed"]] == ["Bass"]
    assert opening["sheet"]["part_id"] == bass["id"]
    assert opening["sheet"]["missing_bars"] == 40
    application.send("POST", f"{address}/{first['id']}/arm")
    assert application.get("/api/opening")["sheet"]["part_id"] == first["id"]


@pytest.mark.parametrize(
    ("kind", "depth", "subtype", "step"),
    [("wav", "16", "PCM_16", 2.0**-15), ("wav", "24", "PCM_24", 2.0**-23), ("wav", "32f", "FLOAT", 2.0**-23),
     ("flac", "16", "PCM_16", 2.0**-15), ("flac", "24", "PCM_24", 2.0**-23)],
)  # fmt: skip
def test_every_format_of_a_hand_over_holds_the_recording(application, tmp_path, kind, depth, subtype, step):
    """libsndfile and `flac -t` as the readers; 24 bits come back as they were, 16 with dither."""
    take = next(take for take in application.takes() if take["origin"] == "rolled")
    recorded, _ = soundfile.read(application.data / "sessions" / take["folder"] / take["channels"][0]["file"])
    zipped = application.hand_over([f"channel-{take['id']}-0"], kind=kind, depth=depth, start="own")
    archive = zipfile.ZipFile(io.BytesIO(zipped))
    name = next(name for name in archive.namelist() if name.endswith(f".{kind}"))
    file = tmp_path / f"handed.{kind}"
    file.write_bytes(archive.read(name))
    assert soundfile.info(file).subtype == subtype
    if kind == "flac":
        subprocess.run(["flac", "-t", "-s", str(file)], check=True)
    handed, rate_hz = soundfile.read(file)
    assert (rate_hz, len(handed)) == (FS, len(recorded))
    worst = np.abs(handed - recorded).max()
    assert worst <= (1.5 * step if depth == "16" else 1e-9)


def test_flac_has_no_floating_point_and_a_thing_that_is_gone_is_said(application):
    take = application.takes()[0]
    parcels = f"/api/sessions/{application.session['id']}/parcels"
    impossible = {"kind": "flac", "depth": "32f", "items": [f"channel-{take['id']}-0"]}
    assert application.send("POST", parcels, impossible)[0] == 422
    status, refused = application.send("POST", parcels, {"items": [f"print-{take['id']}"]})
    assert status == 422
    assert "not there any more" in refused["detail"]
    assert application.send("GET", f"{parcels}/{take['id']}.zip")[0] == 404


async def test_a_zip_is_made_once_stopped_and_made_again_when_its_file_is_gone(tmp_path, database_url):
    """In one process: what was made is there at once; a file that somebody cleared away is made anew."""
    async with in_process(tmp_path, database_url) as client:
        session, _, (take_id,) = await session_with_takes(client)
        parcels = f"{session}/parcels"
        asked = {"items": [f"channel-{take_id}-0"]}
        made = (await client.post(parcels, json=asked)).json()
        assert (made["state"], made["files"], made["form"]) == ("done", 1, "WAV, 24-bit, all from zero")
        kept = tmp_path / "parcels" / f"{made['id']}.zip"
        first = kept.read_bytes()
        before_ns = kept.stat().st_mtime_ns
        assert (await client.post(parcels, json=asked)).json()["id"] == made["id"]
        assert kept.stat().st_mtime_ns == before_ns
        kept.unlink()
        assert (await client.get(made["url"])).status_code == 404
        assert (await client.post(parcels, json=asked)).json()["state"] == "done"
        assert zipfile.ZipFile(kept).testzip() is None
        assert len(kept.read_bytes()) == len(first)
        # Three more push the first out: its file goes when the next one is made.
        for depth, start in (("16", "own"), ("16", "song"), ("32f", "own"), ("32f", "song")):
            answer = (await client.post(parcels, json={**asked, "depth": depth, "start": start})).json()
            assert answer["state"] == "done"
        assert not kept.exists()
        assert len(list((tmp_path / "parcels").iterdir())) <= 4
        assert len((await client.get(parcels)).json()) == 3


async def test_a_zip_for_which_there_is_no_room_is_refused_before_it_is_written(tmp_path, database_url, monkeypatch):
    async with in_process(tmp_path, database_url) as client:
        session, _, (take_id,) = await session_with_takes(client)
        full = SimpleNamespace(total=10**12, used=10**12, free=1_000_000)
        monkeypatch.setattr("fatsignal.acts.hand_over.shutil.disk_usage", lambda _: full)
        made = (await client.post(f"{session}/parcels", json={"items": [f"channel-{take_id}-0"]})).json()
        assert made["state"] == "failed"
        assert "make room" in made["problem"]
        assert list((tmp_path / "parcels").iterdir()) == []
        # With room it is asked for again, and made.
        monkeypatch.undo()
        again = (await client.post(f"{session}/parcels", json={"items": [f"channel-{take_id}-0"]})).json()
        assert (again["id"], again["state"]) == (made["id"], "done")
