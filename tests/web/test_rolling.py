"""Rolling, punching and hearing, through the running application."""

import json
import struct
import time

import numpy as np
import pytest
import soundfile
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from fatsignal.core.timing.click import ClickSettings, render_click
from fatsignal.core.timing.tempo import TempoMap
from tests.signals import FS

pytestmark = pytest.mark.realtime

HEADER = struct.Struct("<IIq")


@pytest.fixture(scope="module")
def song(application):
    application.ready_to_roll()
    return application.session


@pytest.fixture
def path(song):
    return f"/api/sessions/{song['id']}"


def settings(application, path, **changes):
    status, kept = application.send("PUT", f"{path}/roll/settings", changes)
    assert status == 200, kept
    return kept


def roll(application, path, where="roll", **body):
    return application.wait_for(
        lambda: (answer := application.send("POST", f"{path}/{where}", body))[0] == 201 and answer[1], what="the roll"
    )


def take(application, path, take_id):
    return application.wait_for(
        lambda: next((each for each in application.get(f"{path}/takes") if each["id"] == take_id), None),
        what="the take",
    )


def wait_for_state(app, wanted):
    """Listen to the live socket until a state is told that is as wanted."""
    with connect(app.url.replace("http", "ws") + "/api/live") as live:
        while True:
            message = json.loads(live.recv(timeout=30))
            if message["event"] == "state" and wanted(message):
                return


def test_settings_are_kept_and_windows_come_out_in_order(application, song, path):
    start = song["beat_frames"][song["beat_bars"].index(5)]
    windows = [
        {"from_frame": start + 9000, "to_frame": start + 12000}, {"from_frame": start, "to_frame": start + 9000},
    ]  # fmt: skip
    kept = settings(application, path, way="windows", windows=windows, pre_roll_bars=2)
    assert kept["windows"] == [{"from_frame": start, "to_frame": start + 12000}]
    assert application.get(f"{path}/roll/settings") == kept
    settings(application, path)


@pytest.mark.parametrize(
    ("wanted", "says"),
    [
        ({"way": "loop", "loop_bar": 38, "loop_bars": 8}, "runs past the song's end at bar 40"),
        ({"windows": [{"from_frame": 0, "to_frame": 100}]}, "outside the song"),
        ({"windows": [{"from_frame": 900_000, "to_frame": 900_000}]}, "outside the song"),
        ({"way": "sideways"}, "way"),
        ({"pre_roll_bars": 99}, "pre_roll_bars"),
    ],
)
def test_settings_that_lead_nowhere_are_refused_with_a_sentence(application, path, wanted, says):
    status, problem = application.send("PUT", f"{path}/roll/settings", wanted)
    assert status in (409, 422)
    assert says in problem["detail"]


def test_rolling_past_windows_uses_them_and_keeps_the_rest(application, song, path):
    start = song["beat_frames"][song["beat_bars"].index(6)]
    bar = song["beat_frames"][song["beat_bars"].index(7)] - start
    windows = [
        {"from_frame": start, "to_frame": start + bar // 2},
        {"from_frame": start + bar, "to_frame": start + 2 * bar},
    ]
    settings(application, path, way="windows", windows=windows, pre_roll_bars=1, post_roll_bars=1)
    started = roll(application, path)
    found = take(application, path, started["take_ids"][0])
    assert found["windows"] == windows
    assert found["from_frame"] <= start - 2 * bar + 1
    assert found["from_frame"] + found["frames"] >= start + 3 * bar - 1
    # The bars that are used are heard of the sheet; others of the same section stay missing.
    sheet = application.get(f"{path}/sheet?part_id={found['part_id']}")
    bars = {entry["number"]: entry["take_id"] for line in sheet["lines"] for entry in line["bars"]}
    assert bars[7] == found["id"]
    assert bars[6] != found["id"]
    settings(application, path)


def test_windows_mode_without_a_window_says_what_to_do(application, path):
    settings(application, path, way="windows")
    status, problem = application.send("POST", f"{path}/roll", {})
    assert (status, "drag one over bars" in problem["detail"]) == (422, True)
    settings(application, path)


def test_rolling_from_anywhere_goes_on_to_the_end_of_the_song(application, song, path):
    start = song["beat_frames"][song["beat_bars"].index(39)] + 12_345
    found = take(application, path, roll(application, path, from_frame=start)["take_ids"][0])
    end = song["beat_frames"][song["beat_bars"].index(40)]
    assert found["windows"][0]["from_frame"] == start
    assert found["windows"][0]["to_frame"] > end
    assert (found["first_bar"], found["last_bar"]) == (39, 40)
    status, problem = application.send("POST", f"{path}/roll", {"from_frame": 10**9})
    assert (status, "bars 1 to 40" in problem["detail"]) == (422, True)


def test_a_loop_makes_a_take_of_every_pass_while_it_rolls(paced_application):
    app = paced_application
    app.ready_to_roll()
    path = f"/api/sessions/{app.session['id']}"
    # A bar of 104 beats a minute lasts 2.3 s: three passes take about nine.
    settings(app, path, way="loop", loop_bar=5, loop_bars=1)
    started = roll(app, path)
    first = take(app, path, started["take_ids"][0])
    assert first["origin"] == "rolled"
    app.wait_for(lambda: len(app.takes()) >= 4, what="two passes beside the demonstration's takes")
    assert app.send("DELETE", f"{path}/roll")[0] == 204
    app.wait_for(lambda: not list((app.data / "sessions").glob("*/*/*/roll.json")), what="every pass")
    passes = [each for each in app.takes() if each["number"] >= started["number"]]
    assert [each["number"] for each in passes] == sorted((each["number"] for each in passes), reverse=True)
    assert len({each["from_frame"] for each in passes[:-1]}) == 1
    files = [soundfile.info(path) for path in sorted((app.data / "sessions").glob("*/Baritone/Take */* - DI.wav"))]
    assert len(files) == len(app.takes())


def test_page_up_bins_what_rolls_and_rolls_again_within_a_second(paced_application):
    app = paced_application
    app.ready_to_roll()
    path, section = f"/api/sessions/{app.session['id']}", app.session["sections"][1]["id"]
    first = roll(app, path, section_id=section)
    time.sleep(0.5)
    began_s = time.monotonic()
    status, second = app.send("POST", f"{path}/roll/again", {"section_id": section})
    assert (status, second["binned"]) == (201, first["take_ids"])
    assert time.monotonic() - began_s < 5, "a stuck engine; the bench holds the second"
    # Pressed again, and again, in the count-in: each time what rolls goes, and one roll is left.
    third = app.send("POST", f"{path}/roll/again", {"section_id": section})[1]
    assert third["binned"] == second["take_ids"]
    assert app.send("DELETE", f"{path}/roll")[0] == 204
    for binned in (first, second):
        found = take(app, path, binned["take_ids"][0])
        assert found["binned"]
        # It comes back with all of its audio.
        assert app.send("DELETE", f"/api/takes/{found['id']}/bin")[0] == 204
        assert found["frames"] > 0
    # At rest, the last pass that is not in the bin goes.
    again = app.send("POST", f"{path}/roll/again", {"section_id": section})[1]
    assert len(again["binned"]) == 1
    app.send("DELETE", f"{path}/roll")


def listen(app, cue_id, seconds):
    """What a listener hears over some seconds, and the frames of the stream at which its pieces lie."""
    places, blocks, waiting = [], [], b""
    with connect(app.url.replace("http", "ws") + f"/api/ears/{cue_id}", max_size=None) as ears:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            try:
                waiting += ears.recv(timeout=0.5)
            except TimeoutError:
                continue
            except ConnectionClosed:
                break
            while len(waiting) >= HEADER.size:
                frames, channels, at_frame = HEADER.unpack_from(waiting)
                end = HEADER.size + 4 * frames * channels
                if len(waiting) < end:
                    break
                places.append(at_frame)
                blocks.append(np.frombuffer(waiting[HEADER.size : end], "<f4").reshape(-1, channels))
                waiting = waiting[end:]
    return places, np.concatenate(blocks) if blocks else np.zeros((0, 2))


@pytest.mark.alone
def test_a_listener_hears_click_and_own_playing_through_a_tone_which_is_printed_too(paced_application):
    app = paced_application
    app.ready_to_roll()
    session = app.session
    path, part = f"/api/sessions/{session['id']}", session["parts"][0]
    tone = next(each for each in app.get("/api/tones") if each["name"] == "Kiln")
    chosen = {"hear": "tone", "tone_revision_id": tone["id"], "print_sim": True}
    status, view = app.send("PUT", f"/api/parts/{part['id']}/monitoring", chosen)
    assert status == 200, view
    assert view["tone_name"] == "Kiln"
    assert [entry["name"] for entry in view["delay"]["parts"]] == ["converters", "buffer in and out", "tone"]
    assert view["delay"]["total_ms"] == pytest.approx(sum(entry["ms"] for entry in view["delay"]["parts"]))
    cue = app.get(f"{path}/cues")["cues"][0]
    mix = cue["mix"] | {"click": {"gain_db": 0, "pan": -1, "muted": False}, "me": {"gain_db": 0, "pan": 1}}
    assert app.send("PUT", f"/api/cues/{cue['id']}", {"name": "Me", "mix": mix})[0] == 200
    started = roll(app, path, section_id=session["sections"][1]["id"])
    places, heard = listen(app, cue["id"], 4.0)
    app.send("DELETE", f"{path}/roll")
    assert len(heard) > 1.5 * FS
    # Block after block, none missing, each at its place of the stream.
    lengths = np.diff(places)
    assert set(lengths) == {256}
    tempo = TempoMap.steady(104, rate_hz=FS)
    start = started["from_frame"] + places[0]
    click = render_click(tempo, from_frame=start, to_frame=start + len(heard), settings=ClickSettings())
    strokes = np.abs(click.channel(0)) > 0.2
    assert strokes.any()
    np.testing.assert_allclose(heard[strokes, 0], click.channel(0)[strokes], atol=0.05)
    count_in = started["play_from_frame"] - start
    playing = heard[count_in + FS // 4 :, 1]
    assert np.sqrt(np.mean(playing**2)) > 0.01
    assert np.abs(heard).max() <= 10 ** (-3 / 20) + 1e-6
    found = take(app, path, started["take_ids"][0])
    assert [channel["kind"] for channel in found["channels"]] == ["di", "mic", "mic", "sim"]
    sim = next(channel for channel in found["channels"] if channel["kind"] == "sim")
    printed, _ = soundfile.read(app.data / "sessions" / found["folder"] / sim["file"])
    assert np.abs(printed).max() > 0.01


def test_standing_by_is_heard_until_a_roll_and_comes_back_after_it(paced_application):
    app = paced_application
    app.ready_to_roll()
    path, part = f"/api/sessions/{app.session['id']}", app.session["parts"][0]
    assert app.send("PUT", f"/api/parts/{part['id']}/monitoring", {"hear": "interface", "channel": "DI"})[0] == 200
    cue = app.get(f"{path}/cues")["cues"][0]["id"]
    wait_for_state(app, lambda state: state["engine"] == "ready")
    assert app.send("POST", f"{path}/standby")[0] == 204
    wait_for_state(app, lambda state: state["standing_by"])
    _, heard = listen(app, cue, 2.0)
    assert np.abs(heard).max() > 0.01
    folders = len(list((app.data / "sessions").glob("*/*/Take *")))
    roll(app, path, section_id=app.session["sections"][1]["id"])
    assert len(list((app.data / "sessions").glob("*/*/Take *"))) == folders + 1
    app.send("DELETE", f"{path}/roll")
    _, heard = listen(app, cue, 3.0)
    assert np.abs(heard).max() > 0.01
    assert app.send("DELETE", f"{path}/standby")[0] == 204
    wait_for_state(app, lambda state: not state["standing_by"])
    _, heard = listen(app, cue, 0.7)
    assert len(heard) == 0


def test_a_new_listener_starts_as_a_copy_of_the_blend_and_goes_its_own_way(application, song, path):
    key = song["parts"][0]["id"]
    blend = {"strips": {key: {"gain_db": -5, "pan": 0.5, "muted": False}}}
    assert application.send("PUT", f"{path}/blend", blend)[0] == 200
    status, made = application.send("POST", f"{path}/cues", {"name": "Singer"})
    assert (status, made["mix"]["strips"][key]["gain_db"]) == (201, -5)
    application.send("PUT", f"{path}/blend", {})
    cues = {cue["name"]: cue for cue in application.get(f"{path}/cues")["cues"]}
    assert cues["Singer"]["mix"]["strips"][key]["pan"] == 0.5
    assert application.send("POST", f"{path}/cues", {"name": "Singer"})[0] == 422
    other = application.send("POST", f"{path}/cues", {"name": "Drummer", "like": made["id"]})[1]
    assert other["mix"] == made["mix"]
    for cue in (made, other):
        assert application.send("DELETE", f"/api/cues/{cue['id']}")[0] == 204
    status, problem = application.send("DELETE", f"/api/cues/{cues['Me']['id']}")
    assert (status, "only listener" in problem["detail"]) == (422, True)


@pytest.mark.parametrize(
    ("wanted", "says"),
    [
        ({"hear": "tone"}, "choose the tone"),
        ({"print_sim": True}, "choose the tone"),
        ({"hear": "interface", "channel": "mic Z"}, "there is no channel mic Z"),
        ({"hear": "tone", "tone_revision_id": "00000000-0000-0000-0000-000000000000"}, "there is no tone"),
    ],
)
def test_what_cannot_be_heard_is_told(application, song, wanted, says):
    status, problem = application.send("PUT", f"/api/parts/{song['parts'][0]['id']}/monitoring", wanted)
    assert status in (404, 422)
    assert says in problem["detail"]


def test_room_on_the_disk_is_told_for_what_is_armed(application, path):
    space = application.get(f"{path}/roll/space")
    assert space["channels"] == 3
    assert space["seconds_left"] > 0
