"""Placement through the running application: trial clips are recorded, heard, measured, aligned, compared, chosen."""

import numpy as np
import pytest
import soundfile
from scipy.stats import binom

from fatsignal.core.units import speed_of_sound_m_s
from tests.signals import FS


@pytest.fixture(scope="module")
def part(application):
    application.ready_to_roll()
    return next(each for each in application.session["parts"] if each["name"] == "Baritone")


def moved(app, part, **changes):
    """Another place of mic B."""
    path = f"/api/parts/{part['id']}/rig"
    rig = app.get(path)["rig"]
    rig["mics"][1] |= changes
    status, answer = app.send("PUT", path, {"rig": rig})
    assert status == 200, answer


def record(app, part):
    path = f"/api/parts/{part['id']}"
    before = {trial["id"] for trial in app.get(f"{path}/placement")["trials"]}
    app.wait_for(lambda: app.send("POST", f"{path}/trials")[0] == 201, what="the trial to roll")

    def entered():
        return [each for each in app.get(f"{path}/placement")["trials"] if each["id"] not in before]

    return app.wait_for(entered, what="the trial")[0]


@pytest.fixture(scope="module")
def trials(application, part):
    """Mic B at the place of mic A, then 30 cm back, then farther and off the centre."""
    found = []
    for distance_m, off_centre_m in ((0.05, 0.0), (0.3, 0.0), (0.6, 0.1)):
        moved(application, part, kind="ribbon", distance_m=distance_m, off_centre_m=off_centre_m, turned_deg=0.0)
        found.append(record(application, part))
    return found


def compared(app, *trials, of=None):
    ids = "&".join(f"id={trial['id']}" for trial in trials)
    return app.get(f"/api/trials/compared?{ids}" + (f"&of={of}" if of else ""))


def heard(app, sound, channel=0, frames=2 * FS):
    url = sound["channels"][channel]["sound_url"]
    return np.frombuffer(app.raw(f"{url}&from_frame=0&frames={frames}"), dtype="<f4").astype(float)


def test_a_trial_is_a_clip_with_its_rig_and_no_take(application, part, trials):
    takes_before = len(application.takes())
    trial = trials[1]
    assert trial["words"] == "mic A 5.0 cm; mic B 30.0 cm"
    assert [channel["name"] for channel in trial["channels"]] == ["DI", "mic A", "mic B"]
    folder = application.data / "sessions" / "Copper Weather" / "Baritone" / "Trial 02"
    assert {path.name for path in folder.glob("*.wav")} == {
        f"Baritone trial 02 - {name}.wav" for name in ("DI", "mic A", "mic B")
    }
    assert soundfile.info(folder / "Baritone trial 02 - DI.wav").frames == trial["frames"]
    assert len(application.takes()) == takes_before == 2
    assert [each["number"] for each in application.get(f"/api/parts/{part['id']}/placement")["trials"]] == [3, 2, 1]


def test_the_simulated_player_repeats_the_riff(application, trials):
    """The DI of two trials is one, sample by sample: only the placement differs."""
    folder = application.data / "sessions" / "Copper Weather" / "Baritone"
    one, other = (soundfile.read(folder / f"Trial 0{n}" / f"Baritone trial 0{n} - DI.wav")[0] for n in (1, 2))
    np.testing.assert_array_equal(one, other)


def test_the_delay_that_is_told_is_the_way_that_was_moved(application, trials):
    """25 cm at 343.2 m/s (formula), of two capsules of one kind before one cone."""
    (sound,) = compared(application, trials[1])["sounds"]
    # What each hears before it is played is its noise.
    assert all(50 < mic["above_noise_db"] < 110 for mic in sound["report"]["mics"])
    (pair,) = sound["report"]["pairs"]
    assert (pair["first"], pair["second"]) == ("mic A", "mic B")
    assert pair["farther_cm"] == pytest.approx(25.0, abs=1.0)
    assert pair["delay_ms"] == pytest.approx(1000 * 0.25 / speed_of_sound_m_s(), abs=0.03)
    assert pair["says"].startswith("mic B is 2")
    assert {remedy["name"] for remedy in pair["remedies"]} == {"move", "delay", "flip"}
    delay = next(remedy for remedy in pair["remedies"] if remedy["name"] == "delay")
    assert (delay["delays"], delay["flips"]) == ("mic A", "")
    assert delay["sum_of"]["whole_db"] > pair["now"]["whole_db"]


def test_trials_are_compared_at_equal_loudness(application, trials):
    """BS.1770 by a reference library (pyloudnorm) over what is played, with the gains that are told: within 0.1 LU."""
    pyloudnorm = pytest.importorskip("pyloudnorm")
    found = compared(application, *trials)
    frames = found["to_frame"] - found["from_frame"]
    loudness = []
    for sound in found["sounds"]:
        mono = heard(application, sound, frames=frames) * 10 ** (sound["gain_db"] / 20)
        loudness.append(pyloudnorm.Meter(FS).integrated_loudness(np.column_stack((mono, mono))))
    assert max(loudness) - min(loudness) < 0.1


def test_an_alignment_is_heard_and_the_recording_stays(application, trials):
    """Delayed by what was told, the sum is that of both files, the earlier one later; its file is as it was."""
    trial = trials[1]
    folder = application.data / "sessions" / "Copper Weather" / "Baritone" / "Trial 02"
    before = (folder / "Baritone trial 02 - mic A.wav").read_bytes()
    (sound,) = compared(application, trial)["sounds"]
    blend = {"strips": [{"name": "mic A", "delay_ms": 1.0}, {"name": "mic B", "flipped": True, "gain_db": -6.0}]}
    status, changed = application.send("PUT", f"/api/trials/{trial['id']}/blend", blend)
    assert status == 200, changed
    (sound,) = compared(application, trial)["sounds"]
    a, b = (soundfile.read(folder / f"Baritone trial 02 - mic {name}.wav")[0] for name in "AB")
    at = trial["heard_from_frame"] - trial["from_frame"]
    expected = a[at - 48 : at - 48 + FS] - 10 ** (-6 / 20) * b[at : at + FS]
    np.testing.assert_allclose(heard(application, sound, frames=FS), expected, atol=1e-6)
    assert (folder / "Baritone trial 02 - mic A.wav").read_bytes() == before
    # It is an act like any other.
    session = f"/api/sessions/{application.session['id']}"
    assert application.send("POST", f"{session}/undo")[1]["did"] == "trial 2: alignment changed"
    assert compared(application, trial)["sounds"][0]["report"]["pairs"][0]["farther_cm"] > 20


def test_left_and_right_are_told_as_an_image(application, trials):
    trial = trials[2]
    application.send("PUT", f"/api/trials/{trial['id']}/blend", {"image": "left and right"})
    (sound,) = compared(application, trial)["sounds"]
    assert [(each["left"], each["right"]) for each in sound["channels"]] == [(1.0, 0.0), (0.0, 1.0)]
    stereo = sound["report"]["stereo"]
    folder = application.data / "sessions" / "Copper Weather" / "Baritone" / "Trial 03"
    left, right = (soundfile.read(folder / f"Baritone trial 03 - mic {name}.wav")[0] for name in "AB")
    at = slice(trial["heard_from_frame"] - trial["from_frame"], trial["heard_to_frame"] - trial["from_frame"])
    left, right = left[at], right[at]
    assert stereo["correlation"] == pytest.approx(np.corrcoef(left, right)[0, 1], abs=0.01)
    lost_db = -10 * np.log10(np.mean((left + right) ** 2 / 4) / np.mean((left**2 + right**2) / 2))
    assert stereo["mono_loss_db"] == pytest.approx(lost_db, abs=0.01)
    assert len(sound["report"]["points"]) > 100
    application.send("PUT", f"/api/trials/{trial['id']}/blend", {})


def test_two_placements_differ_as_told_free_of_the_playing(application, trials):
    found = application.get(f"/api/trials/{trials[2]['id']}/against/{trials[0]['id']}?of=mic%20B")
    told = [band for band in found["bands"] if band["difference_db"] is not None]
    assert len(told) > 10
    assert found["says"]


def test_choosing_puts_the_rig_where_it_stood_and_takes_carry_it(application, part, trials):
    path = f"/api/parts/{part['id']}/rig"
    elsewhere = application.get(path)["rig"] | {"room": "lively"}
    assert application.send("PUT", path, {"rig": elsewhere})[0] == 200
    status, placement = application.send("POST", f"/api/trials/{trials[1]['id']}/choose")
    assert status == 200, placement
    assert placement["settings"]["chosen"] == placement["same_as"] == trials[1]["id"]
    chosen = application.get(path)["rig"]
    assert (chosen["mics"][1]["distance_m"], chosen["room"]) == (0.3, "dry")
    session = f"/api/sessions/{application.session['id']}"
    assert "chosen" in application.send("POST", f"{session}/undo")[1]["did"]
    placement = application.get(f"/api/parts/{part['id']}/placement")
    assert placement["settings"]["chosen"] is None
    assert application.get(path)["rig"] == elsewhere
    application.send("POST", f"{session}/redo")
    assert application.get(f"/api/parts/{part['id']}/rig")["rig"]["mics"][1]["distance_m"] == 0.3


def test_a_clip_goes_into_the_bin_and_comes_back(application, part, trials):
    path = f"/api/parts/{part['id']}/placement"
    assert application.send("POST", f"/api/trials/{trials[0]['id']}/bin")[0] == 204
    assert [each["number"] for each in application.get(path)["trials"]] == [3, 2]
    session = f"/api/sessions/{application.session['id']}"
    assert application.send("POST", f"{session}/undo")[1]["did"] == "trial 1 put into the bin"
    assert [each["number"] for each in application.get(path)["trials"]] == [3, 2, 1]


def test_a_blind_test_is_kept_by_the_server_and_says_what_it_is_worth(application, part, trials):
    """Whoever always chooses one sound of two in seven rounds is believed: 2·binomial tail (scipy) below 0.05."""
    ids = [trial["id"] for trial in trials[:2]]
    status, test = application.send("POST", f"/api/parts/{part['id']}/blind-tests", {"sounds": ids})
    assert (status, test["letters"], test["counts"]) == (201, ["A", "B"], [])
    dealt = set()
    for number in range(7):
        test = application.get(f"/api/parts/{part['id']}/blind-tests/newest")
        assert (test["round"], test["says"], sorted(test["dealt"])) == (number, "", sorted(ids))
        dealt.add(tuple(test["dealt"]))
        letter = "AB"[test["dealt"].index(ids[0])]
        for _ in range(2):  # of two pages that answer one round the first counts
            status, _ = application.send(
                "POST", f"/api/blind-tests/{test['id']}/choose", {"number": number, "letter": letter}
            )
            assert status == 200
    assert len(dealt) == 2
    _, told = application.send("POST", f"/api/blind-tests/{test['id']}/reveal")
    assert told["counts"] == [{"sound": ids[0], "count": 7}, {"sound": ids[1], "count": 0}]
    assert told["chance"] == pytest.approx(2 * binom.sf(6, 7, 0.5))
    assert told["favourite"] == ids[0]
    assert "real preference" in told["says"]
    status, problem = application.send("POST", f"/api/blind-tests/{test['id']}/choose", {"number": 7, "letter": "A"})
    assert (status, problem["detail"]) == (422, "this test is over: begin another one")


def test_the_plan_follows_what_is_drawn(application, part):
    rig = application.get(f"/api/parts/{part['id']}/rig")["rig"]
    rig["mics"][1] |= {"kind": "ribbon", "distance_m": 0.05, "off_centre_m": 0.0, "height_m": 0.2}
    status, plan = application.send("POST", f"/api/parts/{part['id']}/plan", rig)
    assert status == 200, plan
    assert plan["mics"][1]["place_m"] == [0.0, 0.2, 0.05]
    (pair,) = plan["pairs"]
    # From the cone's middle it would be sqrt(5² + 20²) − 5 cm, from the edge of the cone that is nearer some less.
    assert 0.7 * (np.hypot(5, 20) - 5) < pair["farther_cm"] < np.hypot(5, 20) - 5
    assert pair["notches_hz"][0] == pytest.approx(speed_of_sound_m_s() / (2 * pair["farther_cm"] / 100))
    rig["mics"][1] |= {"height_m": 0.0}
    assert any(
        "at one point" in said for said in application.send("POST", f"/api/parts/{part['id']}/plan", rig)[1]["says"]
    )


@pytest.mark.parametrize(("typed", "metres"), [("1 in", 0.0254), ("3 cm", 0.03), ("2 ft", 0.6096), ("4.8", 0.048)])
def test_lengths_are_typed(application, typed, metres):
    assert application.get(f"/api/length?typed={typed.replace(' ', '%20')}")["metres"] == pytest.approx(metres)


def test_a_pair_is_put_up_in_one_step(application, part):
    rig = application.get(f"/api/parts/{part['id']}/rig")["rig"]
    status, put = application.send("POST", f"/api/parts/{part['id']}/stereo-set-up", {"name": "ORTF", "rig": rig})
    assert status == 200, put
    first, second = put["mics"][:2]
    assert second["off_centre_m"] - first["off_centre_m"] == pytest.approx(0.17)
    assert second["turned_deg"] - first["turned_deg"] == pytest.approx(110)
    status, problem = application.send("POST", f"/api/parts/{part['id']}/stereo-set-up", {"name": "x", "rig": rig})
    assert status == 422
    assert "there is no stereo set-up x" in problem["detail"]


@pytest.mark.parametrize(
    ("path", "body", "status", "says"),
    [
        ("/api/trials/compared?id={none}", None, 404, "there is no trial clip"),
        ("/api/length?typed=far", None, 422, "“far” is no length"),
        ("/api/parts/{part}/blind-tests", {"sounds": ["{trial}"]}, 422, "one sound cannot be compared blind"),
        ("/api/parts/{part}/blind-tests", {"sounds": ["{trial}", "{trial}"]}, 422, "one sound is there twice"),
    ],
)
def test_what_cannot_be_is_said(application, part, trials, path, body, status, says):
    names = {"{part}": part["id"], "{none}": part["id"], "{trial}": trials[0]["id"]}
    for name, value in names.items():
        path = path.replace(name, value)
    if body:
        body = {"sounds": [names.get(each, each) for each in body["sounds"]]}
    found, problem = application.send("POST" if body else "GET", path, body)
    assert (found, says in problem["detail"]) == (status, True), problem


def test_bars_beyond_the_song_are_refused(application, part):
    path = f"/api/parts/{part['id']}/placement/settings"
    status, problem = application.send("PUT", path, {"first_bar": 400, "bars": 2})
    assert status == 422
    assert "the song has" in problem["detail"]


def bring(app, part, *paths):
    """Files of one's own as a trial clip: status and answer."""
    files = {path.name: path.read_bytes() for path in paths}
    return app.upload(f"/api/parts/{part['id']}/trials/imports", files)


def test_a_reference_of_ones_own_is_held_against_them(application, part, trials, tmp_path):
    """Of another rate and longer than a minute: from its loudest bars on, left and right, as loud as they are."""
    seconds = np.arange(100 * 44_100) / 44_100
    loud = np.where((seconds > 50) & (seconds < 90), 0.3, 0.01)
    left, right = (loud * np.sin(2 * np.pi * hz * seconds) for hz in (220, 331))
    soundfile.write(tmp_path / "My song.flac", np.column_stack((left, right)), 44_100, subtype="PCM_16")
    status, made = bring(application, part, tmp_path / "My song.flac")
    assert status == 201, made
    assert (made["origin"], made["note"], made["words"]) == ("imported", "My song", "imported")
    assert [channel["name"] for channel in made["channels"]] == ["left", "right"]
    assert made["frames"] == 30 * FS
    found = compared(application, trials[0], made)
    frames = found["to_frame"] - found["from_frame"]
    assert frames == trials[0]["heard_to_frame"] - trials[0]["heard_from_frame"]
    assert found["sounds"][1]["report"]["stereo"]["correlation"] == pytest.approx(0, abs=0.05)
    # The loud half minute: two sines of 0.3 (−13.5 dB each), not those of 0.01.
    assert found["sounds"][1]["report"]["mics"][0]["level_dbfs"] == pytest.approx(-13.5, abs=1.0)
    status, problem = application.send("POST", f"/api/trials/{made['id']}/choose")
    assert (status, "nobody knows" in problem["detail"]) == (422, True)
    assert application.send("POST", f"/api/trials/{made['id']}/bin")[0] == 204
    assert application.get(f"/api/sessions/{application.session['id']}/bin")["takes"][0]["trial"]
    application.send("DELETE", f"/api/trials/{made['id']}/bin")


@pytest.mark.parametrize(("name", "loud_s", "seconds", "says", "frames"), [
    ("Loud at last", (40, 48), 60, "from 0:40 on", 20 * FS),
    ("Quiet at first", (7, 20), 20, "from 0:07 on", 13 * FS),
    ("Loud at once", (0, 20), 20, "", 20 * FS),
])  # fmt: skip
def test_a_reference_begins_where_it_is_loud(application, part, tmp_path, name, loud_s, seconds, says, frames):
    """The first bars are what is compared: quiet before them would be raised to the loudness of the clips."""
    at = np.arange(seconds * FS) / FS
    loud = np.where((at >= loud_s[0]) & (at < loud_s[1]), 0.3, 0.001)
    soundfile.write(tmp_path / f"{name}.wav", loud * np.sin(2 * np.pi * 220 * at), FS, subtype="FLOAT")
    status, made = bring(application, part, tmp_path / f"{name}.wav")
    assert status == 201, made
    assert made["frames"] == frames
    assert made["said"] == f"imported from {name}.wav" + (f", {says}" if says else "")
    application.send("POST", f"/api/trials/{made['id']}/bin")


def test_what_cannot_be_held_against_them_is_said(application, part, tmp_path):
    soundfile.write(tmp_path / "Nothing.wav", np.zeros(FS), FS)
    soundfile.write(tmp_path / "Five.wav", np.ones((FS, 5)), FS)
    (tmp_path / "Diary.wav").write_text("dear diary")
    for name, says in (("Nothing.wav", "is silent"), ("Five.wav", "has 5 channels"), ("Diary.wav", "Diary.wav")):
        status, problem = bring(application, part, tmp_path / name)
        assert (status, says in problem["detail"]) == (422, True), problem
    assert list((application.data / "sessions").rglob("importing*")) == []


def test_a_clip_that_was_stopped_at_once_shortens_no_other(application, part, trials, tmp_path):
    soundfile.write(tmp_path / "Blip.wav", 0.1 * np.random.default_rng(1).standard_normal(FS // 20 * 3), FS)
    status, blip = bring(application, part, tmp_path / "Blip.wav")
    assert status == 201, blip
    found = compared(application, trials[0], blip)
    assert found["to_frame"] - found["from_frame"] == trials[0]["heard_to_frame"] - trials[0]["heard_from_frame"]


def test_the_sheet_tells_every_dimension(application, trials):
    sheet = application.get(f"/api/trials/{trials[2]['id']}/sheet")
    told = {each["name"]: each["value"] for each in sheet["mics"][1]["dimensions"]}
    assert (told["away"], told["beside"], told["height"], told["turned"]) == (
        "60.0 cm",
        "10.0 cm right",
        "0.0 cm",
        "0°",
    )


def test_a_clip_whose_file_is_away_takes_no_other_with_it(application, part, trials):
    """Away for a moment, and there again: it is told, the others go on, and afterwards all are there."""
    path = application.data / "sessions" / "Copper Weather" / "Baritone" / "Trial 03" / "Baritone trial 03 - mic A.wav"
    away = path.with_suffix(".away")
    blend = {"strips": [{"name": "mic A", "gain_db": -1.0}]}
    assert application.send("PUT", f"/api/trials/{trials[2]['id']}/blend", blend)[0] == 200
    path.rename(away)
    try:
        found = compared(application, trials[0], trials[2])
        assert [sound["trial_id"] for sound in found["sounds"]] == [trials[0]["id"]]
        (missing,) = found["missing"]
        assert (missing["trial_id"], "put it back" in missing["says"]) == (trials[2]["id"], True)
        status, problem = application.send("GET", f"/api/trials/compared?id={trials[2]['id']}")
        assert (status, "put it back" in problem["detail"]) == (422, True)
    finally:
        away.rename(path)
    found = compared(application, trials[0], trials[2])
    assert (len(found["sounds"]), found["missing"]) == (2, [])


@pytest.mark.parametrize(
    ("place", "says"),
    [
        ({"distance_m": -0.1}, "mic B would be inside the speaker, at -10.0 cm: 0.5 cm is the nearest"),
        ({"distance_m": 0}, "mic B would be on the grille, at 0.0 cm: 0.5 cm is the nearest"),
        ({"distance_m": 20}, "mic B would be 20.0 m away: 5 m is the farthest"),
        ({"height_m": "NaN"}, "the place of mic B holds what is no number: type a length like 5 cm"),
    ],
)
def test_where_no_microphone_can_stand_is_said_in_one_sentence(application, part, place, says):
    path = f"/api/parts/{part['id']}/rig"
    rig = application.get(path)["rig"]
    rig["mics"][1] |= place
    status, problem = application.send("PUT", path, {"rig": rig})
    assert (status, problem["detail"]) == (422, says)
