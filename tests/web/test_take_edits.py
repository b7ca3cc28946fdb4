"""What a person does with takes, and what the grid shows of them, through the running application."""

import urllib.request

import numpy as np
import pytest
import soundfile

from tests.signals import FS


@pytest.fixture(scope="module")
def takes(application):
    """Three more passes of the demonstration's chorus beside the one that is there."""
    application.ready_to_roll()
    session = application.session
    path = f"/api/sessions/{session['id']}"
    chorus = next(section for section in session["sections"] if section["name"] == "Chorus 1")
    for _ in range(3):
        rolled = application.wait_for(
            lambda: (a := application.send("POST", f"{path}/roll", {"section_id": chorus["id"]}))[0] == 201 and a[1],
            what="the roll",
        )
        application.wait_for(
            lambda ids=rolled["take_ids"]: any(take["id"] in ids for take in application.takes()), what="the take"
        )
    return [take for take in application.takes() if take["first_bar"] == 13 and not take["binned"]]


def test_the_grid_tells_what_is_found_phrase_by_phrase(application, takes):
    session = application.session
    chorus = next(section for section in session["sections"] if section["name"] == "Chorus 1")
    judged = application.get(f"/api/parts/{takes[0]['part_id']}/judged/{chorus['id']}")
    assert {take["take_id"] for take in judged["takes"]} == {take["id"] for take in takes}
    for row in judged["takes"]:
        assert [cell["first_bar"] for cell in row["cells"]] == [13, 17]
        assert all(cell["played"] for cell in row["cells"])
        assert row["timing"]["subdivision"] in (2, 4)
        assert 24 <= len(row["timing"]["strokes"]) <= 40
        for cell in row["cells"]:
            assert len(cell["marks"]) <= 3
            for mark in cell["marks"]:
                assert len(mark["says"].split()) <= 4
                assert mark["explained"]
    # Asked again, the answer is the same, and comes from what was heard before.
    assert application.get(f"/api/parts/{takes[0]['part_id']}/judged/{chorus['id']}") == judged


def test_stars_strikes_and_notes_are_kept_and_taken_back(application, takes):
    path = f"/api/takes/{takes[0]['id']}"
    assert application.send("PUT", f"{path}/rating", {"rating": "starred"})[1]["rating"] == "starred"
    assert application.send("PUT", f"{path}/rating", {"rating": "struck"})[1]["rating"] == "struck"
    assert application.send("PUT", f"{path}/rating", {"rating": "fine"})[0] == 422
    assert application.send("PUT", f"{path}/note", {"note": "  lovely ending "})[1]["note"] == "lovely ending"
    assert application.send("PUT", f"{path}/note", {"note": "x" * 501})[0] == 422
    assert application.send("PUT", f"{path}/rating", {"rating": None})[1]["rating"] is None


def test_keeping_only_the_starred_bins_the_rest_and_does_nothing_without_a_star(application, takes):
    body = {"part_id": takes[0]["part_id"], "take_ids": [take["id"] for take in takes]}
    assert application.send("POST", "/api/takes/keep-starred", body)[1] == {"binned": []}
    application.send("PUT", f"/api/takes/{takes[1]['id']}/rating", {"rating": "starred"})
    binned = application.send("POST", "/api/takes/keep-starred", body)[1]["binned"]
    assert set(binned) == {take["id"] for take in takes} - {takes[1]["id"]}
    for take_id in binned:
        assert application.send("DELETE", f"/api/takes/{take_id}/bin")[0] == 204
    application.send("PUT", f"/api/takes/{takes[1]['id']}/rating", {"rating": None})


@pytest.mark.parametrize(
    ("by", "frames"),
    [
        ({"samples": 37}, 37),
        ({"ms": -12.5}, -600),
        ({"quarters": "1/4"}, round(60 * FS / 104 / 4)),
        ({"quarters": "-1"}, -27692),
    ],
)
def test_a_take_is_slipped_marked_and_put_back(application, takes, by, frames):
    before = takes[0]
    status, moved = application.send("POST", f"/api/takes/{before['id']}/slip", by)
    assert (status, moved["slip_frames"]) == (200, frames)
    assert moved["from_frame"] - before["from_frame"] == frames
    assert moved["windows"][0]["from_frame"] - before["windows"][0]["from_frame"] == frames
    assert moved["slip_ms"] == pytest.approx(1000 * frames / FS, abs=0.01)
    assert moved["went_along"] is False
    back = application.send("DELETE", f"/api/takes/{before['id']}/slip")[1]
    assert (back["slip_frames"], back["from_frame"], back["windows"]) == (0, before["from_frame"], before["windows"])


@pytest.mark.parametrize(
    ("by", "says"),
    [
        ({}, "in one way"), ({"ms": 1, "samples": 1}, "in one way"), ({"quarters": "1/0"}, "zeroth"),
        ({"ms": -3_000_000}, "before the beginning"),
    ],
)  # fmt: skip
def test_a_slip_that_cannot_be_made_is_refused_with_a_sentence(application, takes, by, says):
    status, problem = application.send("POST", f"/api/takes/{takes[0]['id']}/slip", by)
    assert status == 422
    assert says in problem["detail"]


def test_windows_move_into_the_handles_and_no_farther(application, takes):
    take = takes[0]
    start, end = take["from_frame"], take["from_frame"] + take["frames"]
    wanted = [{"from_frame": start + 100, "to_frame": start + 5000}, {"from_frame": end - 9000, "to_frame": end}]
    moved = application.send("PUT", f"/api/takes/{take['id']}/windows", {"windows": wanted})[1]
    assert moved["windows"] == wanted
    out = [{"from_frame": start - 1, "to_frame": end}]
    status, problem = application.send("PUT", f"/api/takes/{take['id']}/windows", {"windows": out})
    assert (status, "keep it inside" in problem["detail"]) == (422, True)
    back = application.send("PUT", f"/api/takes/{take['id']}/windows", {"windows": take["windows"]})[1]
    assert back["windows"] == take["windows"]


def sound(application, sound, from_frame, frames):
    """Frames of the session out of a streamed sound."""
    url = f"{sound['sound_url']}&from_frame={from_frame - sound['from_frame']}&frames={frames}"
    with urllib.request.urlopen(application.url + url) as answer:
        return np.frombuffer(answer.read(), "<f4")


def test_two_takes_are_heard_at_the_same_stretch_at_equal_loudness(application, takes):
    start = takes[0]["windows"][0]["from_frame"]
    query = f"id={takes[0]['id']}&id={takes[1]['id']}&from_frame={start}&to_frame={start + 3 * FS}"
    compared = application.get(f"/api/takes/compared?{query}")
    assert [each["channel"] for each in compared["sounds"]] == ["mic A", "mic A"]
    levels = [each["loudness_lufs"] + each["gain_db"] for each in compared["sounds"]]
    assert levels[0] == pytest.approx(levels[1], abs=0.02)
    for each in compared["sounds"]:
        assert len(sound(application, each, start, 3 * FS)) == 3 * FS
    # The stretch is the file's own samples.
    take = takes[0]
    samples = sound(application, compared["sounds"][0], start, 3 * FS)
    path = application.data / "sessions" / take["folder"] / take["channels"][1]["file"]
    whole, _ = soundfile.read(path)
    np.testing.assert_allclose(samples, whole[start - take["from_frame"] :][: 3 * FS], atol=1e-7)


def test_a_stretch_is_heard_dry_or_through_a_tone_where_its_print_would_lie(application, takes):
    tone = next(each for each in application.get("/api/tones") if each["name"] == "Kiln")
    start = takes[0]["windows"][0]["from_frame"]
    query = f"id={takes[0]['id']}&from_frame={start}&to_frame={start + 2 * FS}"
    dry = application.get(f"/api/takes/compared?{query}&channel=di")["sounds"][0]
    wet = application.get(f"/api/takes/compared?{query}&tone={tone['id']}")["sounds"][0]
    one, other = (sound(application, each, start, 2 * FS) for each in (dry, wet))
    assert len(one) == len(other) == 2 * FS
    # A piece of it is the same piece of the whole, and beyond the stretch it is silent.
    np.testing.assert_array_equal(sound(application, wet, start + 700, 900), other[700:1600])
    assert not sound(application, wet, start + 2 * FS, 64).any()
    assert not np.allclose(one, other, atol=1e-3)
    first = [int(np.argmax(np.abs(each) > 0.1 * np.abs(each).max())) for each in (one, other)]
    assert abs(first[0] - first[1]) < 0.004 * FS
    status, problem = application.send("GET", f"/api/takes/compared?id={takes[0]['id']}&from_frame=9&to_frame=8")
    assert (status, "ends after it begins" in problem["detail"]) == (422, True)


def test_every_note_is_told_with_its_cents(application, takes):
    chorus = next(section for section in application.session["sections"] if section["name"] == "Chorus 1")
    judged = application.get(f"/api/parts/{takes[0]['part_id']}/judged/{chorus['id']}")
    for row in judged["takes"]:
        assert all(abs(note["cents"]) <= 50 for note in row["notes"])
        assert all(note["name"][-1].isdigit() for note in row["notes"])
        assert [note["frame"] for note in row["notes"]] == sorted(note["frame"] for note in row["notes"])


def test_an_instrument_that_stays_in_tune_has_no_drift(application, takes):
    drifts = application.get(f"/api/parts/{takes[0]['part_id']}/tuning-drift")
    for drift in drifts:
        assert abs(drift["cents"]) >= 6
        assert drift["first_number"] < drift["last_number"]
        assert drift["note"] in drift["says"]
    assert len(drifts) <= 1
    assert application.send("GET", "/api/parts/00000000-0000-0000-0000-000000000000/tuning-drift")[0] == 404


def test_what_cannot_be_compared_is_refused_with_a_sentence(application, takes):
    one, start = takes[0]["id"], takes[0]["windows"][0]["from_frame"]

    def compared(query):
        return application.send("GET", f"/api/takes/compared?{query}")

    assert compared(f"from_frame={start}&to_frame={start + FS}")[0] == 422
    status, problem = compared(f"id={one}&from_frame={start}&to_frame={start + 121 * FS}")
    assert (status, "up to 120 s" in problem["detail"]) == (422, True)
    status, problem = compared(f"id={one}&from_frame={start}&to_frame={start}")
    assert (status, "ends after it begins" in problem["detail"]) == (422, True)
    many = "&".join(f"id={one}" for _ in range(10))
    assert compared(f"{many}&from_frame={start}&to_frame={start + FS}")[0] == 422


def test_a_channel_that_a_take_lacks_is_told_by_the_one_that_is_heard(application, takes):
    start = takes[0]["windows"][0]["from_frame"]
    query = f"id={takes[0]['id']}&from_frame={start}&to_frame={start + FS}"
    assert application.get(f"/api/takes/compared?{query}&channel=mic%20B")["sounds"][0]["channel"] == "mic B"
    assert application.get(f"/api/takes/compared?{query}&channel=di")["sounds"][0]["channel"] == "DI"
    fallen_back = application.get(f"/api/takes/compared?{query}&channel=mic%20Z")["sounds"][0]
    assert fallen_back["channel"] in {channel["name"] for channel in takes[0]["channels"]}


def test_beyond_the_ends_of_a_file_a_stretch_is_silent(application, takes):
    take = takes[0]
    end = take["from_frame"] + take["frames"]
    query = f"id={take['id']}&from_frame={end - FS}&to_frame={end + FS}&channel=di"
    samples = sound(application, application.get(f"/api/takes/compared?{query}")["sounds"][0], end - FS, 2 * FS)
    assert len(samples) == 2 * FS
    assert np.abs(samples[:FS]).max() > 0
    assert not samples[FS:].any()


def test_a_sound_that_is_kept_by_a_browser_is_the_same_wherever_its_take_lies(application, takes):
    """Its frames count from its own first: moved in the song, it sounds at another place and is the same."""
    take = takes[0]
    first = f"/api/takes/{take['id']}/comparison"
    before = application.get(first)["sounds"][0]
    samples = sound(application, before, take["from_frame"], FS)
    application.send("POST", f"/api/takes/{take['id']}/slip", {"ms": 20.0})
    try:
        after = application.get(first)["sounds"][0]
        assert after["sound_url"] == before["sound_url"]
        assert after["from_frame"] == before["from_frame"] + round(0.02 * FS)
        np.testing.assert_array_equal(sound(application, after, after["from_frame"], FS), samples)
    finally:
        application.send("POST", f"/api/sessions/{application.session['id']}/undo")


def test_a_file_that_is_away_for_a_moment_is_told_and_is_not_kept_as_silence(application, takes):
    take = takes[0]
    heard = application.get(f"/api/takes/{take['id']}/comparison")["sounds"][0]
    path = application.data / "sessions" / take["folder"] / take["channels"][0]["file"]
    url = f"{heard['sound_url']}&from_frame=0&frames=4800"
    away = path.rename(path.with_suffix(".away"))
    try:
        status, problem = application.send("GET", url)
        assert (status, f"{path.name} is not in its folder any more: put it back" in problem["detail"]) == (422, True)
        with urllib.request.urlopen(f"{application.url}{url}&gone_is_silent=true") as answer:
            assert answer.headers["Cache-Control"] == "no-store"
            assert not np.frombuffer(answer.read(), "<f4").any()
    finally:
        away.rename(path)
    with urllib.request.urlopen(f"{application.url}{url}&gone_is_silent=true") as answer:
        assert "immutable" in answer.headers["Cache-Control"]
        whole, _ = soundfile.read(path, frames=4800, dtype="float32")
        np.testing.assert_array_equal(np.frombuffer(answer.read(), "<f4"), whole)


def test_a_take_tells_by_which_channel_it_is_heard(application, takes):
    """The miked amp where there is one, and of its sounds the same."""
    for take in takes:
        assert take["channels"][take["heard_first"]]["kind"] == "mic"
        heard = application.get(f"/api/takes/{take['id']}/comparison")
        assert heard["heard_first"] == f"channel-{take['heard_first']}"
