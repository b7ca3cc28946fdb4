"""What is made of a comp: files and prints, sample for sample what sounds; and what becomes of them when it changes."""

import json

import numpy as np
import pytest
import soundfile

from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.render import render_chunks
from fatsignal.tones import shipped_tones
from tests.signals import FS
from tests.web.comped import BAR, Song
from tests.web.in_process import voltage_of

# 24 bits hold no more.
STEP = 2**-23


@pytest.fixture
async def song(client):
    song = await Song(client).make(1, 2)
    song.made = await song.use(0, 3, 4)
    song.comp_id = song.made["versions"][0]["id"]
    return song


async def write(song, expect=201, **body):
    answer = await song.client.post(f"/api/comps/{song.comp_id}/files", json=body)
    assert answer.status_code == expect, answer.text
    return answer.json()


async def tone_of(song):
    return (await song.client.post("/api/tones", json=shipped_tones()[0].model_dump(mode="json"))).json()


async def made(song):
    return (await song.client.get(f"/api/comps/{song.comp_id}/made")).json()


async def test_a_comp_is_written_as_files_that_hold_what_is_heard(song):
    files = (await write(song))["files"]
    assert [(file["file"], file["kind"], file["there"]) for file in files] == [
        ("Comp/Comps/Lead Comp 1 - DI.wav", "di", True), ("Comp/Comps/Lead Comp 1 - mic A.wav", "mic", True),
    ]  # fmt: skip
    for file in files:
        samples, rate_hz = soundfile.read(song.client.sessions_folder / file["file"])
        assert (rate_hz, len(samples)) == (FS, file["frames"] == len(samples) and len(samples))
        np.testing.assert_allclose(samples, await song.heard(1, 8, file["kind"]), atol=STEP)
    folder = song.client.sessions_folder / "Comp" / "Comps"
    origin = json.loads((folder / "Lead Comp 1.json").read_text())
    assert [(piece["take"], piece["moved_frames"]) for piece in origin["pieces"]] == [(2, 0), (1, 0), (2, 0)]
    assert [piece["fade_frames"] is None for piece in origin["pieces"]] == [True, False, False]
    assert {each["take_id"] for each in origin["recorded files"]} == {take["id"] for take in song.takes}
    # Broadcast WAV: where it begins on the song, and what it was made of.
    head = (folder / "Lead Comp 1 - DI.wav").read_bytes()[:2_000]
    assert b"bext" in head
    assert b"made of takes 1, 2" in head
    assert song.bars(1, 1)["from_frame"].to_bytes(4, "little") in head


async def test_files_are_written_once_and_nothing_is_replaced(song):
    first = (await write(song))["files"]
    assert (await write(song))["files"] == first
    await song.use(0, 7, 8)
    later = (await write(song))["files"]
    assert [file["file"] for file in later][:2] == [
        "Comp/Comps/Lead Comp 1 - DI (2).wav", "Comp/Comps/Lead Comp 1 - mic A (2).wav",
    ]  # fmt: skip
    assert later[2:] == first
    # Thrown away by hand: written again when it is wanted again.
    (song.client.sessions_folder / later[0]["file"]).unlink()
    assert [file["there"] for file in (await made(song))["files"]] == [False, True, True, True]
    await write(song)
    assert (song.client.sessions_folder / later[0]["file"]).exists()
    assert not list((song.client.sessions_folder / "Comp" / "Comps").glob("*rendering*"))


async def test_one_section_alone_begins_where_it_does(song):
    verse = (await song.client.get(song.address)).json()["sections"][0]
    files = (await write(song, section_id=verse["id"]))["files"]
    assert files[0]["file"] == "Comp/Comps/Lead Comp 1 Verse - DI.wav"
    samples, _ = soundfile.read(song.client.sessions_folder / files[0]["file"])
    assert len(samples) == 4 * BAR
    np.testing.assert_allclose(samples, await song.heard(1, 4), atol=STEP)


async def test_a_file_that_was_changed_outside_is_said_and_nothing_is_written(song):
    (recorded,) = song.client.sessions_folder.glob("Comp/Lead/Take 01/*DI*.wav")
    recorded.write_bytes(recorded.read_bytes()[:-3] + b"abc")
    refused = await write(song, expect=422)
    assert "was changed since it was recorded" in refused["detail"]
    assert not list((song.client.sessions_folder / "Comp").glob("Comps/*"))


async def test_a_print_of_a_comp_is_its_joined_dry_signal_through_the_tone(song):
    """The amp goes on through the join: the tone is run over what was joined, and its pieces are not printed alone."""
    tone = await tone_of(song)
    body = {"material_id": song.comp_id, "tone_revision_id": tone["id"]}
    asked = await song.client.post("/api/prints", json=body)
    assert asked.status_code == 202, asked.text
    (printed,) = (await made(song))["prints"]
    assert (printed["made"]["state"], printed["of_now"]) == ("ready", True)
    assert printed["made"]["file"] == f"Comp/Prints/Lead Comp 1 - {tone['name']} r1.wav"
    samples, _ = soundfile.read(song.client.sessions_folder / printed["made"]["file"])
    heard = (await song.heard(1, 8)).astype(float)
    # Files of unknown gain are taken as one recording: the loudest tells the voltage.
    volts = [await voltage_of(song.client, take["id"]) for take in song.takes]
    voltage = min(volts, key=lambda each: each.full_scale_v)
    chain = ToneChain(Tone.model_validate(tone["document"]), rate_hz=FS, voltage=voltage)
    wet = np.concatenate([block.reshape(-1) for block in render_chunks(chain, iter([heard]), threads=1)])
    at = slice(2 * BAR - FS // 4, 2 * BAR + FS // 4)
    np.testing.assert_allclose(samples[at], wet[at], atol=1e-4)
    # It is handed over after the comp's channels, and lies where they do.
    items = (await song.client.get(f"{song.address}/hand-over")).json()
    (item,) = [item for item in items if item["key"].startswith("print-")]
    assert (item["name"], item["group_id"]) == (f"Lead Comp 1 - {tone['name']} r1", song.comp_id)
    parcel = await song.client.post(f"{song.address}/parcels", json={"items": [item["key"]]})
    assert parcel.status_code == 201, parcel.text
    # Changed, the print is one of before: it is kept, and not given as the comp's.
    await song.use(0, 7, 8)
    assert [each["of_now"] for each in (await made(song))["prints"]] == [False]
    items = (await song.client.get(f"{song.address}/hand-over")).json()
    assert not [item for item in items if item["key"].startswith("print-")]
    await song.client.post("/api/prints", json=body)
    assert sorted(each["of_now"] for each in (await made(song))["prints"]) == [False, True]
    await song.client.post(f"{song.address}/undo")
    assert sorted(each["of_now"] for each in (await made(song))["prints"]) == [False, True]


async def test_a_version_that_was_removed_comes_back_with_its_prints(song):
    tone = await tone_of(song)
    await song.client.post("/api/prints", json={"material_id": song.comp_id, "tone_revision_id": tone["id"]})
    await song.comp("versions", expect=201, name="another")
    assert (await song.client.delete(f"/api/comps/{song.comp_id}")).status_code == 200
    assert (await song.client.get(f"{song.address}/hand-over")).status_code == 200
    await song.client.post(f"{song.address}/undo")
    assert [each["of_now"] for each in (await made(song))["prints"]] == [True]


async def test_versions_are_heard_side_by_side_as_loud_as_each_other_and_blind(client):
    """The second version is 6 dB softer in the chorus, where they are compared; in the verse both are the same."""
    song = await Song(client).make(1)
    await song.add_take(2, level=0.5)
    first = (await song.use(0, 1, 8))["versions"][0]["id"]
    second = (await song.comp("versions", expect=201, name="the softer"))["versions"][1]["id"]
    await song.use(1, 5, 8)
    params = song.bars(6, 8) | {"dry": True}
    found = (await client.get(f"/api/parts/{song.part['id']}/comp/compared", params=params)).json()
    assert [each["comp_id"] for each in found] == [first, second]
    levels = [each["loudness_lufs"] + each["gain_db"] for each in found]
    assert levels[0] == pytest.approx(levels[1], abs=0.1)
    assert 4 < found[1]["gain_db"] - found[0]["gain_db"] < 8
    for each, number in zip(found, (0, 1), strict=True):
        start = song.bars(6, 6)["from_frame"] - each["sound"]["from_frame"]
        answer = await client.get(f"{each['sound']['sound_url']}&from_frame={start}&frames={BAR}")
        np.testing.assert_allclose(np.frombuffer(answer.content, "<f4"), song.of_take(number, 6, 6), atol=1e-6)
    tests = f"/api/parts/{song.part['id']}/blind-tests"
    test = (await client.post(tests, json={"kind": "comp", "sounds": [first, second]})).json()
    assert (test["letters"], sorted(test["dealt"])) == (["A", "B"], sorted([first, second]))
    for number in range(6):
        letter = test["letters"][test["dealt"].index(second)]
        answer = await client.post(f"/api/blind-tests/{test['id']}/choose", json={"number": number, "letter": letter})
        test = answer.json()
    told = (await client.post(f"/api/blind-tests/{test['id']}/reveal")).json()
    # Six of six by chance with either of two: 2 · 0.5⁶.
    assert (told["favourite"], told["chance"]) == (second, pytest.approx(2 * 0.5**6))
    assert (await client.get(tests + "/newest", params={"kind": "comp"})).json()["id"] == test["id"]
    assert (await client.get(tests + "/newest")).json() is None
