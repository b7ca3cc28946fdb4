"""The song over HTTP: new sessions, tempo map, taps, sections, click, MIDI, backing tracks."""

import http.client
import io
import json

import mido
import numpy as np
import pytest
import soundfile
from websockets.sync.client import connect

from tests.signals import FS


def send_file(app, path, content, name):
    """POST one file as a form does."""
    boundary = "----boundary"
    head = f'--{boundary}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'
    body = head.encode() + content + f"\r\n--{boundary}--\r\n".encode()
    host, port = app.url.removeprefix("http://").split(":")
    connection = http.client.HTTPConnection(host, int(port), timeout=120)
    connection.request("POST", path, body, {"Content-Type": f"multipart/form-data; boundary={boundary}"})
    answer = connection.getresponse()
    return answer.status, json.loads(answer.read())


def fetch(app, path):
    host, port = app.url.removeprefix("http://").split(":")
    connection = http.client.HTTPConnection(host, int(port), timeout=60)
    connection.request("GET", path)
    answer = connection.getresponse()
    return answer.status, answer.read()


@pytest.fixture
def new(application):
    """A session of the test's own, with three sections."""
    name = f"Slow Ferry {len(application.get('/api/sessions'))}"
    status, session = application.send(
        "POST",
        "/api/sessions",
        {"name": name, "rate_hz": 48_000, "depth": "24", "tempo": "120", "reference_pitch_hz": 442},
    )
    assert status == 201, session
    sections = [{"name": n, "bars": b, "phrase_bars": 2} for n, b in (("Intro", 4), ("Verse", 8), ("End", 4))]
    status, changed = application.send("PUT", f"/api/sessions/{session['id']}/sections", {"sections": sections})
    assert status == 200, changed
    return changed["session"]


def tempo_of(session, **changes):
    body = {
        "tempos": [
            {"bar": t["bar"], "says": t["says"], "ramp": t["ramp"], "meant": t["meant"]} for t in session["tempos"]
        ],
        "meters": session["meters"],
        "song_bars": session["song_bars"],
    }
    return {**body, **changes}


def test_a_new_session_has_a_folder_that_a_person_recognises(application):
    body = {"name": "Lantern / Harbour?", "artist": "x", "rate_hz": 96_000, "depth": "32f", "tempo": "104,5"}
    status, session = application.send("POST", "/api/sessions", body)
    assert status == 201, session
    assert session["folder"] == "Lantern Harbour"
    assert (application.data / "sessions" / "Lantern Harbour").is_dir()
    assert session["tempos"][0]["says"] == "104.5"
    assert session["rate_hz"] == 96_000
    again = application.send("POST", "/api/sessions", body)[1]
    assert again["folder"] == "Lantern Harbour (2)"
    # The page opens the newest, or the one that it is asked for.
    assert application.get("/api/opening")["session"]["id"] == again["id"]
    assert application.get(f"/api/opening?session_id={session['id']}")["session"]["id"] == session["id"]


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"rate_hz": 47_000}, "a rate of 47000 Hz is not possible"),
        ({"tempo": "fast"}, '"fast" is not a tempo'),
        ({"tempo": "0"}, "outside 20 to 400"),
        ({"tempo": "1e9"}, "outside 20 to 400"),
        ({"beats_per_bar": 0}, "beats_per_bar"),
        ({"unit": 0}, "unit"),
        ({"name": "   "}, "needs a name"),
        ({"reference_pitch_hz": 20}, "reference_pitch_hz"),
    ],
)
def test_sessions_that_cannot_be_are_refused_with_a_sentence(application, changes, says):
    before = len(application.get("/api/sessions"))
    status, problem = application.send("POST", "/api/sessions", {"name": "x", **changes})
    assert status == 422
    assert says in problem["detail"]
    assert len(application.get("/api/sessions")) == before


def test_a_tempo_map_with_a_ramp_and_another_meter_is_kept_and_asks_about_a_section(application, new):
    tempos = [
        {"bar": 1, "says": "120"}, {"bar": 7, "says": "120", "ramp": True}, {"bar": 9, "says": "140"},
    ]  # fmt: skip
    meters = [{"bar": 1, "beats": 4, "unit": 4}, {"bar": 13, "beats": 7, "unit": 8}]
    status, session = application.send(
        "PUT", f"/api/sessions/{new['id']}/tempo", tempo_of(new, tempos=tempos, meters=meters)
    )
    assert status == 200, session
    assert [question["bar"] for question in session["questions"]] == [7]
    assert "inside Verse: is it meant?" in session["questions"][0]["says"]
    assert session["bar_bpm"][6] == 120
    assert 120 < session["bar_bpm"][7] < 140
    tempos[1]["meant"] = True
    session = application.send("PUT", f"/api/sessions/{new['id']}/tempo", tempo_of(new, tempos=tempos, meters=meters))[
        1
    ]
    assert session["questions"] == []
    beats = dict(
        zip(zip(session["beat_bars"], session["beat_numbers"], strict=True), session["beat_frames"], strict=True)
    )
    # Bars of 7/8 at 140 quarters a minute: seven eighths of 60/280 s.
    assert beats[15, 1] - beats[14, 1] == pytest.approx(7 * 60 / 280 * 48_000, abs=1)
    # 120 to 140 over eight quarters: the mean of both lengths of a quarter.
    assert beats[9, 1] - beats[7, 1] == pytest.approx(8 * (60 / 120 + 60 / 140) / 2 * 48_000, abs=1)


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"tempos": [{"bar": 1, "says": "fast"}]}, '"fast" is not a tempo'),
        ({"tempos": [{"bar": 2, "says": "100"}]}, "the first tempo must stand at bar 1"),
        ({"meters": [{"bar": 1, "beats": 0, "unit": 4}]}, "0 beats in a bar"),
        ({"meters": [{"bar": 1, "beats": 4, "unit": 3}]}, "has no such note"),
        ({"song_bars": 8}, "past the song's end at bar 8"),
        ({"song_bars": 10**9}, "is not possible"),
        ({"tempos": [{"bar": 1, "says": "100"}, {"bar": 90, "says": "90"}]}, "past the song's end"),
    ],
)
def test_tempo_maps_that_cannot_be_leave_the_song_as_it_was(application, new, changes, says):
    status, problem = application.send("PUT", f"/api/sessions/{new['id']}/tempo", tempo_of(new, **changes))
    assert status == 422
    assert says in problem["detail"]
    assert application.get(f"/api/sessions/{new['id']}") == new


def test_a_tempo_that_would_move_recorded_audio_asks_first_and_audio_stays(application):
    session = application.get("/api/sessions")[0]
    session = application.get(f"/api/sessions/{session['id']}")
    takes = application.get(f"/api/sessions/{session['id']}/takes")
    slower = [{"bar": 1, "says": "96"}]
    path = f"/api/sessions/{session['id']}/tempo"
    status, problem = application.send("PUT", path, tempo_of(session, tempos=slower))
    assert (status, problem["title"]) == (409, "Asks first")
    assert "audio stays where it is in samples" in problem["detail"]
    assert application.get(f"/api/sessions/{session['id']}")["tempos"] == session["tempos"]
    changed = application.send("PUT", path, tempo_of(session, tempos=slower, audio_stays=True))[1]
    frames = [(take["id"], take["from_frame"]) for take in takes]
    after = application.get(f"/api/sessions/{session['id']}/takes")
    assert [(take["id"], take["from_frame"]) for take in after] == frames
    one = session["beat_bars"].index(1)
    assert changed["beat_frames"][changed["beat_bars"].index(1)] == session["beat_frames"][one]
    # And back, which needs consent too.
    assert application.send("PUT", path, tempo_of(session))[0] == 409
    assert application.send("PUT", path, tempo_of(session, audio_stays=True))[0] == 200


def test_taps_give_a_tempo_with_its_uncertainty(application):
    random = np.random.default_rng(1)
    times = np.arange(9) * 60 / 104.2 + random.normal(0, 0.012, 9)
    status, found = application.send("POST", "/api/tap", {"times_s": times.tolist()})
    assert status == 200
    assert abs(found["bpm"] - 104.2) < 2 * found["uncertainty_bpm"]
    assert "±" in found["says"]
    assert found["whole_bpm"] == 104
    for times, says in (
        ([0.0], "one tap so far"), ([], "0 taps so far"), ([0.03 * n for n in range(40)], "held down"),
        ([0, 0.3, 2.9, 3.1, 5.4, 5.5, 9.0], "common beat"),
    ):  # fmt: skip
        status, problem = application.send("POST", "/api/tap", {"times_s": times})
        assert status == 422
        assert says in problem["detail"]


def test_sections_are_resized_and_reordered_with_their_tempo(application, new):
    path = f"/api/sessions/{new['id']}"
    tempos = [{"bar": 1, "says": "120"}, {"bar": 5, "says": "90"}, {"bar": 13, "says": "120"}]
    song = application.send("PUT", f"{path}/tempo", tempo_of(new, tempos=tempos))[1]
    intro, verse, end = song["sections"]
    changed = application.send("PUT", f"{path}/sections", {"sections": [intro, end, verse]})[1]["session"]
    assert [(s["name"], s["first_bar"]) for s in changed["sections"]] == [("Intro", 1), ("End", 5), ("Verse", 9)]
    assert [(t["bar"], t["says"]) for t in changed["tempos"]] == [(1, "120"), (9, "90")]
    longer = [*changed["sections"][:2], {**changed["sections"][2], "bars": 30}]
    changed = application.send("PUT", f"{path}/sections", {"sections": longer})[1]["session"]
    assert changed["song_bars"] == 38
    # The old list undoes it.
    undone = application.send("PUT", f"{path}/sections", {"sections": song["sections"]})[1]["session"]
    assert undone["sections"] == song["sections"]


@pytest.mark.parametrize(
    ("bars", "says"),
    [
        ([(1, 4), (3, 4)], "overlap"),
        ([(1, 4), (30, 8)], "past the song's end"),
        ([(0, 4)], "the first bar is 1"),
        ([(1, 0)], "0 bars"),
    ],
)
def test_sections_that_overlap_or_run_past_the_end_are_refused(application, new, bars, says):
    sections = [{"name": f"S{i}", "first_bar": first, "bars": n, "phrase_bars": 1} for i, (first, n) in enumerate(bars)]
    body = {"sections": sections, "one_after_the_other": False}
    status, problem = application.send("PUT", f"/api/sessions/{new['id']}/sections", body)
    assert status == 422
    assert says in problem["detail"]
    assert application.get(f"/api/sessions/{new['id']}") == new


def test_takes_go_with_their_section_and_come_back(application):
    session = application.get("/api/sessions")[0]["id"]
    path = f"/api/sessions/{session}"
    song = application.get(path)
    takes = {take["id"]: take for take in application.get(f"{path}/takes")}
    chorus = next(section for section in song["sections"] if section["name"] == "Chorus 1")
    others = [section for section in song["sections"] if section is not chorus]
    done = application.send("PUT", f"{path}/sections", {"sections": [chorus, *others]})[1]
    # Every take of the demonstration lies in one section: the intro's moves back by eight bars, the chorus to bar 1.
    assert done["moved_takes"] == len(takes)
    assert done["stayed_takes"] == []
    for take in application.get(f"{path}/takes"):
        assert take["first_bar"] == {1: 9, 13: 1}[takes[take["id"]]["first_bar"]]
    undone = application.send("PUT", f"{path}/sections", {"sections": song["sections"]})[1]
    assert undone["session"]["sections"] == song["sections"]
    assert {take["id"]: take for take in application.get(f"{path}/takes")} == takes


def test_the_click_is_that_of_the_settings_to_the_sample(application, new):
    settings = {
        **new["click"],
        "accent_dbfs": -20.0,
        "subdivision": 2,
        "roll_count_in_bars": 4,
        "play_count_in_bars": 2,
    }
    status, kept = application.send("PUT", f"/api/sessions/{new['id']}/click", settings)
    assert (status, kept) == (200, settings)
    beats = new["beat_frames"]
    first = new["beat_bars"].index(1)
    start, end = beats[first], beats[first + 8]
    status, wav = fetch(application, f"/api/sessions/{new['id']}/click.wav?from_frame={start}&to_frame={end}")
    assert status == 200
    click, rate_hz = soundfile.read(io.BytesIO(wav))
    assert (len(click), rate_hz) == (end - start, 48_000)
    assert click[0] == pytest.approx(0.1, abs=1e-4)
    assert click[beats[first + 1] - start] == pytest.approx(10 ** (-10 / 20), abs=1e-4)
    for wrong in ({"subdivision": 7}, {"accent_dbfs": 3}, {"roll_count_in_bars": 5}):
        assert application.send("PUT", f"/api/sessions/{new['id']}/click", {**settings, **wrong})[0] == 422


def test_the_song_goes_out_as_midi_and_comes_back_the_same(application, new):
    tempos = [{"bar": 1, "says": "104.2"}, {"bar": 5, "says": "90"}]
    meters = [{"bar": 1, "beats": 4, "unit": 4}, {"bar": 9, "beats": 6, "unit": 8}]
    song = application.send("PUT", f"/api/sessions/{new['id']}/tempo", tempo_of(new, tempos=tempos, meters=meters))[1]
    status, data = fetch(application, f"/api/sessions/{new['id']}/song.mid")
    assert status == 200
    file = mido.MidiFile(file=io.BytesIO(data))
    assert [message.text for message in file.tracks[0] if message.type == "marker"][:3] == ["Intro", "Verse", "End"]
    status, read = send_file(application, f"/api/sessions/{new['id']}/song.mid", data, "song.mid")
    assert status == 200, read
    assert [(t["bar"], t["says"]) for t in read["tempos"]] == [(1, "104.2"), (5, "90")]
    assert [(s["name"], s["first_bar"], s["bars"]) for s in read["sections"]] == [
        (s["name"], s["first_bar"], s["bars"]) for s in song["sections"]
    ]
    # It is a proposal: nothing is changed by reading.
    assert application.get(f"/api/sessions/{new['id']}") == song


def loop(bpm=100.0, seconds=24.0, rate_hz=44_100):
    """A drum loop with a known tempo: its first downbeat lies at half a second."""
    random = np.random.default_rng(3)
    out = np.zeros(round(seconds * rate_hz))
    time_s = np.arange(round(0.2 * rate_hz)) / rate_hz
    kick = 0.7 * np.sin(2 * np.pi * 55 * time_s) * np.exp(-time_s / 0.07)
    snare = 0.3 * random.standard_normal(len(time_s)) * np.exp(-time_s / 0.04)
    for beat in range(int((seconds - 1) * bpm / 60)):
        at = round((0.5 + beat * 60 / bpm) * rate_hz)
        hit = kick if beat % 4 in (0, 2) else snare
        out[at : at + len(hit)] += hit * (1.3 if beat % 4 == 0 else 1.0)
    return np.column_stack((out, out))


def as_file(samples, rate_hz):
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate_hz, format="WAV", subtype="PCM_16")
    return buffer.getvalue()


def test_a_backing_track_of_another_rate_is_placed_by_the_beat_that_was_heard(application, new):
    path = f"/api/sessions/{new['id']}"
    status, backing = send_file(application, f"{path}/backings", as_file(loop(), 44_100), "drums.wav")
    assert status == 201, backing
    assert backing["seconds"] == pytest.approx(24, abs=0.001)
    assert backing["pulse"]["bpm"] == pytest.approx(100, abs=0.3)
    assert backing["pulse"]["first_downbeat"] / 48_000 == pytest.approx(0.5, abs=0.01)
    bar_one = new["beat_frames"][new["beat_bars"].index(1)]
    assert backing["placed_frame"] == bar_one - backing["pulse"]["first_downbeat"]
    moved = application.send(
        "PUT", f"/api/backings/{backing['id']}/place", {"bar": 3, "frames_after": 17, "gain_db": -3}
    )[1]
    assert (moved["bar"], moved["beat"], moved["frames_after"], moved["gain_db"]) == (3, 1, 17, -3)
    dragged = application.send("PUT", f"/api/backings/{backing['id']}/pulse", {"first_downbeat": 30_000})[1]
    assert dragged["pulse"]["first_downbeat"] == 30_000
    tapped = application.send("PUT", f"/api/backings/{backing['id']}/pulse", {"near_bpm": 50})[1]
    assert tapped["pulse"]["bpm"] == pytest.approx(50, rel=0.02)
    # The song follows it: its bars fall on its downbeats.
    application.send("PUT", f"/api/backings/{backing['id']}/pulse", {"near_bpm": 100, "first_downbeat": 24_000})
    status, song = application.send("POST", f"/api/backings/{backing['id']}/follow", {})
    assert status == 200, song
    assert song["tempos"][0]["bpm"] == pytest.approx(100, abs=0.3)
    (placed,) = application.get(f"{path}/backings")
    ours = {frame for frame, beat in zip(song["beat_frames"], song["beat_numbers"], strict=True) if beat == 1}
    for downbeat in placed["pulse"]["beats"][::4]:
        assert min(abs(placed["placed_frame"] + downbeat - frame) for frame in ours) < 0.012 * 48_000
    assert fetch(application, placed["audio_url"])[0] == 200
    assert application.send("DELETE", f"/api/backings/{backing['id']}")[0] == 204
    assert application.get(f"{path}/backings") == []
    # Brought in, changed and removed: all of it can be undone, down to where it was not there yet, and its file stays.
    while (did := application.send("POST", f"{path}/undo")[1]["did"]) != "drums brought in":
        assert did, "the import is an act"
    assert application.get(f"{path}/backings") == []
    assert list((application.data / "sessions").glob(f"*/{'Backing'}/drums.wav"))
    application.send("POST", f"{path}/redo")
    assert [each["id"] for each in application.get(f"{path}/backings")] == [backing["id"]]


@pytest.mark.parametrize(
    ("content", "name", "says"),
    [
        (b"", "nothing.wav", "is empty"),
        (as_file(np.zeros((0, 2)), 48_000), "short.wav", "length is 0"),
        (as_file(np.zeros((FS, 2)), 48_000), "rest.wav", "nothing but silence"),
        (as_file(np.full((100, 3), 0.1), 48_000), "many.wav", "3 channels"),
        (b"MThd", "song.mid", "not a sound file"),
    ],
)
def test_backing_tracks_that_cannot_be_used_leave_nothing_behind(application, new, content, name, says):
    folder = application.data / "sessions" / new["folder"]
    status, problem = send_file(application, f"/api/sessions/{new['id']}/backings", content, name)
    assert status == 422
    assert says in problem["detail"]
    assert [path for path in folder.rglob("*") if path.is_file()] == []


def test_a_backing_track_of_twelve_hours_is_refused_by_its_header(application, new):
    """A FLAC whose STREAMINFO (RFC 9639, 8.2) says how long it is: the last 36 of its 64 bits from byte 18 on."""
    buffer = io.BytesIO()
    soundfile.write(buffer, np.zeros(8_000), 8_000, format="FLAC", subtype="PCM_16")
    data = bytearray(buffer.getvalue())
    told = int.from_bytes(data[18:26], "big")
    assert told & (2**36 - 1) == 8_000
    data[18:26] = (told - 8_000 + 12 * 3_600 * 8_000).to_bytes(8, "big")
    status, problem = send_file(application, f"/api/sessions/{new['id']}/backings", bytes(data), "night.flac")
    assert status == 422
    assert "12.0 hours long" in problem["detail"]


def test_what_the_computer_plays_becomes_a_backing_track(application, new):
    application.ready_to_roll()
    path = f"/api/sessions/{new['id']}"
    with connect(application.url.replace("http", "ws") + "/api/live") as live:
        status, answer = application.send("POST", f"{path}/playback", {"name": "Loop", "from_bar": 2, "bars": 8})
        assert status == 201, answer
        seen = []
        while not seen or seen[-1]["event"] not in ("backing", "check"):
            seen.append(json.loads(live.recv(timeout=60)))
    assert seen[-1]["event"] == "backing", seen[-1]
    (backing,) = application.get(f"{path}/backings")
    assert (backing["origin"], backing["bar"], backing["channels"]) == ("computer", 2, 2)
    assert backing["seconds"] == pytest.approx(16, abs=0.001)
    assert backing["pulse"]["bpm"] == pytest.approx(120, abs=0.3)
    folder = application.data / "sessions" / new["folder"] / "Backing"
    played, _ = soundfile.read(folder / "Loop.wav")
    # The first hit of the loop is on the first sample of bar 2.
    assert np.flatnonzero(np.abs(played).max(axis=1) > 1e-3)[0] < 10
