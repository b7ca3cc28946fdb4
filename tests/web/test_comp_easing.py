"""Single strokes of a comp eased and tuned by the application's own routes, and what is heard of it."""

from pathlib import Path

import numpy as np
import pytest

from fatsignal.core.pitch.reading import read_pitch
from tests.signals import FS
from tests.web.comped import Song

MS = FS // 1000
# The third stroke of bar 2; the plucks come three a second, a bar lasts one.
AT = FS + FS // 3
METER = [{"bar": 1, "beats": 4, "unit": 4}]


@pytest.fixture
async def song(client):
    song = await Song(client).make(1, 2, 3)
    await song.use(0, 1, 4)
    return song


def around(song, at=AT, ms=100):
    start = song.bars(1, 1)["from_frame"] + at
    return {"from_frame": start - ms * MS, "to_frame": start + ms * MS}


def eased(comp, line=0):
    return [each for piece in comp["lines"][line]["pieces"] for each in piece["eased"]]


def lag(heard, played, at):
    """By how many frames a stroke is heard later than it was played."""
    attack = played[at - 2 * MS : at + 20 * MS]
    moved = np.correlate(heard[at - 60 * MS : at + 80 * MS], attack, "valid")
    return int(np.argmax(moved)) - 58 * MS


async def test_a_stroke_is_eased_in_all_channels_and_nothing_else_changes(song, tmp_path):
    before = await song.comp()
    comp = await song.comp("move", by="15 ms", strokes=True, **around(song))
    (stroke,) = eased(comp)
    assert (stroke["by_ms"], stroke["cents"]) == (pytest.approx(15), 0)
    for kind, name in (("di", "DI.wav"), ("mic", "mic A.wav")):
        heard, played = await song.heard(1, 4, kind), song.of_take(0, 1, 4, name)
        assert lag(heard, played, AT + (48 if kind == "mic" else 0)) == 15 * MS
        # From a third of a second before to a third after it rings otherwise; all else is the take, bit for bit.
        third = FS // 3
        inside = slice(FS // 2, 3 * FS)
        changed = np.flatnonzero(heard[inside] != played[inside]) + FS // 2
        assert AT - third < changed.min() < changed.max() < AT + third
    # A file of half a second was made for it, of both channels.
    (made,) = tmp_path.rglob("Comps/Eased/*.wav")
    assert made.stat().st_size < 1.2 * 2 * 4 * 2 * FS / 3
    # It lies where it sounds: a second act finds it there.
    strokes = await song.client.get(
        f"/api/parts/{song.part['id']}/comp/marks", params=around(song, ms=400)
    )  # fmt: skip
    marks = {each["take_id"]: each["frames"] for each in strokes.json()["strokes"]}
    assert stroke["frame"] in marks[song.takes[0]["id"]]
    assert len(eased(await song.comp("move-back", **around(song)))) == 0
    np.testing.assert_array_equal((await song.heard(1, 3))[FS:], song.of_take(0, 2, 3))
    for _ in range(2):
        assert (await song.client.post(f"{song.address}/undo")).status_code == 200
    assert await song.comp() == before


async def test_the_file_that_was_made_is_made_again_if_it_is_gone(song, tmp_path):
    await song.comp("move", by="-12 ms", strokes=True, **around(song))
    heard = await song.heard(1, 2)
    (made,) = tmp_path.rglob("Comps/Eased/*.wav")
    was = made.read_bytes()
    made.unlink()
    np.testing.assert_array_equal(await song.heard(1, 2), heard)
    assert made.read_bytes() == was
    # So is one of which only a part is left.
    made.write_bytes(was[:1000])
    np.testing.assert_array_equal(await song.heard(1, 2), heard)
    assert made.read_bytes() == was


async def test_emptying_the_bin_removes_what_no_comp_needs_any_more(song, tmp_path):
    await song.comp("move", by="-12 ms", strokes=True, **around(song))
    kept = await song.heard(1, 2)
    (needed,) = tmp_path.rglob("Comps/Eased/*.wav")
    await song.comp("move", by="4 ms", strokes=True, **around(song, at=3 * FS + FS // 3))
    await song.heard(3, 4)
    await song.client.post(f"{song.address}/undo")
    assert len(list(tmp_path.rglob("Comps/Eased/*.wav"))) == 2
    await song.client.post(f"/api/takes/{song.takes[1]['id']}/bin")
    emptied = await song.client.delete(f"{song.address}/bin", params={"agreed": True})
    assert emptied.status_code < 300, emptied.text
    assert list(tmp_path.rglob("Comps/Eased/*.wav")) == [needed]
    np.testing.assert_array_equal(await song.heard(1, 2), kept)
    # What was undone is made again when it is wanted.
    await song.comp("move", by="4 ms", strokes=True, **around(song, at=3 * FS + FS // 3))
    assert (await song.heard(3, 4)).any()
    assert len(list(tmp_path.rglob("Comps/Eased/*.wav"))) == 2


async def test_strokes_go_onto_the_click_each_by_itself(client):
    song = await Song(client).make()
    for number, late_s in enumerate((0.012, -0.008, 0.02), start=1):
        await song.add_take(number, late_s=late_s)
    await song.use(0, 1, 4)
    # On the click lies every third of the plucks: the first one of a bar.
    comp = await song.comp("onto", against="click", percent=100, strokes=True, **around(song, at=FS + 600))
    (stroke,) = eased(comp)
    assert stroke["by_ms"] == pytest.approx(-12, abs=2.5)
    heard, played = await song.heard(1, 2), song.of_take(0, 1, 2)
    assert lag(heard, played, FS + 12 * MS) == round(stroke["by_ms"] * MS)
    # It lies there already.
    again = await song.comp("onto", expect=422, against="click", percent=100, strokes=True, **around(song, at=FS))
    assert "lie so already" in again["detail"]
    half = await song.comp("move-back", **around(song, at=FS))
    assert eased(half) == []
    comp = await song.comp("onto", against="click", percent=50, strokes=True, **around(song, at=FS + 600))
    assert eased(comp)[0]["by_ms"] == pytest.approx(stroke["by_ms"] / 2, abs=0.1)


async def test_a_note_is_tuned_by_cents_and_onto_its_note(song):
    comp = await song.comp("tune", cents=25, **around(song))
    assert [(each["by_ms"], each["cents"]) for each in eased(comp)] == [(0, 25)]

    async def hz():
        note = np.asarray(await song.heard(1, 4), float)[AT + 40 * MS : AT + 300 * MS]
        return read_pitch(note, rate_hz=FS).frequency_hz

    played = read_pitch(
        np.asarray(song.of_take(0, 1, 4), float)[AT + 40 * MS : AT + 300 * MS], rate_hz=FS
    ).frequency_hz  # fmt: skip
    assert 1200 * np.log2(await hz() / played) == pytest.approx(25, abs=2)
    comp = await song.comp("tune", **around(song))
    nearest = 69 + 12 * np.log2(await hz() / 440)
    assert abs(100 * (nearest - round(nearest))) < 2.5
    assert eased(comp)[0]["cents"] != 25


async def test_what_cannot_be_eased_is_said_and_nothing_changes(song):
    before = await song.comp()
    silent = await song.comp("move", expect=422, by="5 ms", strokes=True, **around(song, at=AT + FS // 6, ms=20))
    assert "no clear stroke sounds there by itself" in silent["detail"]
    far = await song.comp("move", expect=422, by="-320 ms", strokes=True, **around(song))
    assert "would ring only" in far["detail"]
    short = await song.comp("tune", expect=422, cents=10, **around(song, at=AT + FS // 6, ms=20))
    assert "no single note" in short["detail"]
    assert (await song.comp("tune", expect=422, cents=400, **around(song)))["detail"]
    assert await song.comp() == before


async def test_what_is_lifted_to_another_tempo_says_so_and_is_stretched(client, tmp_path):
    song = await Song(client).make(1)
    tempos = [{"bar": 1, "says": "240"}, {"bar": 5, "says": "216"}]
    await song.put("/tempo", {"tempos": tempos, "meters": METER, "song_bars": 8, "audio_stays": True})
    bars = song.bars(1, 1)
    at = song.bars(5, 5)["from_frame"]
    address = f"/api/parts/{song.part['id']}/comp/lift/tempo"
    there = (await client.get(address, params={**bars, "at_frame": at})).json()
    assert there == {"percent": pytest.approx(-10, abs=0.01), "says": "the song is 10.0 % slower here"}
    same = (await client.get(address, params={**bars, "at_frame": song.bars(2, 2)["from_frame"]})).json()
    assert same == {"percent": 0, "says": ""}
    comp = await song.comp("lift", at_frame=at, take_id=song.takes[0]["id"], stretched=True, **bars)
    (piece,) = [each for each in comp["lines"][1]["pieces"] if each["longer_percent"]]
    assert piece["longer_percent"] == pytest.approx(100 / 9, abs=0.3)
    assert piece["lifted"]
    back = await song.comp("move-back", expect=422, **song.bars(5, 5))
    assert back["detail"] == "this was lifted from elsewhere: Backspace leaves it empty, or use a take here"
    # Either border goes to where nobody hears it.
    assert piece["to_frame"] - piece["from_frame"] == pytest.approx(FS / 0.9, abs=12_000)
    # Its strokes lie where the slower beat has them: the second and the third of three in the bar.
    heard = np.asarray(await song.heard(5, 6), float)
    played = np.asarray(song.of_take(0, 1, 2), float)
    for stroke in (1, 2):
        meant = round(stroke * FS / 3 / 0.9)
        attack = played[stroke * FS // 3 - 2 * MS : stroke * FS // 3 + 20 * MS]
        found = np.argmax(np.correlate(heard[meant - 40 * MS : meant + 60 * MS], attack, "valid")) - 38 * MS
        assert abs(found) <= MS
    assert list(Path(tmp_path).rglob("Comps/Eased/*.wav"))
