"""The running application, asked over HTTP as its page asks it."""

import http.client
import io
import json
import os
import re
import zipfile
from concurrent.futures import ThreadPoolExecutor
from uuid import uuid4

import numpy as np
import pytest
import soundfile
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from fatsignal.core.timing.delay import align
from fatsignal.tones import shipped_tones
from tests.signals import FS, plucks


def raw(app, method, path, **headers):
    host, port = app.url.removeprefix("http://").split(":")
    connection = http.client.HTTPConnection(host, int(port), timeout=30)
    connection.putrequest(method, path, skip_host=True)
    for name, value in {"Host": f"{host}:{port}", "Content-Length": "0", **headers}.items():
        connection.putheader(name, value)
    connection.endheaders()
    answer = connection.getresponse()
    return answer.status, answer.read(), answer.headers


def upload(app, content, name="my di.wav", part=0):
    session = app.session
    boundary = "----boundary"
    body = (
        (
            f'--{boundary}\r\nContent-Disposition: form-data; name="part_id"\r\n\r\n{session["parts"][part]["id"]}\r\n'
            f'--{boundary}\r\nContent-Disposition: form-data; name="files"; filename="{name}"\r\n'
            "Content-Type: application/octet-stream\r\n\r\n"
        ).encode()
        + content
        + f"\r\n--{boundary}--\r\n".encode()
    )
    host, port = app.url.removeprefix("http://").split(":")
    connection = http.client.HTTPConnection(host, int(port), timeout=60)
    connection.request(
        "POST", f"/api/sessions/{session['id']}/imports", body,
        {"Content-Type": f"multipart/form-data; boundary={boundary}"},
    )  # fmt: skip
    answer = connection.getresponse()
    return answer.status, json.loads(answer.read())


def as_file(samples, rate_hz=FS, kind="WAV", subtype="PCM_24"):
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate_hz, format=kind, subtype=subtype)
    return buffer.getvalue()


def test_the_demonstration_is_there_with_takes_on_disk(application):
    session = application.session
    assert (session["name"], session["artist"]) == ("Copper Weather", "Moth Parade")
    assert session["tempo_words"] == "104 beats a minute, 4/4"
    # Four bars of room come before bar 1.
    assert session["beat_frames"][session["beat_bars"].index(1)] == round(16 * 60 * 48_000 / 104)
    takes = application.takes()
    assert len(takes) == 2
    for take in takes:
        folder = application.data / "sessions" / take["folder"]
        assert folder.parent.name == take["part_name"]
        for channel in take["channels"]:
            assert soundfile.info(folder / channel["file"]).frames == take["frames"]


def test_rolling_puts_a_take_on_disk_and_the_page_hears_of_it(application):
    application.ready_to_roll()
    session = application.session
    outro = session["sections"][-1]
    before = len(application.takes())
    with connect(application.url.replace("http", "ws") + "/api/live") as live:
        status, rolled = application.send("POST", f"/api/sessions/{session['id']}/roll", {"section_id": outro["id"]})
        assert status == 201, rolled
        seen = []
        while not seen or seen[-1]["event"] != "take":
            seen.append(json.loads(live.recv(timeout=60)))
    events = [message["event"] for message in seen]
    assert events.index("meters") < events.index("ended") < events.index("take")
    assert any(message.get("rolling") for message in seen if message["event"] == "state")
    takes = application.takes()
    assert len(takes) == before + 1
    take = next(take for take in takes if take["id"] == rolled["take_ids"][0])
    assert take["from_frame"] == rolled["from_frame"]
    assert (take["first_bar"], take["last_bar"], take["origin"]) == (37, 40, "rolled")
    assert take["frames"] == rolled["to_frame"] - rolled["from_frame"]


def test_roll_pressed_twice_is_one_roll(paced_application):
    app = paced_application
    app.ready_to_roll()
    session = app.session
    body = {"section_id": session["sections"][0]["id"]}
    roll = f"/api/sessions/{session['id']}/roll"
    app.wait_for(lambda: app.send("POST", roll, body)[0] == 201, what="the first roll")
    status, refusal = app.send("POST", roll, body)
    assert (status, refusal["title"]) == (409, "Cannot roll")
    assert "rolling already" in refusal["detail"]
    assert app.send("DELETE", roll)[0] == 204
    app.wait_for(lambda: len(app.takes()) == 3, what="the stopped take")


@pytest.mark.parametrize(
    ("path", "body", "status", "says"),
    [
        ("/api/sessions/{none}/roll", {"section_id": str(uuid4())}, 404, "there is no session"),
        ("/api/sessions/{session}/roll", {"section_id": str(uuid4())}, 404, "there is no section"),
        ("/api/sessions/{session}/roll", {}, 422, "choose a section, or a place in the song"),
        ("/api/sessions/x/roll", {"section_id": str(uuid4())}, 422, "valid"),
        ("/api/prints", {"material_id": str(uuid4()), "tone_revision_id": str(uuid4())}, 404, "there is no sound"),
        ("/api/tones", {"name": "x", "blocks": [{"kind": "flux"}]}, 422, "not valid at blocks.0"),
        ("/api/tones", {"name": "x", "blocks": [{"kind": "trim"}] * 10_000}, 422, "at most 32"),
    ],
)
def test_wrong_requests_get_a_problem_with_a_sentence(application, path, body, status, says):
    where = path.format(none=uuid4(), session=application.session["id"])
    found, problem = application.send("POST", where, body)
    assert (found, problem["status"]) == (status, status)
    assert says in problem["detail"]


def test_another_host_and_another_page_are_turned_away(application):
    own = application.url.removeprefix("http://")
    assert raw(application, "GET", "/api/sessions", Host="evil.example")[0] == 403
    assert raw(application, "GET", "/api/sessions", Host="127.0.0.1.evil.example")[0] == 403
    session = application.session["id"]
    roll = f"/api/sessions/{session}/roll"
    assert raw(application, "DELETE", roll, Origin="https://evil.example")[0] == 403
    assert raw(application, "GET", "/api/sessions", **{"Sec-Fetch-Site": "cross-site"})[0] == 403
    assert raw(application, "DELETE", roll, Origin=f"http://{own}")[0] == 204
    _, _, headers = raw(application, "GET", "/api/sessions")
    assert "default-src 'self'" in headers["content-security-policy"]


def test_a_live_socket_from_another_page_is_turned_away(application):
    address = application.url.replace("http", "ws") + "/api/live"
    with pytest.raises(InvalidStatus) as refusal:
        connect(address, origin="https://evil.example")
    assert refusal.value.response.status_code == 403
    with connect(address, origin=application.url) as live:
        assert json.loads(live.recv(timeout=5))["event"] == "state"


@pytest.mark.parametrize(
    ("kind", "subtype", "rate_hz"),
    [("WAV", "PCM_16", 44_100), ("FLAC", "PCM_24", 96_000), ("AIFF", "PCM_24", 48_000), ("OGG", "VORBIS", 22_050)],
)
def test_a_di_file_of_ones_own_becomes_a_take(application, kind, subtype, rate_hz):
    status, take = upload(
        application, as_file(plucks(2.0, rate_hz=rate_hz), rate_hz, kind, subtype), f"mine.{kind.lower()}"
    )
    assert status == 201, take
    assert (take["origin"], take["first_bar"], len(take["channels"])) == ("imported", 1, 1)
    assert abs(take["frames"] - 2 * FS) <= 1
    path = application.data / "sessions" / take["folder"] / take["channels"][0]["file"]
    back, rate = soundfile.read(path)
    assert rate == FS
    assert align(plucks(2.0), back, rate_hz=FS).delay_samples == pytest.approx(0, abs=1.0)


@pytest.mark.parametrize(
    ("content", "name", "says"),
    [
        (b"", "empty.wav", "empty.wav is empty"),
        (b"dear diary", "diary.wav", "diary.wav is not a sound file"),
        (as_file(np.zeros(FS)), "rest.wav", "nothing but silence"),
        (as_file(np.full(100, np.nan), subtype="FLOAT"), "nan.wav", "not finite numbers"),
        (as_file(np.zeros((10, 12)) + 0.1), "many.wav", "12 channels"),
        (b"junk", "..%2f..%2fetc%2fpasswd", "not a sound file"),
        (b"junk", "🎸" * 90 + ".wav", "not a sound file"),
    ],
)
def test_files_that_cannot_be_used_leave_nothing_behind(application, content, name, says):
    before = sorted((application.data / "sessions").rglob("*"))
    status, problem = upload(application, content, name)
    assert status == 422
    assert says in problem["detail"]
    assert sorted((application.data / "sessions").rglob("*")) == before


def test_waves_are_the_columns_of_the_recordings(application):
    first, second = application.takes()[:2]
    nobody = "00000000-0000-4000-8000-000000000000"
    query = f"id={first['id']}&id={nobody}&id={second['id']}&frames_per_column=1024"
    _, body, _ = raw(application, "GET", f"/api/waves?{query}")
    line, _, data = body.partition(b"\n")
    entries = json.loads(line)
    assert [entry["id"] for entry in entries] == [first["id"], second["id"]]
    sizes = [2 * entry["channels"] * entry["columns"] for entry in entries]
    assert sum(sizes) == len(data)
    columns = np.frombuffer(data[: sizes[0]], np.int8).reshape(entries[0]["channels"], entries[0]["columns"], 2)
    di, _ = soundfile.read(application.data / "sessions" / first["folder"] / first["channels"][0]["file"])
    assert columns[0, :, 1].max() == np.ceil(127 * di.max())
    assert columns.shape[1] == -(-first["frames"] // 1024)
    assert entries[0]["loudest"][0] == np.ceil(127 * np.abs(di).max())


def test_waves_that_are_gone_or_cut_are_made_again_and_one_without_its_sound_is_left_out(application):
    takes, session = application.takes(), application.session
    backings = application.get(f"/api/sessions/{session['id']}/backings")
    query = "&".join(f"id={each['id']}" for each in (*takes, *backings))
    before = raw(application, "GET", f"/api/waves?{query}")[1]
    folder = application.data / "waves"
    assert len(json.loads(before.partition(b"\n")[0])) == len(takes) + len(backings)
    for cut_to in (None, 100):
        for path in folder.glob("*.npy"):
            path.unlink() if cut_to is None else os.truncate(path, cut_to)
        # Two pages ask at once.
        with ThreadPoolExecutor(2) as pages:
            answers = list(pages.map(lambda _: raw(application, "GET", f"/api/waves?{query}"), range(2)))
        assert [(status, body == before) for status, body, _ in answers] == [(200, True)] * 2
    for path in folder.glob("*.npy"):
        path.unlink()
    recorded = application.data / "sessions" / takes[0]["folder"]
    recorded.rename(recorded.with_name("away"))
    left = json.loads(raw(application, "GET", f"/api/waves?{query}")[1].partition(b"\n")[0])
    recorded.with_name("away").rename(recorded)
    assert [each["id"] for each in left] == [each["id"] for each in (*takes[1:], *backings)]


def test_files_of_the_page_need_not_be_asked_for_twice(application):
    _, page, _ = raw(application, "GET", "/takes")
    script = re.search(r'src="(/assets/[^"]+\.js)"', page.decode())[1]
    status, _, headers = raw(application, "GET", script)
    assert status == 200
    assert "immutable" in headers["cache-control"]


def test_the_opening_tells_what_the_single_questions_tell(application):
    opening = application.get("/api/opening")
    address = f"/api/sessions/{opening['session']['id']}"
    part = next(part for part in opening["session"]["parts"] if part["armed"])
    assert opening["session"] == application.get(address)
    assert opening["sheet"] == application.get(f"{address}/sheet?part_id={part['id']}")
    assert opening["takes"] == application.get(f"{address}/takes")
    assert opening["prints"] == application.get(f"{address}/prints")


def test_a_print_is_rendered_compared_and_handed_over_in_place(application):
    take = next(take for take in application.takes() if take["origin"] == "rolled")
    tones = application.get("/api/tones")
    assert [tone["name"] for tone in tones] == [tone.name for tone in shipped_tones()]
    body = {"material_id": take["id"], "tone_revision_id": tones[0]["id"]}
    status, asked = application.send("POST", "/api/prints", body)
    assert status == 202, asked
    session = application.session["id"]

    def ready():
        prints = application.get(f"/api/sessions/{session}/prints")
        return next((p for p in prints if p["id"] == asked["id"] and p["state"] == "ready"), None)

    print_ = application.wait_for(ready, seconds=90, what="the print")
    wet, _ = soundfile.read(application.data / "sessions" / print_["file"])
    assert len(wet) == take["frames"]
    comparison = application.get(f"/api/takes/{take['id']}/comparison")
    sounds = {sound["name"]: sound for sound in comparison["sounds"]}
    assert {"DI", "mic A", "mic B", "Pale Lamp"} <= set(sounds)
    heard = [s["loudness_lufs"] + s["gain_db"] for s in sounds.values()]
    assert max(heard) - min(heard) < 0.01
    strip = application.get(f"/api/tones/{tones[0]['id']}/strip")
    assert next(block["kind"] for block in strip) == "preamp"


def test_all_files_of_a_hand_over_line_up(application):
    session = application.session
    take = next(take for take in application.takes() if take["origin"] == "rolled")
    keys = [
        item["key"]
        for item in application.get(f"/api/sessions/{session['id']}/hand-over")
        if item["group_id"] == take["id"]
    ]
    archives = {}
    for start in ("song", "own"):
        archives[start] = zipfile.ZipFile(io.BytesIO(application.hand_over(keys, start=start)))
        assert archives[start].testzip() is None
    names = archives["song"].namelist()
    assert f"Copper Weather/Baritone {take['number']:02d} - DI.wav" in names
    for name in (name for name in names if name.endswith(".wav")):
        whole, _ = soundfile.read(io.BytesIO(archives["song"].read(name)))
        own, _ = soundfile.read(io.BytesIO(archives["own"].read(name)))
        # From zero: as much silence as the place on the time line, then the recording, sample for sample.
        assert not whole[: take["from_frame"]].any()
        np.testing.assert_array_equal(whole[take["from_frame"] : take["from_frame"] + len(own)], own)
    about = archives["own"].read("Copper Weather/About these files.txt").decode()
    assert f"({take['from_frame']} samples)" in about


def test_the_bin_takes_and_gives_back(application):
    take = application.takes()[0]
    assert application.send("POST", f"/api/takes/{take['id']}/bin")[0] == 204
    assert next(t for t in application.takes() if t["id"] == take["id"])["binned"]
    assert (application.data / "sessions" / take["folder"] / take["channels"][0]["file"]).exists()
    assert application.send("DELETE", f"/api/takes/{take['id']}/bin")[0] == 204
    assert not next(t for t in application.takes() if t["id"] == take["id"])["binned"]
