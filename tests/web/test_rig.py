"""The rig over HTTP: parts, kits, both cords, every check seen right and seen failing, rig sheets."""

import json
from contextlib import contextmanager

import pytest
from websockets.sync.client import connect


@pytest.fixture(scope="module")
def song(application):
    """A session of this file's own, with one section."""
    session = application.send("POST", "/api/sessions", {"name": "Rig room", "tempo": "120"})[1]
    sections = {"sections": [{"name": "Verse", "bars": 4, "phrase_bars": 2}]}
    return application.send("PUT", f"/api/sessions/{session['id']}/sections", sections)[1]["session"]


def add(application, song, name, **how):
    return application.send("POST", f"/api/sessions/{song['id']}/parts", {"name": name, **how})


@pytest.fixture(scope="module")
def guitar(application, song):
    status, part = add(application, song, "Guitar", instrument="six-string guitar")
    assert status == 201, part
    return part


def rig_of(application, part):
    return application.get(f"/api/parts/{part['id']}/rig")


def put_rig(application, part, rig, **more):
    return application.send("PUT", f"/api/parts/{part['id']}/rig", {"rig": rig, **more})


@contextmanager
def interface(application, song, **faults):
    """The simulated interface with some knobs turned, for as long as the block runs."""
    path = f"/api/sessions/{song['id']}/interface"
    before = application.get(path)["settings"]
    status, answer = application.send("PUT", path, {**before, **faults})
    assert status == 200, answer
    try:
        yield answer
    finally:
        application.send("PUT", path, before)


# Long enough to measure; six strings take two seconds each.
SECONDS = {"level": 5, "tuning": 12.5, "noise": 3, "bleed": 4, "latency": 2}


def run(application, part, kind, *, seconds=None):
    """Run a check and wait for what it found: the kept check, or the sentence that says why there is none."""
    application.ready_to_roll()
    with connect(application.url.replace("http", "ws") + "/api/live") as live:
        status, answer = application.send(
            "POST", f"/api/parts/{part['id']}/checks/{kind}?seconds={seconds or SECONDS[kind]}"
        )
        assert status in (201, 409), answer
        if status == 409:
            return {"problem": answer["detail"]}
        seen = {"event": ""}
        while seen["event"] != "check":
            seen = json.loads(live.recv(timeout=90))
    if seen["problem"]:
        return seen
    checks = application.get(f"/api/parts/{part['id']}/checks")
    return next(check for check in checks if check["kind"] == kind)


@pytest.mark.parametrize(
    ("instrument", "strings"),
    [
        ("six-string guitar", "E2 A2 D3 G3 B3 E4"),
        ("seven-string guitar", "B1 E2 A2 D3 G3 B3 E4"),
        ("baritone guitar", "B1 E2 A2 D3 F♯3 B3"),
        ("four-string bass", "E1 A1 D2 G2"),
        ("five-string bass", "B0 E1 A1 D2 G2"),
        ("acoustic guitar", "E2 A2 D3 G3 B3 E4"),
    ],
)
def test_a_part_begins_with_a_rig_that_has_nothing_to_fix(application, song, instrument, strings):
    """Open strings of the instruments: common practice, no source."""
    status, part = add(application, song, f"A {instrument}", instrument=instrument)
    assert status == 201, part
    rig = rig_of(application, part)
    assert " ".join(rig["open_notes"]) == strings
    assert rig["warnings"] == []
    for channel in rig["channels"]:
        assert -15 < channel["peak_dbfs"] < -3, channel
        assert channel["noise_dbfs"] < -85


def test_a_part_can_be_a_copy_and_a_kit_can_be_found_again(application, song, guitar):
    chords = {"chords": [{"name": "Am", "frets": "x02210"}]}
    assert application.send("PUT", f"/api/parts/{guitar['id']}/chords", chords)[0] == 200
    status, copy = add(application, song, "Guitar double", copy_of=guitar["id"])
    assert (status, copy["chords"]) == (201, [{"name": "Am", "frets": [None, 0, 2, 2, 1, 0]}])
    assert rig_of(application, copy)["rig"] == rig_of(application, guitar)["rig"]
    body = {"part_id": guitar["id"], "name": "Bright and close", "use": "rhythm", "words": ["bright", "ribbon"]}
    status, kit = application.send("POST", "/api/kits", body)
    assert (status, kit["channels"]) == (201, ["DI", "mic A", "mic B"])
    assert [k["name"] for k in application.get("/api/kits?words=rhythm%20bright")] == ["Bright and close"]
    assert application.get("/api/kits?words=dark") == []
    assert application.get("/api/kits?instrument=four-string%20bass") == []
    status, again = add(application, song, "From the kit", kit_id=kit["id"])
    assert rig_of(application, again)["rig"] == rig_of(application, guitar)["rig"]
    assert application.send("POST", "/api/kits", body)[0] == 422
    assert application.send("DELETE", f"/api/kits/{kit['id']}")[0] == 204


@pytest.mark.parametrize(
    ("how", "says"),
    [
        ({"name": "x"}, "begins with an instrument, a kit or another part"),
        ({"name": "x", "instrument": "kazoo"}, "there is no instrument kazoo"),
        ({"name": "Guitar", "instrument": "acoustic guitar"}, "a part named Guitar already"),
        ({"name": "  ", "instrument": "acoustic guitar"}, "needs a name"),
    ],
)
def test_parts_that_cannot_be_are_refused(application, song, guitar, how, says):
    status, problem = application.send("POST", f"/api/sessions/{song['id']}/parts", how)
    assert status == 422
    assert says in problem["detail"]


def test_a_tuning_may_be_typed_as_notes(application, guitar):
    before = rig_of(application, guitar)["rig"]
    try:
        view = put_rig(application, guitar, changed(before, "tuning", ["C2", "G2", "C3", "F3", "A3", "D4"]))[1]
        assert view["rig"]["tuning"] == [36, 43, 48, 53, 57, 62]
        assert view["open_notes"] == ["C2", "G2", "C3", "F3", "A3", "D4"]
    finally:
        put_rig(application, guitar, before)


def changed(rig, path, value):
    """A copy of a rig document with one value changed: `path` as "di.input.kind" or "mics.0.kind"."""
    copy = json.loads(json.dumps(rig))
    *way, last = path.split(".")
    place = copy
    for step in way:
        place = place[int(step)] if step.isdigit() else place[step]
    place[last] = value
    return copy


@pytest.mark.parametrize(
    ("changes", "node", "verdict", "says"),
    [
        ({"di.input": {"number": 1, "kind": "line"}}, "di", "fix", "10 kΩ load the pickup"),
        ({"di.input": {"number": 1, "kind": "microphone"}}, "di", "fix", "3 kΩ load the pickup"),
        ({"mics.0.input.phantom": True}, "mic:mic A", "fix", "phantom can tear the ribbon"),
        ({"mics.0.kind": "active ribbon"}, "mic:mic A", "fix", "needs phantom and is silent without"),
        ({"mics.1.kind": "condenser"}, "mic:mic B", "fix", "needs phantom and is silent without"),
        ({"mics.1.input.kind": "line", "mics.1.input.gain_db": 0}, "mic:mic B", "fix", "set it to microphone"),
        ({"di.box": "passive"}, "di", "look", "gives a microphone's level"),
        (
            {"di.box": "active", "di.input": {"number": 1, "kind": "microphone", "gain_db": 20}},
            "di",
            "fix",
            "silent without",
        ),
        ({"di.box": "passive", "di.input": {"number": 1, "kind": "microphone"}}, "di", "look", "takes 21.6 dB away"),
        ({"di.input.gain_db": 20}, "di", "fix", "reach full scale: turn input 1 down"),
        (
            {"di.box": "passive", "di.ratio": 3, "di.input": {"number": 1, "kind": "microphone"}},
            "di",
            "fix",
            "27 kΩ load the pickup",
        ),
        ({"di.cable_m": 20}, "instrument", "look", "pull the resonance down"),
    ],
)
def test_what_would_lose_a_take_is_said_at_its_node(application, guitar, changes, node, verdict, says):
    """Facts of the trade: common practice, no source; figures are computed by the circuits."""
    before = rig_of(application, guitar)["rig"]
    rig = before
    for path, value in changes.items():
        rig = changed(rig, path, value)
    try:
        status, view = put_rig(application, guitar, rig)
        assert status == 200, view
        found = [w for w in view["warnings"] if w["node"] == node and says in w["says"]]
        assert [w["verdict"] for w in found] == [verdict], view["warnings"]
    finally:
        put_rig(application, guitar, before)
    assert rig_of(application, guitar)["warnings"] == []


@pytest.mark.parametrize(
    ("path", "value", "says"),
    [
        ("mics.1.input.number", 1, "both take input 1"),
        ("mics.1.input.number", 12, "the interface has 8"),
        ("mics.1.name", "MIC A", "same name"),
        ("mics.1.kind", "megaphone", "no microphone megaphone"),
        ("di.input.gain_db", 70, "a gain of 70 dB is outside 0 to 50"),
        ("instrument", "kazoo", "no instrument kazoo"),
        ("tuning", [40, 45], "has 6 strings, the tuning 2"),
        ("tuning", ["H2", "A2", "D3", "G3", "B3", "E4"], "is no note"),
        ("string_offsets_cents", [1, 2], "an offset for each"),
        ("di.cable_m", -1, "cable_m"),
    ],
)
def test_rigs_that_cannot_be_are_refused_and_nothing_changes(application, guitar, path, value, says):
    before = rig_of(application, guitar)["rig"]
    status, problem = put_rig(application, guitar, changed(before, path, value))
    assert status == 422
    assert says in problem["detail"]
    assert rig_of(application, guitar)["rig"] == before


def test_parts_that_are_armed_together_do_not_share_an_input_unnoticed(application, song, guitar):
    path = f"/api/sessions/{song['id']}"
    about = {"name": song["name"], "arm_together": True}
    second = add(application, song, "Together", copy_of=guitar["id"])[1]
    application.send("POST", f"{path}/parts/{guitar['id']}/arm")
    application.send("PUT", f"{path}/about", about)
    try:
        for part in (guitar, second):
            assert application.send("POST", f"{path}/parts/{part['id']}/arm")[0] == 204
        rig = rig_of(application, second)["rig"]
        status, problem = put_rig(application, second, changed(rig, "listens", "both"))
        assert (status, problem["title"]) == (409, "Asks first")
        assert "DI of Together and DI of Guitar both take input 1" in problem["detail"]
        assert put_rig(application, second, changed(rig, "listens", "both"), inputs_shared=True)[0] == 200
        body = {"section_id": song["sections"][0]["id"]}
        status, problem = application.send("POST", f"{path}/roll", body)
        assert status == 409
        assert "both take input 1" in problem["detail"]
        # With inputs of their own, both roll as one: two takes, each with its channels, on the same frames.
        own = changed(changed(rig, "di.input.number", 5), "mics", [])
        assert put_rig(application, second, own)[0] == 200
        before = {take["id"] for take in application.get(f"{path}/takes")}
        rolled = application.wait_for(
            lambda: (answer := application.send("POST", f"{path}/roll", body))[0] == 201 and answer[1], what="the roll"
        )
        takes = application.wait_for(
            lambda: len(new := [t for t in application.get(f"{path}/takes") if t["id"] not in before]) == 2 and new,
            what="two takes",
        )
        assert {take["part_name"] for take in takes} == {"Guitar", "Together"}
        assert {take["origin"] for take in takes} == {"rolled"}
        assert {(take["from_frame"], take["frames"]) for take in takes} == {
            (rolled["from_frame"], rolled["to_frame"] - rolled["from_frame"])
        }
    finally:
        application.send("PUT", f"{path}/about", {**about, "arm_together": False})
    armed = [part["name"] for part in application.get(path)["parts"] if part["armed"]]
    assert len(armed) == 1


def test_the_level_check_says_how_far_to_turn_and_one_key_does_it(application, song, guitar):
    before = rig_of(application, guitar)["rig"]
    try:
        put_rig(application, guitar, changed(before, "di.input.gain_db", 9))
        check = run(application, guitar, "level")
        di = check["result"]["channels"][0]
        assert di["turn_db"] < 0
        assert f"turn input 1 down {-di['turn_db']} dB" in check["says"]
        # A bar of rest in the middle does not count.
        assert 0.4 < di["played_share"] < 0.95
        turn = {"channel": "DI", "by_db": di["turn_db"]}
        view = application.send("POST", f"/api/parts/{guitar['id']}/turn", turn)[1]
        assert view["rig"]["di"]["input"]["gain_db"] == 9 + di["turn_db"]
        again = run(application, guitar, "level")
        # No pass is as loud as the last one: the simulated hand's scatters by some 2 dB.
        assert abs(again["result"]["channels"][0]["turn_db"]) <= 4
        # A knob that is at its end: the pad takes 20 dB.
        far = application.send("POST", f"/api/parts/{guitar['id']}/turn", {"channel": "DI", "by_db": -15})[1]
        use = far["rig"]["di"]["input"]
        assert use["pad"]
        assert use["gain_db"] - 20 == pytest.approx(9 + di["turn_db"] - 15)
        with interface(application, song, gains_can_be_set=False):
            assert application.send("POST", f"/api/parts/{guitar['id']}/turn", turn)[0] == 422
    finally:
        put_rig(application, guitar, before)


def test_a_weak_di_is_said_to_make_a_thin_simulation(application, guitar):
    before = rig_of(application, guitar)["rig"]
    try:
        put_rig(application, guitar, changed(before, "di.input", {"number": 1, "kind": "instrument", "pad": True}))
        check = run(application, guitar, "level")
        assert check["verdict"] == "fix"
        assert "makes a thin simulation" in check["says"]
    finally:
        put_rig(application, guitar, before)


def test_a_broken_cable_and_an_interface_that_vanishes_are_said(application, song, guitar):
    with interface(application, song, broken_inputs=[2]):
        check = run(application, guitar, "level")
        assert check["verdict"] == "fix"
        assert "mic A: nothing arrives at input 2" in check["says"]
    with interface(application, song, vanishes_after_s=1.0):
        assert "the interface was gone after 1.0 s" in run(application, guitar, "noise")["problem"]
    with interface(application, song, clock_hz=44_100):
        assert "runs at 44100 Hz and the session at 48000 Hz" in run(application, guitar, "noise")["problem"]


def test_the_tuner_finds_every_string_and_how_far_it_is_out(application, song, guitar):
    out = [-12.0, 0.0, 4.0, 0.0, -3.0, 8.0]
    with interface(application, song, string_cents=out):
        check = run(application, guitar, "tuning")
    found = [string["cents"] for string in check["result"]["strings"]]
    assert found == pytest.approx(out, abs=0.5)
    assert check["verdict"] == "fix"
    assert "E2 −12" in check["says"]
    check = run(application, guitar, "tuning")
    assert check["verdict"] == "good"


def test_the_tuner_takes_over_what_the_chords_want(application, song, guitar):
    chords = {"shapes": ["x02210", "320003", "xx0232"], "left_alone": [0]}
    status, view = application.send("POST", f"/api/parts/{guitar['id']}/chords/check", chords)
    assert status == 200, view
    assert view["compromise_cents"][0] == 0
    assert view["compromise_clash_cents"] < view["clash_cents"]
    offsets = view["compromise_cents"]
    assert application.send("PUT", f"/api/parts/{guitar['id']}/tuning-offsets", {"offsets_cents": offsets})[0] == 200
    try:
        with interface(application, song, string_cents=offsets):
            check = run(application, guitar, "tuning")
        assert max(abs(string["cents"]) for string in check["result"]["strings"]) < 0.5
        again = application.send("POST", f"/api/parts/{guitar['id']}/chords/check", {"shapes": chords["shapes"]})[1]
        assert again["clash_cents"] == pytest.approx(view["compromise_clash_cents"], abs=0.01)
    finally:
        application.send("PUT", f"/api/parts/{guitar['id']}/tuning-offsets", {"offsets_cents": []})
    for wrong in ({"shapes": ["x0221"]}, {"shapes": ["hello"]}, {"offsets_cents": [1]}):
        assert application.send("POST", f"/api/parts/{guitar['id']}/chords/check", wrong)[0] == 422


@pytest.mark.parametrize(
    ("faults", "worst", "tries"),
    [
        ({"hum_dbu": -50.0, "guitar_turned_deg": 0.0}, "hum", "turn yourself and the guitar"),
        ({"hum_dbu": -50.0, "guitar_turned_deg": 0.0, "mains_hz": 60.0}, "hum", "60 Hz"),
        ({"buzz_dbu": -50.0}, "buzz", "dimmers"),
        ({"extra_noise_dbu": -50.0}, "hiss", "before the input"),
    ],
)
def test_the_noise_check_tells_hum_buzz_and_hiss_apart(application, song, guitar, faults, worst, tries):
    with interface(application, song, **faults):
        check = run(application, guitar, "noise")
    di = check["result"]["channels"][0]
    assert check["verdict"] in ("look", "fix")
    assert di["worst"] == worst
    assert tries in " ".join(di["advice"])
    if worst == "hum":
        assert di["mains_hz"] == pytest.approx(faults.get("mains_hz", 50.0), rel=0.005)
    assert di["floor_dbfs_a"] <= di["floor_dbfs"] + 3


def test_a_quiet_rig_is_quiet_enough(application, guitar):
    check = run(application, guitar, "noise")
    assert (check["verdict"], check["result"]["channels"][0]["advice"]) == ("good", [])


def test_a_ground_loop_goes_away_with_the_lift(application, song, guitar):
    before = rig_of(application, guitar)["rig"]
    di = {"box": "passive", "cable_m": 5, "input": {"number": 1, "kind": "microphone", "gain_db": 20}}
    try:
        with interface(application, song, ground_loop_dbu=-60.0):
            put_rig(application, guitar, changed(before, "di", di))
            looped = run(application, guitar, "noise")["result"]["channels"][0]
            put_rig(application, guitar, changed(before, "di", {**di, "ground_lift": True}))
            lifted = run(application, guitar, "noise")["result"]["channels"][0]
    finally:
        put_rig(application, guitar, before)
    assert "lift the ground" in " ".join(looped["advice"])
    assert lifted["floor_dbfs"] < looped["floor_dbfs"] - 10


@pytest.mark.parametrize("buffer_frames", [64, 512])
def test_the_latency_is_measured_proved_and_kept_for_the_next_take(application, song, guitar, buffer_frames):
    """The simulated round trip: both buffers and 63.4 frames of converters."""
    with interface(application, song, buffer_frames=buffer_frames) as view:
        assert view["offset"] is None
        check = run(application, guitar, "latency")
        assert (check.get("verdict"), check.get("problem")) == ("good", None)
        assert check["result"]["round_trip_frames"] == pytest.approx(2 * buffer_frames + 63.4, abs=0.01)
        assert abs(check["result"]["left_frames"]) <= 1
        kept = application.get(f"/api/sessions/{song['id']}/interface")
        assert kept["offset"]["frames"] == 2 * buffer_frames + 63
        row = next(row for row in kept["table"] if row["buffer_frames"] == 384)
        # Buffer arithmetic: 384 frames at 48 kHz are 8 ms.
        assert row["buffer_ms"] == pytest.approx(8.0)
        feels = {row["buffer_frames"]: row["feel"] for row in kept["table"]}
        assert feels[64] == "comfortable"
        assert feels[2048] == "unplayable"


def test_without_the_loop_cable_it_says_what_to_plug(application, song, guitar):
    with interface(application, song, loop_cable=False, buffer_frames=128):
        found = run(application, guitar, "latency")
        assert "connect the output to the input with a cable" in found["problem"]
        assert application.get(f"/api/sessions/{song['id']}/interface")["offset"] is None


def test_the_click_in_a_microphone_is_found_and_measured(application, song, guitar):
    clean = run(application, guitar, "bleed")
    assert clean["verdict"] == "good"
    assert all(not channel["found"] for channel in clean["result"]["channels"])
    with interface(application, song, phones_leak_db=0.0):
        loud = run(application, guitar, "bleed")
    with interface(application, song, phones_leak_db=-20.0):
        soft = run(application, guitar, "bleed")
    for a, b in zip(loud["result"]["channels"], soft["result"]["channels"], strict=True):
        assert a["found"]
        assert a["delay_ms"] == pytest.approx(4.0, abs=0.3)
        # 20 dB less leak is 20 dB less, where it is still above the room.
        if b["found"]:
            assert b["below_playing_db"] - a["below_playing_db"] == pytest.approx(20, abs=1.5)
    assert loud["verdict"] in ("look", "fix")


def test_a_take_lies_where_it_was_played_once_the_latency_is_known(application, song, guitar):
    """With the offset measured, the count-in is as long as without a round trip; the take is whole."""
    path = f"/api/sessions/{song['id']}"
    application.send("POST", f"{path}/parts/{guitar['id']}/arm")
    run(application, guitar, "latency")
    body = {"section_id": song["sections"][0]["id"]}
    rolled = application.wait_for(
        lambda: (answer := application.send("POST", f"{path}/roll", body))[0] == 201 and answer[1], what="the roll"
    )
    take = application.wait_for(
        lambda: next((t for t in application.get(f"{path}/takes") if t["id"] == rolled["take_ids"][0]), None),
        what="the take",
    )
    assert take["frames"] == rolled["to_frame"] - rolled["from_frame"]
    assert take["from_frame"] == rolled["from_frame"]


def test_rig_sheets_are_frozen_and_compared_by_what_is_different(application, song, guitar):
    before = rig_of(application, guitar)["rig"]
    one = application.send("POST", f"/api/parts/{guitar['id']}/rig-sheets", {"name": "ribbon close"})[1]
    try:
        put_rig(application, guitar, changed(changed(before, "mics.0.distance_m", 0.15), "di.input.gain_db", 6))
        other = application.send("POST", f"/api/parts/{guitar['id']}/rig-sheets", {"name": "ribbon farther"})[1]
    finally:
        put_rig(application, guitar, before)
    compared = application.get(f"/api/rig-sheets/compare?one={one['id']}&other={other['id']}")
    assert [(line["group"], line["name"]) for line in compared["differences"]] == [("DI", "input"), ("Mic A", "place")]
    assert "5.0 cm away" in compared["differences"][1]["one"]
    assert "15.0 cm away" in compared["differences"][1]["other"]
    names = [sheet["name"] for sheet in application.get(f"/api/sessions/{song['id']}/rig-sheets")]
    assert names == ["ribbon farther", "ribbon close"]
    sheet = application.get(f"/api/rig-sheets/{one['id']}")
    assert {"group": "Instrument", "name": "tuning", "value": "E2 A2 D3 G3 B3 E4"} in sheet["entries"]
    assert application.send("POST", f"/api/parts/{guitar['id']}/rig-sheets", {"name": " "})[0] == 422
