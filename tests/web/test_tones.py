"""Tones over the application's routes: found, brought in and taken out, their revisions."""

import json

import pytest

from fatsignal.acts.shipped_tones import keep_shipped_tones
from fatsignal.store import tones
from fatsignal.tones import find_tone, shipped_tones


@pytest.fixture
async def kept(client):
    async with client.pool.connection() as conn:
        return [await tones.keep_tone(conn, tone) for tone in shipped_tones()]


async def find(client, **asked):
    answer = await client.get("/api/tones/found", params=asked)
    assert answer.status_code == 200, answer.text
    return answer.json()


async def test_the_tones_that_come_with_the_program_are_measured_already(client):
    async with client.pool.connection() as conn:
        await keep_shipped_tones(conn)
        await keep_shipped_tones(conn)
    for riff in ("guitar", "bass"):
        found = await find(client, played_on=riff)
        assert (len(found["tones"]), found["measuring"]) == (len(shipped_tones()), 0)


async def test_what_was_never_measured_is_measured_once_and_found_by_it(client):
    async with client.pool.connection() as conn:
        for name in ("Pale Lamp", "Kiln", "Foundry", "Anvil"):
            await tones.keep_tone(conn, find_tone(name))
    first = await find(client)
    assert first["measuring"] == 4
    known = await find(client)
    assert known["measuring"] == 0
    by_name = {tone["name"]: tone["figures"] for tone in known["tones"]}
    assert by_name["Foundry"]["added_db"] > by_name["Pale Lamp"]["added_db"]
    assert by_name["Foundry"]["answers_db"] < 10 < by_name["Pale Lamp"]["answers_db"]
    driven = await find(client, order="more driven")
    added = [tone["figures"]["added_db"] for tone in driven["tones"]]
    assert added == sorted(added, reverse=True)
    like = await find(client, like=next(each["id"] for each in known["tones"] if each["name"] == "Kiln"))
    assert like["tones"][0]["apart"] < like["tones"][-1]["apart"]
    assert [tone["name"] for tone in (await find(client, typed="high ga"))["tones"]] == ["Anvil", "Foundry"]
    wrong = await client.get("/api/tones/found", params={"order": "louder"})
    assert wrong.status_code == 422


async def test_a_tone_goes_out_and_comes_in_as_the_same_document(client, kept):
    kiln = next(each for each in kept if each.name == "Kiln")
    out = await client.get(f"/api/tones/{kiln.id}/document.json")
    assert out.headers["content-disposition"].startswith('attachment; filename="Kiln r1.json"')
    again = await client.post("/api/tones", json=out.json())
    assert again.json()["id"] == str(kiln.id)
    document = {**out.json(), "name": "Grüße"}
    own = (await client.post("/api/tones", json=document)).json()
    named = await client.get(f"/api/tones/{own['id']}/document.json")
    # RFC 8187, section 3.2: UTF-8, percent-encoded.
    assert "filename*=UTF-8''Gr%C3%BC%C3%9Fe%20r1.json" in named.headers["content-disposition"]


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"blocks": [{"kind": "flux"}]}, "blocks.0"),
        ({"blocks": [{"kind": "trim", "gain_db": 1000}]}, "blocks.0.trim.gain_db"),
        ({"instruments": ["kazoo"]}, "instruments.0"),
        ({"version": 9}, "version"),
        ({"full_scale_v": "much"}, "full_scale_v is a voltage"),
    ],
)
async def test_a_wrong_document_says_where(client, changes, says):
    refused = await client.post("/api/tones", json={"name": "x", "blocks": [{"kind": "trim"}], **changes})
    assert refused.status_code == 422
    assert says in refused.json()["detail"]


async def test_documents_of_the_first_version_are_read(client):
    old = {
        "format": "fatsignal.tone", "version": 1, "name": "Old", "full_scale_v": 2.0,
        "blocks": [{"kind": "gate", "threshold_dbfs": -60, "release_ms": 80}, {"kind": "trim", "gain_db": -3}],
    }  # fmt: skip
    document = (await client.post("/api/tones", json=old)).json()["document"]
    assert document["version"] == 2
    assert "full_scale_v" not in document
    # -60 dB against 2 V: -54 dBV.
    assert document["blocks"][0]["threshold_dbv"] == pytest.approx(-54.0, abs=0.05)


async def test_every_keeping_of_a_tone_is_told(client, kept):
    lamp = kept[0]
    changed = json.loads(json.dumps(lamp.document)) | {"use": "cleaner"}
    await client.post("/api/tones", json=changed)
    told = (await client.get(f"/api/tones/{lamp.tone_id}/revisions")).json()
    told = [(each["revision"], each["use"], each["prints"]) for each in told]
    assert told == [(2, "cleaner", 0), (1, lamp.document["use"], 0)]
    assert (await client.get(f"/api/tones/{lamp.id}/revisions")).status_code == 404
