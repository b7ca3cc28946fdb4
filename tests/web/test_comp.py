"""A comp by the application's own routes: chosen, joined, heard, undone, moved with its section, kept from the bin."""

import io
import zipfile

import numpy as np
import pytest
import soundfile

from tests.signals import FS
from tests.web.comped import BAR, Song, pieces


@pytest.fixture
async def song(client):
    return await Song(client).make(1, 2, 3)


async def test_untouched_a_part_follows_its_newest_take(song):
    comp = await song.comp()
    assert comp["versions"] == []
    assert [pieces(comp, line) for line in (0, 1)] == [[(3, False)], [(3, False)]]
    np.testing.assert_allclose((await song.heard(2, 7))[500:-500], song.of_take(2, 2, 7)[500:-500], atol=1e-6)


async def test_a_phrase_of_another_take_is_used_joined_on_all_channels_and_the_rest_stays(song):
    comp = await song.use(0, 3, 4)
    assert pieces(comp, 0) == [(3, True), (1, True)]
    used = comp["lines"][0]["pieces"][1]
    (join,) = comp["lines"][0]["joins"]
    assert 1 <= join["ms"] <= 80
    assert join["frame"] == used["from_frame"]
    # Where the other section begins its take goes on, joined too.
    (back,) = comp["lines"][1]["joins"]
    assert abs(back["frame"] - song.bars(5, 5)["from_frame"]) <= 0.12 * FS
    assert abs(used["from_frame"] - song.bars(3, 3)["from_frame"]) <= 0.12 * FS
    assert comp["versions"][0]["name"] == "Comp 1"
    assert (comp["lines"][0]["settled"], comp["lines"][1]["settled"]) == (True, False)
    near = round(0.2 * FS)
    for kind, name in (("di", "DI.wav"), ("mic", "mic A.wav")):
        heard = await song.heard(1, 8, kind)
        wanted = np.concatenate((song.of_take(2, 1, 2, name), song.of_take(0, 3, 4, name), song.of_take(2, 5, 8, name)))
        inside = np.ones(len(heard), bool)
        for edge in (0, 2 * BAR, 4 * BAR, 8 * BAR):
            inside[max(0, edge - near) : edge + near] = False
        np.testing.assert_allclose(heard[inside], wanted[inside], atol=1e-6)
    # A note that both takes play is heard once at the border: the strokes lie on the thirds of a second.
    heard = await song.heard(2, 3)
    assert 0.5 < np.abs(heard[BAR - 4_800 : BAR + 4_800]).max() / np.abs(song.of_take(0, 3, 3)[:4_800]).max() < 1.5


async def test_a_take_is_heard_in_its_place_before_it_is_used_as_loud_as_what_sounds_there(song):
    """Played half as loud it is told and heard 6 dB louder; what lies around it stays, and nothing is kept."""
    await song.add_take(7, level=0.5)
    before = await song.comp()
    await song.use(1, 1, 8)
    query = {"take_id": song.takes[3]["id"], **song.bars(3, 4)}
    address = f"/api/parts/{song.part['id']}/comp"
    found = (await song.client.get(f"{address}/try", params=query | {"dry": True})).json()
    beat = BAR // 4
    span = song.bars(3, 4)
    assert (found["from_frame"], found["to_frame"]) == (span["from_frame"] - beat, span["to_frame"] + beat)
    start = found["from_frame"] - found["sound"]["from_frame"]
    answer = await song.client.get(f"{found['sound']['sound_url']}&from_frame={start}&frames={2 * BAR + 2 * beat}")
    heard = np.frombuffer(answer.content, "<f4")
    inside = slice(beat + 9_600, beat + 2 * BAR - 9_600)
    wanted = song.of_take(3, 3, 4)[9_600:-9_600] * 10 ** (found["gain_db"] / 20)
    np.testing.assert_allclose(heard[inside], wanted, atol=1e-6)
    now = song.of_take(1, 3, 4)
    rms = [np.sqrt(np.mean(each**2)) for each in (heard[beat:-beat], now)]
    assert rms[0] == pytest.approx(rms[1], rel=0.12)
    assert 4 < found["gain_db"] < 8
    np.testing.assert_allclose(heard[: beat - 6_000], song.of_take(1, 2, 2)[-beat:][: beat - 6_000], atol=1e-6)
    undone = await song.client.post(f"{song.address}/undo")
    assert undone.json()["did"] == "Lead: take 2 used in bars 1 to 8"
    assert await song.comp() == before
    refused = await song.client.get(f"{address}/try", params=query | {"to_frame": query["from_frame"]})
    assert refused.status_code == 422


async def test_a_new_take_changes_nothing_where_it_was_touched_and_is_offered(song):
    await song.use(0, 3, 4)
    await song.add_take(4)
    comp = await song.comp()
    assert [number for number, _ in pieces(comp, 0)] == [3, 1]
    assert {number for number, settled in pieces(comp, 1) if not settled} == {4}
    (offer,) = comp["lines"][0]["offers"]
    assert (offer["take_number"], offer["words"]) == (4, "bars 1 to 4")
    comp = await song.comp("use", take_id=offer["take_id"], from_frame=offer["from_frame"], to_frame=offer["to_frame"])
    assert ([number for number, _ in pieces(comp, 0)], comp["lines"][0]["offers"]) == ([4], [])


async def test_undo_gives_exactly_what_was_and_redo_what_was_undone(song):
    before = await song.comp()
    first = await song.use(0, 3, 4)
    second = await song.use(1, 1, 2)
    heard = await song.heard(1, 8)
    for wanted in (first, before):
        assert (await song.client.post(f"{song.address}/undo")).status_code == 200
        assert await song.comp() == wanted
    for wanted in (first, second):
        assert (await song.client.post(f"{song.address}/redo")).status_code == 200
        assert await song.comp() == wanted
    np.testing.assert_array_equal(await song.heard(1, 8), heard)
    assert (await song.client.get(f"{song.address}/history")).json()["undo"] == "Lead: take 2 used in bars 1 to 2"


async def test_a_hole_is_silent_on_the_sheet_too_and_goes_back_to_the_takes(song):
    comp = await song.comp("clear", **song.bars(2, 2))
    assert [hole["words"] for hole in comp["lines"][0]["holes"]] == ["bar 2"]
    assert not (await song.heard(2, 2))[500:-500].any()
    sheet = (await song.client.get(f"{song.address}/sheet?part_id={song.part['id']}")).json()
    assert [bar["take_id"] is None for bar in sheet["lines"][0]["bars"]] == [False, True, False, False]
    comp = await song.comp("follow", **song.bars(2, 2))
    assert (pieces(comp, 0), comp["lines"][0]["holes"]) == ([(3, False)], [])
    assert not any(each["settled"] for line in comp["lines"] for each in line["pieces"])


async def test_sections_that_change_places_take_what_was_chosen_along(song):
    await song.use(0, 3, 4)
    chosen = await song.heard(3, 4)
    made = (await song.client.get(song.address)).json()["sections"]
    await song.put("/sections", {"sections": [made[1], made[0]]})
    np.testing.assert_allclose((await song.heard(7, 8))[9_600:-9_600], chosen[9_600:-9_600], atol=1e-6)
    comp = await song.comp()
    assert [number for number, _ in pieces(comp, 1)] == [3, 1]
    await song.client.post(f"{song.address}/undo")
    np.testing.assert_array_equal(await song.heard(3, 4), chosen)


async def test_versions_are_copied_chosen_renamed_and_removed(song):
    await song.use(0, 3, 4)
    comp = await song.comp("versions", expect=201, name="loud end")
    first, second = comp["versions"]
    assert (first["current"], second["current"], second["name"]) == (False, True, "loud end")
    await song.use(1, 3, 4)
    await song.client.put(f"/api/parts/{song.part['id']}/comp/current", json={"comp_id": first["id"]})
    assert [number for number, _ in pieces(await song.comp(), 0)] == [3, 1]
    refused = await song.client.delete(f"/api/comps/{first['id']}")
    assert (refused.status_code, refused.json()["detail"]) == (
        422, "Comp 1 is what sounds: choose another version first",
    )  # fmt: skip
    await song.client.put(f"/api/comps/{second['id']}/name", json={"name": " end "})
    assert (await song.comp())["versions"][1]["name"] == "end"
    assert len((await song.client.delete(f"/api/comps/{second['id']}")).json()["versions"]) == 1
    await song.client.post(f"{song.address}/undo")
    await song.client.put(f"/api/parts/{song.part['id']}/comp/current", json={"comp_id": second["id"]})
    assert [number for number, _ in pieces(await song.comp(), 0)] == [3, 2]


async def test_a_first_comp_fills_what_nobody_chose_says_why_and_is_undone_with_one_key(song):
    await song.use(0, 3, 4)
    before = await song.comp()
    comp = await song.comp("first")
    chosen, others = [], []
    for line in comp["lines"]:
        for piece in line["pieces"]:
            (chosen if piece["by_hand"] else others).append(piece)
    assert [piece["take_number"] for piece in chosen] == [1]
    assert others
    assert all(piece["why"].startswith(f"take {piece['take_number']}: ") for piece in others)
    assert all(line["settled"] for line in comp["lines"])
    assert (await song.client.get(f"{song.address}/history")).json()["undo"] == "Lead: first comp of bars 1 to 8"
    await song.client.post(f"{song.address}/undo")
    assert await song.comp() == before


async def test_what_is_chosen_beside_a_persons_choice_says_how_it_is_joined_to_it(song):
    await song.use(0, 3, 4)
    # Its own take may not be used any farther.
    address = f"/api/takes/{song.takes[0]['id']}/rating"
    assert (await song.client.put(address, json={"rating": "struck"})).status_code == 200
    comp = await song.comp("first")
    (join,) = comp["lines"][1]["joins"]
    after = comp["lines"][1]["pieces"][0]
    how = f"may be heard: {join['look']}" if join["look"] else "is clean"
    assert after["take_number"] != 1
    assert after["why"].startswith(f"take {after['take_number']}: ")
    assert after["why"].endswith(f"; the join to take 1 {how}")


async def test_only_what_is_missing_is_filled_where_that_is_asked(song):
    await song.comp("clear", **song.bars(3, 4))
    verse = (await song.client.get(song.address)).json()["sections"][0]["id"]
    comp = await song.comp("first", section_ids=[verse], only_missing=True)
    assert (comp["lines"][0]["holes"], comp["lines"][1]["settled"]) == ([], False)
    assert sum(piece["why"] != "" for piece in comp["lines"][0]["pieces"]) == 1
    refused = await song.comp("first", expect=404, section_ids=[song.part["id"]])
    assert "there is no section" in refused["detail"]


async def test_a_comp_is_handed_over_before_the_takes_as_it_is_heard(song):
    """One file a channel, all from zero and equally long, sample for sample what sounds (at 24 bits)."""
    items = (await song.client.get(f"{song.address}/hand-over")).json()
    assert not any(item["key"].startswith("comp-") for item in items)
    await song.use(0, 3, 4)
    items = (await song.client.get(f"{song.address}/hand-over")).json()
    comp = [item for item in items if item["key"].startswith("comp-")]
    assert items[: len(comp)] == comp
    assert [(item["name"], item["kind"], item["first_bar"], item["last_bar"]) for item in comp] == [
        ("Lead Comp 1 - DI", "di", 1, 8), ("Lead Comp 1 - mic A", "mic", 1, 8),
    ]  # fmt: skip
    made = await song.client.post(f"{song.address}/parcels", json={"items": [item["key"] for item in comp]})
    assert made.status_code == 201, made.text
    archive = zipfile.ZipFile(io.BytesIO((await song.client.get(made.json()["url"])).content))
    start = song.bars(1, 1)["from_frame"]
    for item, kind in zip(comp, ("di", "mic"), strict=True):
        samples, rate_hz = soundfile.read(io.BytesIO(archive.read(f"Comp/{item['name']}.wav")))
        assert rate_hz == FS
        np.testing.assert_allclose(samples[start : start + 8 * BAR], await song.heard(1, 8, kind), atol=2**-23)
    # Another version is another file.
    await song.comp("versions", expect=201, name="loud end")
    items = (await song.client.get(f"{song.address}/hand-over")).json()
    assert items[0]["name"] == "Lead loud end - DI"
    refused = await song.client.post(f"{song.address}/parcels", json={"items": [comp[0]["key"]]})
    assert "not there any more" in refused.json()["detail"]


async def test_the_bin_keeps_what_a_comp_uses_and_says_which(song):
    await song.use(0, 3, 4)
    heard = await song.heard(1, 4)
    await song.client.post(f"{song.address}/takes/bin", json={"take_ids": [song.takes[0]["id"], song.takes[1]["id"]]})
    np.testing.assert_array_equal(await song.heard(1, 4), heard)
    comp = await song.comp()
    assert [piece["in_bin"] for piece in comp["lines"][0]["pieces"]] == [False, True]
    binned = (await song.client.get(f"{song.address}/bin")).json()["takes"]
    assert sorted((take["number"], take["used_by"]) for take in binned) == [(1, ["Lead, Comp 1"]), (2, [])]
    emptied = await song.client.delete(f"{song.address}/bin?agreed=true")
    assert [take["number"] for take in emptied.json()["takes"]] == [1]
    np.testing.assert_array_equal(await song.heard(1, 4), heard)
    refused = await song.client.delete(f"{song.address}/bin?agreed=true")
    assert (refused.status_code, refused.json()["detail"]) == (
        422,
        "take 1 is used by Lead, Comp 1: use another take there, or remove that version first",
    )
    # A take that is thrown away cannot be used anew.
    refused = await song.comp("use", expect=422, take_id=song.takes[0]["id"], **song.bars(1, 2))
    assert "bring it back first" in refused["detail"]


async def test_what_cannot_be_done_is_said_and_nothing_is_lost(song):
    await song.use(0, 3, 4)
    before = await song.comp()
    start = song.takes[0]["from_frame"]
    elsewhere = {"from_frame": start + 20 * BAR, "to_frame": start + 21 * BAR}
    refused = await song.comp("use", expect=422, take_id=song.takes[0]["id"], **elsewhere)
    assert refused["detail"] == "this take was not recorded there: choose another one, or move it there first"
    refused = await song.comp("use", expect=422, take_id=song.takes[0]["id"], from_frame=5, to_frame=5)
    assert "a range ends after it begins" in refused["detail"]
    other = (
        await song.client.post(f"{song.address}/parts", json={"name": "Bass", "instrument": "four-string bass"})
    ).json()
    current = {"comp_id": before["versions"][0]["id"]}
    refused = await song.client.put(f"/api/parts/{other['id']}/comp/current", json=current)
    assert refused.json()["detail"] == "Comp 1 is a comp of another part: choose one of Bass"
    assert await song.comp() == before


async def test_two_pages_that_edit_one_comp_at_once_lose_nothing(song):
    import asyncio

    await song.use(2, 1, 4)
    await asyncio.gather(song.use(0, 1, 2), song.use(1, 3, 4), song.use(0, 7, 8))
    comp = await song.comp()
    assert [number for number, _ in pieces(comp, 0)] == [1, 2]
    assert [number for number, _ in pieces(comp, 1)] == [3, 1]


async def test_a_file_that_is_away_leaves_the_border_where_it_was_wished(song, tmp_path):
    for path in (tmp_path / "sessions").rglob("*01*.wav"):
        path.rename(path.with_suffix(".away"))
    comp = await song.use(0, 3, 4)
    used = comp["lines"][0]["pieces"][1]
    assert used["from_frame"] == song.bars(3, 3)["from_frame"]
    assert [join["ms"] for join in comp["lines"][0]["joins"]] == [None]
