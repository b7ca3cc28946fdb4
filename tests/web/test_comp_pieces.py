"""Joins, shifts, lifts and levels of a comp by the application's own routes, heard in the sound that they make."""

import numpy as np
import pytest

from tests.signals import FS
from tests.web.comped import BAR, Song, pieces

MS = FS // 1000
# So far from a border nothing of a join is heard.
NEAR = round(0.2 * FS)


@pytest.fixture
async def song(client):
    song = await Song(client).make(1, 2, 3)
    await song.use(0, 3, 4)
    return song


def join_of(comp, line=0):
    return comp["lines"][line]["joins"][0]


async def look(song, frame, expect=200):
    answer = await song.client.get(f"/api/parts/{song.part['id']}/comp/join", params={"frame": frame})
    assert answer.status_code == expect, answer.text
    return answer.json()


async def test_a_join_is_looked_at_from_close_up(song):
    join = join_of(await song.comp())
    near = await look(song, join["frame"])
    assert (near["point"]["frame"], near["point"]["ms"]) == (join["frame"], pytest.approx(join["ms"]))
    assert [(each["name"], each["kind"]) for each in near["channels"]] == [("DI", "di"), ("mic A", "mic")]
    for channel in near["channels"]:
        # Each side in full, the louder one to the edge of its row.
        assert len(channel["before"]) == len(channel["after"])
        assert np.abs([channel["before"], channel["after"]]).max() == 127
        # g₁² + g₂² + 2ρ·g₁·g₂ = 1 all along (docs/architecture.md).
        ends, begins = np.array(channel["closes"]), np.array(channel["opens"])
        np.testing.assert_allclose(ends**2 + begins**2 + 2 * channel["alike"] * ends * begins, 1, atol=2e-3)
        assert (ends[0], begins[0], ends[-1], begins[-1]) == (1, 0, 0, 1)
    frames = [point["frame"] for point in near["others"]]
    assert frames[0] == join["frame"]
    assert len(set(frames)) == len(frames) > 1
    refused = await look(song, join["frame"] + 1, expect=422)
    assert "no join at this place any more" in refused["detail"]


async def test_a_join_is_set_by_hand_and_undone(song):
    before = await song.comp()
    join = join_of(before)
    address = f"/api/parts/{song.part['id']}/comp/join"
    wanted = {"frame": join["frame"], "to_frame": join["frame"] + 30 * MS, "ms": 40}
    moved = (await song.client.put(address, json=wanted)).json()
    assert (join_of(moved)["frame"], join_of(moved)["ms"]) == (wanted["to_frame"], pytest.approx(40))
    # What lies beyond the fade is the take's own, bit for bit.
    heard = await song.heard(1, 4)
    at = wanted["to_frame"] - song.bars(1, 1)["from_frame"]
    np.testing.assert_array_equal(heard[BAR : at - 21 * MS], song.of_take(2, 1, 4)[BAR : at - 21 * MS])
    np.testing.assert_array_equal(heard[at + 21 * MS : at + NEAR], song.of_take(0, 1, 4)[at + 21 * MS : at + NEAR])
    # The middle of the other piece is as far as a fade may go.
    far = await song.client.put(
        address, json={**wanted, "frame": wanted["to_frame"], "to_frame": join["frame"] + 3 * BAR}
    )
    assert (far.status_code, far.json()["detail"][:40]) == (422, "one of the two takes has no more sound t")
    assert (await song.client.put(address, json={**wanted, "ms": 500})).status_code == 422
    await song.client.post(f"{song.address}/undo")
    assert await song.comp() == before


async def test_a_join_is_heard_with_its_fade_and_without(song):
    join = join_of(await song.comp())
    cut = []
    for plain in (False, True):
        params = {"frame": join["frame"], "plain": plain, "dry": True}
        found = (await song.client.get(f"/api/parts/{song.part['id']}/comp/join/sound", params=params)).json()
        start = found["from_frame"] - found["sound"]["from_frame"]
        frames = found["to_frame"] - found["from_frame"]
        answer = await song.client.get(f"{found['sound']['sound_url']}&from_frame={start}&frames={frames}")
        heard = np.frombuffer(answer.content, "<f4")
        at = join["frame"] - found["from_frame"]
        cut.append((heard, at))
    (faded, at), (hard, _) = cut
    half = round(join["ms"] * MS / 2) + 2
    np.testing.assert_array_equal(faded[: at - half], hard[: at - half])
    np.testing.assert_array_equal(faded[at + half :], hard[at + half :])
    start = join["frame"] - at - song.bars(1, 1)["from_frame"]
    np.testing.assert_allclose(hard[: at - 1], song.of_take(2, 1, 8)[start : start + at - 1], atol=1e-6)
    np.testing.assert_allclose(hard[at + 1 :], song.of_take(0, 1, 8)[start + at + 1 : start + len(hard)], atol=1e-6)


async def test_a_phrase_is_moved_on_all_channels_said_and_brought_back(song):
    before = await song.comp()
    comp = await song.comp("move", by="12 ms", **song.bars(3, 4))
    assert [piece["moved_ms"] for piece in comp["lines"][0]["pieces"]] == [0, pytest.approx(12)]
    inside = slice(NEAR, 2 * BAR - NEAR)
    late = slice(2 * BAR + NEAR - 12 * MS, 4 * BAR - NEAR - 12 * MS)
    for kind, name in (("di", "DI.wav"), ("mic", "mic A.wav")):
        np.testing.assert_array_equal((await song.heard(3, 4, kind))[inside], song.of_take(0, 1, 8, name)[late])
    undo = (await song.client.get(f"{song.address}/history")).json()["undo"]
    assert undo == "Lead: bars 3 to 4 moved by +12.0 ms"
    await song.comp("move", by="-240 samples", **song.bars(3, 4))
    comp = await song.comp("move-back", **song.bars(3, 4))
    assert [piece["moved_ms"] for piece in comp["lines"][0]["pieces"]] == [0, 0]
    np.testing.assert_array_equal((await song.heard(3, 4))[inside], song.of_take(0, 3, 4)[inside])
    refused = await song.comp("move-back", expect=422, **song.bars(3, 4))
    assert refused["detail"] == "nothing in this range was moved"
    for _ in range(3):
        await song.client.post(f"{song.address}/undo")
    assert await song.comp() == before


async def test_by_a_note_it_goes_with_its_borders(song):
    """At 240 beats a minute a quarter is a quarter of a second, which is more than a border moves."""
    comp = await song.comp("move", by="1/4", **song.bars(3, 3))
    assert [hole["words"] for hole in comp["lines"][0]["holes"]] == ["bar 3"]
    heard = (await song.heard(3, 4))[BAR // 4 + NEAR : BAR + BAR // 4 - NEAR]
    np.testing.assert_array_equal(heard, song.of_take(0, 3, 3)[NEAR : BAR - NEAR])
    for by, says in (("soon", "no shift"), ("0 ms", "less than a sample"), ("-5 s", "before the zero")):
        span = song.bars(1, 1) if by == "-5 s" else song.bars(3, 3)
        where = {"from_frame": 0, "to_frame": span["to_frame"]} if by == "-5 s" else span
        refused = await song.comp("move", expect=422, by=by, **where)
        assert says in refused["detail"]


async def test_a_take_that_lies_late_is_moved_onto_the_others(client):
    """Four takes of the same notes, one 20 ms late: 100 % brings it to them, 50 % halfway."""
    song = await Song(client).make(1, 1, 1)
    await song.add_take(1, late_s=0.02)
    await song.use(3, 1, 2)
    comp = await song.comp("onto", against="others", percent=50, **song.bars(1, 2))
    assert comp["lines"][0]["pieces"][0]["moved_ms"] == pytest.approx(-10, abs=1)
    comp = await song.comp("onto", against="others", percent=100, **song.bars(1, 2))
    assert comp["lines"][0]["pieces"][0]["moved_ms"] == pytest.approx(-20, abs=1)
    refused = await song.comp("onto", expect=422, against="others", percent=0, **song.bars(1, 2))
    assert "nothing was moved" in refused["detail"]
    undo = (await song.client.get(f"{song.address}/history")).json()["undo"]
    assert undo.startswith("Lead: bars 1 to 2 100 % onto how the other takes play it, −10.")


async def test_bars_of_another_take_are_lifted_to_another_bar(song):
    target = song.bars(7, 7)["from_frame"]
    comp = await song.comp("lift", take_id=song.takes[1]["id"], at_frame=target, **song.bars(2, 2))
    assert (2, True) in pieces(comp, 1)
    heard = await song.heard(7, 7)
    np.testing.assert_array_equal(heard[NEAR:-NEAR], song.of_take(1, 2, 2)[NEAR:-NEAR])
    # What sounds elsewhere is lifted as it sounds there.
    await song.comp("lift", at_frame=song.bars(5, 5)["from_frame"], **song.bars(3, 3))
    np.testing.assert_array_equal((await song.heard(5, 5))[NEAR:-NEAR], song.of_take(0, 3, 3)[NEAR:-NEAR])
    undo = (await song.client.get(f"{song.address}/history")).json()["undo"]
    assert undo == "Lead: bar 3 lifted to bar 5"
    refused = await song.comp("lift", expect=422, at_frame=song.bars(8, 8)["from_frame"], **song.bars(1, 4))
    assert "past the last section" in refused["detail"]


async def test_a_piece_that_drops_is_said_with_its_db_and_evened(client):
    """Played 6 dB softer than the other takes between two pieces of them."""
    song = await Song(client).make(1, 1)
    await song.add_take(1, level=0.5)
    await song.add_take(1)
    await song.use(2, 3, 4)
    address = f"/api/parts/{song.part['id']}/comp/levels"
    (off,) = (await song.client.get(address)).json()
    assert (off["take_id"], off["off_db"]) == (song.takes[2]["id"], pytest.approx(-6, abs=0.6))
    assert "quieter than its neighbours" in off["says"]
    span = {"from_frame": off["from_frame"], "to_frame": off["to_frame"]}
    comp = await song.comp("turn", by_db=-off["off_db"], **span)
    assert comp["lines"][0]["pieces"][1]["gain_db"] == -off["off_db"]
    assert (await song.client.get(address)).json() == []
    rms = [np.sqrt(np.mean(each**2)) for each in (await song.heard(3, 4), song.of_take(0, 3, 4))]
    assert rms[0] == pytest.approx(rms[1], rel=0.1)
    refused = await song.comp("turn", expect=422, by_db=23, **span)
    assert "at most 24 dB" in refused["detail"]


async def test_beats_and_strokes_are_named_for_ranges_of_single_notes(song):
    """The plucks lie on the thirds of every second."""
    params = song.bars(2, 3)
    found = (await song.client.get(f"/api/parts/{song.part['id']}/comp/marks", params=params)).json()
    assert {each["take_id"] for each in found["strokes"]} == {take["id"] for take in song.takes}
    start = song.bars(1, 1)["from_frame"]
    assert [beat - start for beat in found["beats"]] == [BAR + beat * BAR // 4 for beat in range(8)]
    for each in found["strokes"]:
        off = (np.array(each["frames"]) - start) % (FS // 3)
        assert np.minimum(off, FS // 3 - off).max() < 3 * MS


async def test_two_rigs_that_meet_are_pointed_out_with_what_differs_and_what_was_measured(client):
    """The second take is 6 dB softer in every channel, and its microphone was moved before it was brought in."""
    song = await Song(client).make(1)
    address = f"/api/parts/{song.part['id']}/rig"
    rig = (await client.get(address)).json()["rig"]
    rig["mics"][0]["distance_m"] = 0.11
    assert (await client.put(address, json={"rig": rig})).status_code == 200
    await song.add_take(1, level=0.5)
    comp = await song.use(0, 3, 4)
    first, second = comp["lines"][0]["joins"] + comp["lines"][1]["joins"]
    assert (first["other_rig"], second["other_rig"]) == (True, True)
    rigs = (await look(song, first["frame"]))["rigs"]
    (differs,) = [says for says in rigs["says"] if "place" in says]
    assert "11.0 cm" in differs.partition("→")[0]
    # From the second take back to the first: 6.02 dB louder, and the same tone.
    assert rigs["level_db"] == pytest.approx(6.02, abs=0.1)
    assert rigs["apart_db"] == pytest.approx(0, abs=0.3)
    assert len(rigs["thirds_hz"]) == len(rigs["thirds_db"])
    assert np.median(rigs["thirds_db"]) == pytest.approx(6.02, abs=0.3)


async def test_tidying_keeps_what_comps_use_and_what_is_starred(song):
    """Take 1 is used, take 3 sounds around it; take 2 is starred, then not."""
    address = f"/api/parts/{song.part['id']}/comp/tidy"
    starred = song.takes[1]["id"]
    await song.client.put(f"/api/takes/{starred}/rating", json={"rating": "starred"})
    refused = await song.client.post(address)
    assert (refused.status_code, "nothing to tidy" in refused.json()["detail"]) == (422, True)
    await song.client.put(f"/api/takes/{starred}/rating", json={"rating": None})
    asked = await song.client.post(address)
    assert asked.status_code == 409
    # Eight seconds of two channels of 32 bits.
    assert asked.json()["detail"].startswith(
        "one take of 3 that no comp of Lead uses and that have no star go into the bin (3 MB"
    )
    heard = await song.heard(1, 8)
    assert (await song.client.post(address + "?agreed=true")).status_code == 200
    binned = (await song.client.get(f"{song.address}/bin")).json()["takes"]
    assert [take["number"] for take in binned] == [2]
    np.testing.assert_array_equal(await song.heard(1, 8), heard)
    await song.client.post(f"{song.address}/undo")
    assert (await song.client.get(f"{song.address}/bin")).json()["takes"] == []


async def test_a_take_without_a_di_is_joined_by_what_both_have_and_said(song):
    take = await song.add_take(9, kinds=("mic",))
    comp = await song.comp("use", take_id=take["id"], **song.bars(5, 6))
    by_take = {piece["take_number"]: piece["lacks"] for line in comp["lines"] for piece in line["pieces"]}
    assert by_take == {1: [], 3: [], 4: ["DI"]}
    # The microphones are joined; the DI closes, and is silent there.
    assert all(join["ms"] for line in comp["lines"] for join in line["joins"])
    dry, miked = await song.heard(5, 6), await song.heard(5, 6, "mic")
    inside = slice(NEAR, len(dry) - NEAR)
    assert not dry[inside].any()
    np.testing.assert_array_equal(miked[inside], song.of_take(3, 5, 6, "mic A.wav")[inside])
