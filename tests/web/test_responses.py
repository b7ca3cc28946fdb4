"""Impulse responses over the application's own routes: brought in, refused, missing, taken out and in with a tone."""

import io

import numpy as np
import pytest
import soundfile

from tests.signals import FS
from tests.web.test_bench import bench  # noqa: F401
from tests.web.test_imports import as_file


def decaying(frames=4000, channels=1, seed=3):
    rng = np.random.default_rng(seed)
    return rng.standard_normal((frames, channels)) * np.exp(-np.arange(frames) / 400)[:, None] * 0.3


async def bring(client, content, name="closed back.wav"):
    return await client.post("/api/responses", files={"file": (name, content)})


async def laid(bench, content=None):  # noqa: F811
    """A bench whose last block is a response."""
    brought = (await bring(bench.client, content or as_file(decaying()))).json()
    blocks = (await bench.look())["blocks"]
    await bench.ask("post", "/edits", {"do": "add", "kind": "response", "at": len(blocks)})
    file = {"sha256": brought["sha256"], "name": brought["name"]}
    return await bench.ask("post", "/edits", {"do": "response", "block": len(blocks), "file": file}), brought


async def test_a_file_is_kept_under_what_it_holds_and_told(client):
    content = as_file(np.concatenate((np.zeros((500, 2)), decaying(channels=2))), rate_hz=96_000)
    first = (await bring(client, content)).json()
    assert (first["name"], first["rate_hz"], first["channels"]) == ("closed back", 96_000, 2)
    assert 0.02 < first["sound_s"] < 4000 / 96_000
    # The same once more, under another name: it is known already.
    assert (await bring(client, content, "again.wav")).json() == first
    assert (await client.get("/api/responses")).json() == [first]


def wav_of(samples, rate_hz=FS):
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, rate_hz, format="WAV", subtype="FLOAT")
    return buffer.getvalue()


NAN = decaying()
NAN[100] = np.nan


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "is empty: it has 0 bytes; export it again"),
        (b"no sound at all", "is not a sound file that can be read"),
        (as_file(np.zeros((4000, 1))), "is silent: choose a file in which a response sounds"),
        (as_file(np.full(((60 * 8000), 1), 0.5), rate_hz=8000), "sounds for 60.0 s; an impulse response has up to 2 s"),
        (as_file(decaying(channels=8)), "has 8 channels; an impulse response has one or two"),
        (as_file(NAN), "holds samples that are no numbers"),
        (wav_of(decaying(), rate_hz=4000), "has a rate of 4000 Hz"),
        (as_file(decaying(5)), "has only 5 samples"),
        (as_file(decaying()) + b"\0" * 17_000_000, "has 17 MB; an impulse response has up to 17 MB"),
    ],
    ids=["empty", "text", "silent", "a minute", "eight channels", "no numbers", "slow", "short", "large"],
)  # fmt: skip
async def test_what_makes_no_response_is_refused_with_a_sentence(client, content, says):
    answer = await bring(client, content)
    assert answer.status_code == 422
    assert says in answer.json()["detail"]
    assert answer.json()["detail"].startswith("closed back.wav")
    assert (await client.get("/api/responses")).json() == []


async def test_it_is_chosen_on_the_bench_heard_undone_and_shown(bench):  # noqa: F811
    shown, brought = await laid(bench)
    block = shown["blocks"][-1]
    control = next(each for group in block["groups"] for each in group["controls"] if each["shape"] == "file")
    assert control["value"] == brought["name"]
    assert shown["missing"] == []
    assert bench.orders[-1][0] == "turn"
    curve = (await bench.ask("get", "/curves"))[-1]
    assert curve["axis"] == "frequency"
    assert {"label": "file", "value": "closed back"} in curve["values"]
    await bench.undo()
    assert (await bench.look())["blocks"][-1]["groups"][0]["controls"][0]["value"] is None
    wrong = {"do": "response", "block": 0, "file": {"sha256": brought["sha256"], "name": "x"}}
    assert "choose an impulse response" in (await bench.ask("post", "/edits", wrong, expect=422))["detail"]


async def test_one_that_is_missing_is_told_and_heard_again_when_its_file_is_back(bench):  # noqa: F811
    content = as_file(decaying(seed=8))
    _, brought = await laid(bench, content)
    path = bench.client.sessions_folder.parent / "responses" / f"{brought['sha256']}.sound"
    path.rename(path.with_suffix(".away"))
    assert (await bench.look())["missing"] == ["closed back"]
    refused = await bench.ask("post", "/sounding", {"from_frame": None}, expect=422)
    assert "the impulse response closed back of the tone" in refused["detail"]
    assert "bring in its file again, or bypass its block" in refused["detail"]
    assert (await bench.ask("get", "/curves"))[-1]["axis"] == "none"
    # Another in its place is not taken for it.
    path.write_bytes(as_file(decaying(seed=9)))
    assert (await bench.look())["missing"] == ["closed back"]
    await bring(bench.client, content)
    assert (await bench.look())["missing"] == []
    assert (await bench.ask("get", "/curves"))[-1]["axis"] == "frequency"
    await bench.ask("post", "/sounding", {"from_frame": None}, expect=204)


async def test_a_tone_takes_its_files_along(bench, tmp_path):  # noqa: F811
    content = as_file(decaying(seed=5))
    _, brought = await laid(bench, content)
    await bench.ask("post", "/kept", {"name": "With a room", "use": "", "instruments": []}, expect=201)
    kept = next(each for each in (await bench.client.get("/api/tones")).json() if each["name"] == "With a room")
    out = (await bench.client.get(f"/api/tones/{kept['id']}/document.json")).json()
    assert list(out["responses"]) == [brought["sha256"]]
    (bench.client.sessions_folder.parent / "responses" / f"{brought['sha256']}.sound").unlink()
    again = await bench.client.post("/api/tones", json={**out, "name": "From elsewhere"})
    assert again.status_code == 201
    assert "responses" not in again.json()["document"]
    assert (await bench.look())["missing"] == []
    sha256 = brought["sha256"]
    damaged = {**out, "responses": {sha256: out["responses"][sha256][:-400] + "A" * 400}}
    refused = await bench.client.post("/api/tones", json=damaged)
    assert refused.status_code == 422
    assert "is damaged: export the tone again" in refused.json()["detail"]


async def test_two_paths_on_the_bench_have_places_ends_and_a_way_on(bench):  # noqa: F811
    await bench.ask("post", "/edits", {"do": "add", "kind": "split", "at": 0})
    await bench.ask("post", "/edits", {"do": "add", "kind": "fuzz", "at": [0, 1, 0]})
    shown = await bench.ask("post", "/edits", {"do": "add", "kind": "trim", "at": [0, 1, 1]})
    assert [(each["place"], each["lane"]) for each in shown["blocks"][:4]] == [
        ([0], ""), ([0, 1, 0], "path 2: above 250 Hz"), ([0, 1, 1], "path 2: above 250 Hz"), ([1], ""),
    ]  # fmt: skip
    assert [(each["place"], each["lane"], each["behind"]) for each in shown["lane_ends"]] == [
        ([0, 0, 0], "path 1: below 250 Hz", 1), ([0, 1, 2], "path 2: above 250 Hz", 3), ([1], "joined", 3),
    ]  # fmt: skip
    assert (shown["blocks"][1]["back"], shown["blocks"][1]["forward"]) == ([0, 0, 0], [0, 1, 1])
    curves = await bench.ask("get", "/curves")
    assert [each["kind"] for each in curves] == [each["kind"] for each in shown["blocks"]]
    await bench.ask("post", "/sounding", {"from_frame": None}, expect=204)
    assert len(bench.orders[-1].sounds[0].tone.blocks[0].paths[1].blocks) == 2
