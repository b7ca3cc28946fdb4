"""Takes of several parts that become takes of one, by the application's own routes; undone, and comped together."""

import numpy as np
import pytest

from fatsignal.tones import shipped_tones
from tests.web.comped import Song, pieces


@pytest.fixture
async def song(client):
    """A part with two takes, and another one with two more."""
    song = await Song(client).make(1, 2)
    song.lead = song.part
    answer = await client.post(f"{song.address}/parts", json={"name": "Track 7", "instrument": "baritone guitar"})
    song.part = song.other = answer.json()
    for seed in (3, 4):
        await song.add_take(seed)
    song.part = song.lead
    return song


async def look(song):
    return (await song.client.get(f"/api/parts/{song.lead['id']}/gather")).json()


async def gather(song, take_ids, parts=None, expect=200):
    body = {"take_ids": take_ids, "parts": parts or []}
    answer = await song.client.post(f"/api/parts/{song.lead['id']}/gather", json=body)
    assert answer.status_code == expect, answer.text
    return answer.json()


async def takes(song):
    found = (await song.client.get(f"{song.address}/takes")).json()
    return {(each["part_name"], each["number"]): [channel["name"] for channel in each["channels"]] for each in found}


async def test_takes_of_another_part_are_gathered_comped_and_given_back(song):
    found = await look(song)
    (other,) = found["parts"]
    assert (other["part_name"], [take["number"] for take in other["takes"]]) == ("Track 7", [2, 1])
    matched = [(each["channel"]["name"], each["to"]["name"]) for each in other["channels"]]
    assert matched == [("DI", "DI"), ("mic A", "mic A")]
    before = await takes(song)
    ids = [take["id"] for take in other["takes"]]
    told = await gather(song, ids, [{"part_id": other["part_id"], "channels": other["channels"]}])
    assert told == {"numbers": [3, 4]}
    names = ["DI", "mic A"]
    assert await takes(song) == {("Lead", number): names for number in (4, 3, 2, 1)}
    # All four are takes of one performance now, joined in both channels; the newest is heard.
    comp = await song.comp("use", take_id=song.takes[0]["id"], **song.bars(3, 4))
    assert pieces(comp, 0) == [(4, True), (1, True)]
    heard = await song.heard(1, 8, "mic")
    bars = slice(len(heard) // 8, len(heard) // 5)
    np.testing.assert_array_equal(heard[bars], song.of_take(3, 1, 8, "mic A.wav")[bars])
    # The comp first, then the gathering: everything is as it was.
    for _ in range(2):
        assert (await song.client.post(f"{song.address}/undo")).status_code == 200
    assert await takes(song) == before
    assert (await song.client.post(f"{song.address}/redo")).status_code == 200
    assert ("Lead", 4) in await takes(song)


async def test_what_was_printed_of_a_take_stays_its_own(song):
    tone = (await song.client.post("/api/tones", json=shipped_tones()[0].model_dump(mode="json"))).json()
    take_id = song.takes[2]["id"]
    body = {"material_id": take_id, "tone_revision_id": tone["id"]}
    made = (await song.client.post("/api/prints", json=body)).json()
    before = await takes(song)
    (other,) = (await look(song))["parts"]
    called = [other["channels"][0], {**other["channels"][1], "to": {"kind": "mic", "name": "far"}}]
    await gather(song, [take_id], [{"part_id": other["part_id"], "channels": called}])
    assert (await takes(song))["Lead", 3] == ["DI", "far"]
    again = (await song.client.post("/api/prints", json=body)).json()
    assert again["id"] == made["id"]
    assert (await song.client.post(f"{song.address}/undo")).status_code == 200
    assert await takes(song) == before


async def test_what_cannot_be_gathered_is_said_and_nothing_changes(song):
    before = await takes(song)
    (other,) = (await look(song))["parts"]
    one, two = (take["id"] for take in other["takes"])
    own = await gather(song, [song.takes[0]["id"]], expect=422)
    assert own["detail"] == "take 1 is of no other part of this song: choose those of other parts"
    to = other["channels"][0]["to"]
    both = [{**each, "to": to} for each in other["channels"]]
    same = await gather(song, [one], [{"part_id": other["part_id"], "channels": both}], expect=422)
    assert same["detail"] == "DI and mic A would both be DI: choose one for each"
    song.part = song.other
    await song.comp("use", take_id=one, **song.bars(1, 2))
    used = await gather(song, [one, two], expect=422)
    assert used["detail"].startswith("Comp 1 of Track 7 uses take")
    await song.client.post(f"/api/takes/{two}/bin")
    binned = await gather(song, [two], expect=422)
    assert binned["detail"].endswith("is in the bin: bring it back first")
    await song.client.delete(f"/api/takes/{two}/bin")
    assert await takes(song) == before


async def test_it_is_undone_though_something_was_recorded_since(song):
    await gather(song, [song.takes[3]["id"]])
    song.part = song.other
    await song.add_take(9)
    assert (await song.client.post(f"{song.address}/undo")).status_code == 200
    assert sorted(await takes(song)) == [("Lead", 1), ("Lead", 2), ("Track 7", 1), ("Track 7", 2), ("Track 7", 3)]
