"""Prints in batches, with settings of their own, in stereo, gone stale; and parts that are heard by them."""

import asyncio
import io
import json
import zipfile
from uuid import uuid4

import numpy as np
import pytest
import soundfile
from scipy.signal import resample
from typer.testing import CliRunner

from fatsignal.acts.print_batch import printing
from fatsignal.cli import app
from fatsignal.files.bext import unpack_bext
from fatsignal.files.wave_writer import read_bext
from tests.signals import FS
from tests.web.comped import BAR, Song

ECHO = {"name": "Rings", "blocks": [{"kind": "echo", "time_ms": 400, "feedback": 40, "mix": 60, "wide": False}]}
QUIET = {"name": "Quiet", "blocks": [{"kind": "trim", "gain_db": -12}]}
WIDE = {"name": "Wide", "blocks": [{"kind": "chorus", "wide": True, "mix": 50}]}


@pytest.fixture
async def song(client):
    return await Song(client).make(1, 2)


async def keep(song, tone):
    kept = await song.client.post("/api/tones", json=tone)
    assert kept.status_code in (200, 201), kept.text
    return kept.json()


async def batch(song, sources, tones, expect=202, **settings):
    cells = [{"material_id": each, "tone_revision_id": tone["id"]} for each in sources for tone in tones]
    told = await song.client.post("/api/print-batches", json={"cells": cells, "settings": settings})
    assert told.status_code == expect, told.text
    return told.json()


async def prints(song):
    return (await song.client.get(f"{song.address}/prints")).json()


def read(song, print_):
    return soundfile.read(song.client.sessions_folder / print_["file"])[0]


async def test_a_batch_prints_every_source_through_every_tone_once(song):
    tones = [await keep(song, QUIET), await keep(song, ECHO)]
    takes = [take["id"] for take in song.takes]
    assert await batch(song, takes, tones) == {"asked": 4, "there": 0, "refused": []}
    made = await prints(song)
    assert len(made) == 4
    assert {each["state"] for each in made} == {"ready"}
    assert await batch(song, takes, tones) == {"asked": 0, "there": 4, "refused": []}
    # What cannot be printed keeps nothing else from being made.
    told = await batch(song, [str(uuid4()), takes[0]], tones, depth="16")
    assert (told["asked"], len(told["refused"])) == (2, 1)
    assert "there is no sound" in told["refused"][0]


async def test_other_settings_are_another_print_and_the_same_ones_the_same_bytes(song):
    tone = await keep(song, ECHO)
    take = song.takes[0]
    for settings in ({}, {"depth": "32f"}, {"oversample": 8}, {"tail_s": 4}):
        assert (await batch(song, [take["id"]], [tone], **settings))["asked"] == 1
    made = await prints(song)
    # Nothing in this tone makes partials: more oversampling gives the same bytes, which are one file.
    assert len({each["file"] for each in made}) == 3
    usual, floating, _, ringing = made
    assert soundfile.info(song.client.sessions_folder / floating["file"]).subtype == "FLOAT"
    assert len(read(song, usual)) == 8 * BAR
    rings = read(song, ringing)
    # As long as the echo sounds, and no longer: it dies away by 8 dB each time.
    assert 8 * BAR + FS < len(rings) <= 8 * BAR + 4 * FS
    assert np.abs(rings[8 * BAR : 8 * BAR + FS]).max() > 1e-3
    np.testing.assert_allclose(rings[: 8 * BAR], read(song, usual), atol=1e-6)


async def test_a_batch_may_leave_each_print_at_a_second_rate_beside_it(song):
    tone, take = await keep(song, WIDE), song.takes[0]
    assert (await batch(song, [take["id"]], [tone], rate_hz=96_000, depth="32f"))["asked"] == 1
    (made,) = await prints(song)
    there = read(song, made)
    path = song.client.sessions_folder / made["copy_file"]
    copy, rate_hz = soundfile.read(path)
    assert rate_hz == 96_000
    assert path.name.endswith("Wide r1 96 kHz.wav")
    assert len(copy) == pytest.approx(2 * len(there), abs=2)
    # The same sound, said by another resampler (scipy's, by Fourier): all but what lies at the very end of the band.
    expected, found = resample(there, 2 * len(there))[FS:-FS], copy[FS : 2 * len(there) - FS]
    assert np.std(found - expected) < 0.02 * np.std(expected)
    assert np.std(found - np.roll(expected, 1, axis=0)) > 0.02 * np.std(expected)
    lies, copied = (
        unpack_bext(read_bext(song.client.sessions_folder / made[each]) or b"") for each in ("file", "copy_file")
    )
    assert copied.time_reference_frames == 2 * lies.time_reference_frames
    assert "F=96000" in copied.coding_history
    # The session's own rate is no second one, and no other print.
    assert (await batch(song, [take["id"]], [tone], rate_hz=FS, depth="32f"))["asked"] == 1
    assert (await batch(song, [take["id"]], [tone], depth="32f"))["there"] == 1
    assert [each["copy_file"] for each in await prints(song)][1] is None
    await batch(song, [take["id"]], [tone], expect=422, rate_hz=11_025)


async def test_the_second_file_goes_with_the_bin(song):
    tone, take = await keep(song, QUIET), song.takes[0]
    await batch(song, [take["id"]], [tone], rate_hz=44_100)
    (made,) = await prints(song)
    copy = song.client.sessions_folder / made["copy_file"]
    assert soundfile.info(copy).samplerate == 44_100
    assert (await song.client.post(f"/api/takes/{take['id']}/bin")).status_code < 300
    assert (await song.client.delete(f"{song.address}/bin?agreed=true")).status_code < 300
    assert not copy.exists()


async def test_a_print_of_an_older_revision_says_so_and_is_kept(song):
    tone = await keep(song, QUIET)
    await batch(song, [song.takes[0]["id"]], [tone])
    newer = await keep(song, {**QUIET, "blocks": [{"kind": "trim", "gain_db": -6}]})
    (old,) = await prints(song)
    assert old["stale"] == "Quiet is at revision 2 now, this is 1"
    await batch(song, [song.takes[0]["id"]], [newer])
    old, new = await prints(song)
    assert (bool(old["stale"]), new["stale"]) == (True, "")
    np.testing.assert_allclose(2.0 * read(song, old), read(song, new), rtol=0.01, atol=1e-4)


async def test_a_wide_tone_is_printed_heard_and_handed_over_in_stereo(song):
    tone = await keep(song, WIDE)
    take = song.takes[0]["id"]
    await batch(song, [take], [tone])
    (made,) = await prints(song)
    assert made["channels"] == 2
    both = read(song, made)
    assert both.shape == (8 * BAR, 2)
    assert np.abs(both[:, 0] - both[:, 1]).max() > 1e-3
    sounds = (await song.client.get(f"/api/takes/{take}/comparison")).json()["sounds"]
    (sound,) = [each for each in sounds if each["kind"] == "sim"]
    for column, address in enumerate((sound["sound_url"], sound["right"]["sound_url"])):
        piece = await song.client.get(f"{address}&from_frame={BAR}&frames=1000")
        np.testing.assert_allclose(np.frombuffer(piece.content, "<f4"), both[BAR : BAR + 1000, column], atol=1e-6)
    items = (await song.client.get(f"{song.address}/hand-over")).json()
    key = next(item["key"] for item in items if item["key"].startswith("print-"))
    asked = await song.client.post(f"{song.address}/parcels", json={"items": [key]})
    archive = zipfile.ZipFile(io.BytesIO((await song.client.get(asked.json()["url"])).content))
    (name,) = [each for each in archive.namelist() if each.endswith(".wav")]
    given, _ = soundfile.read(io.BytesIO(archive.read(name)))
    np.testing.assert_allclose(given[-8 * BAR :], both, atol=1e-6)
    assert "stereo" in archive.read(next(each for each in archive.namelist() if each.endswith(".txt"))).decode()


async def test_a_part_is_heard_by_its_prints_in_the_song_and_in_what_is_handed_over(song):
    tone = await keep(song, QUIET)
    part = f"/api/parts/{song.part['id']}/heard-through"
    await song.use(0, 1, 4)

    async def tracks():
        (track,) = (await song.client.get(f"{song.address}/playing")).json()
        (channel,) = track["channels"]
        piece = await song.client.get(f"{channel['sound_url']}&from_frame={3 * BAR}&frames={2 * BAR}")
        assert piece.status_code == 200, piece.text
        return np.frombuffer(piece.content, "<f4")

    async def told():
        return (await song.client.get(f"{song.address}/heard-through")).json()

    miked = await tracks()
    assert (await song.client.put(part, json={"tone_id": tone["tone_id"]})).status_code == 204
    # Two takes sound, none is printed: it is heard as it was, and that is told.
    assert [each["missing"] for each in await told()] == [2]
    np.testing.assert_array_equal(await tracks(), miked)
    await batch(song, [take["id"] for take in song.takes], [tone])
    assert [each["missing"] for each in await told()] == [0]
    printed = await tracks()
    # What is heard is the dry signal through the tone, by the pieces of the comp.
    dry = (await song.heard(1, 8))[3 * BAR : 5 * BAR]
    ratio = np.dot(printed, dry) / np.dot(dry, dry)
    assert np.corrcoef(printed, dry)[0, 1] > 0.999
    assert abs(ratio) > 0
    items = (await song.client.get(f"{song.address}/hand-over")).json()
    assert items[0]["name"] == "Lead - Quiet"
    asked = await song.client.post(f"{song.address}/parcels", json={"items": [items[0]["key"]]})
    archive = zipfile.ZipFile(io.BytesIO((await song.client.get(asked.json()["url"])).content))
    given, _ = soundfile.read(io.BytesIO(archive.read("Comp/Lead - Quiet.wav")))
    np.testing.assert_allclose(given[-8 * BAR :][3 * BAR : 5 * BAR], printed, atol=2e-6)
    # An act like others: undone, it is heard by its microphone again.
    assert (await song.client.post(f"{song.address}/undo")).status_code in (200, 204)
    np.testing.assert_array_equal(await tracks(), miked)


async def test_what_is_marked_is_kept(song):
    tone = await keep(song, QUIET)
    plan = {
        "tones": [tone["id"]],
        "marked": [{"material_id": song.takes[0]["id"], "tone_revision_id": tone["id"]}],
        "settings": {"oversample": 8, "depth": "16", "tail_s": 2.0, "rate_hz": 96_000},
    }
    assert (await song.client.get(f"{song.address}/print-plan")).json()["marked"] == []
    assert (await song.client.put(f"{song.address}/print-plan", json=plan)).json() == plan
    assert (await song.client.get(f"{song.address}/print-plan")).json() == plan
    refused = await song.client.put(f"{song.address}/print-plan", json={**plan, "settings": {"tail_s": 600}})
    assert refused.status_code == 422


class Asked:
    def __init__(self, state, progress=0.0, times_real_time=None, seconds=60.0):
        self.state, self.progress = state, progress
        self.times_real_time, self.seconds = times_real_time, seconds


def test_what_is_left_is_told_by_how_fast_it_went():
    """Two at once at 20 times real time: of 60 s each half a print and three whole ones are left."""
    left = printing(
        [
            Asked("ready", 1.0, 22.0), Asked("rendering", 0.75, 20.0), Asked("rendering", 0.75, 20.0),
            *[Asked("waiting") for _ in range(3)], Asked("stopped"),
        ]
    )  # fmt: skip
    assert (left.waiting, left.rendering) == (3, 2)
    assert left.left_s == pytest.approx((0.5 + 3) * 60 / 20 / 2)


async def test_the_command_line_prints_takes_and_comps_by_name(song, tmp_path, database_url, monkeypatch):
    monkeypatch.setenv("FATSIGNAL_DATA", str(tmp_path))
    monkeypatch.setenv("FATSIGNAL_DATABASE_URL", database_url)
    await song.use(0, 3, 4)
    tone, out = tmp_path / "quiet.json", tmp_path / "wet"
    tone.write_text(json.dumps(QUIET))

    async def printed(*names, session="comp"):
        asked = ["reamp", *names, "--session", session, "--tone", str(tone), "--out", str(out)]
        return await asyncio.to_thread(CliRunner().invoke, app, asked)

    done = await printed("Lead 2", "lead comp 1")
    assert done.exit_code == 0, done.output
    assert sorted(path.name for path in out.iterdir()) == ["Lead 2 - Quiet.wav", "lead comp 1 - Quiet.wav"]
    wet, _ = soundfile.read(out / "lead comp 1 - Quiet.wav")
    dry = await song.heard(1, 8)
    assert np.corrcoef(wet, dry)[0, 1] > 0.9999
    for names, session, says in (
        (["Lead 9"], "comp", "in Comp there is no 'Lead 9': a take is called like 'Baritone 12'"),
        (["Lead 1"], "nowhere", "there is no session 'nowhere'; there are Comp"),
    ):
        refused = await printed(*names, session=session)
        assert refused.exit_code == 2
        assert says in refused.stderr
