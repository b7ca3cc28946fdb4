"""What was added can be undone and redone like what was changed; what something hangs on stays."""

from uuid import UUID

import pytest

from fatsignal.store import rig_checks
from tests.web.in_process import in_process

SONG = {"name": "Undo", "tempo": "100", "rate_hz": 48_000, "depth": "24"}


@pytest.fixture
async def client(tmp_path, database_url):
    async with in_process(tmp_path, database_url) as client:
        yield client


async def a_session(client):
    made = await client.post("/api/sessions", json=SONG)
    assert made.status_code == 201, made.text
    return f"/api/sessions/{made.json()['id']}"


async def names(client, session):
    return [part["name"] for part in (await client.get(session)).json()["parts"]]


async def test_a_part_that_was_added_goes_and_comes_back_as_it_was(client):
    session = await a_session(client)
    for name in ("Left", "Right"):
        added = await client.post(f"{session}/parts", json={"name": name, "instrument": "baritone guitar"})
        assert added.status_code == 201, added.text
    right = added.json()
    assert (await client.get(f"{session}/history")).json()["undo"] == "Right added"
    await client.post(f"{session}/undo")
    assert await names(client, session) == ["Left"]
    await client.post(f"{session}/undo")
    assert await names(client, session) == []
    for _ in range(2):
        await client.post(f"{session}/redo")
    assert await names(client, session) == ["Left", "Right"]
    again = (await client.get(session)).json()["parts"][1]
    assert (again["id"], again["armed"]) == (right["id"], right["armed"])
    assert (await client.get(f"/api/parts/{right['id']}/rig")).status_code == 200


async def test_a_part_with_which_something_was_measured_stays(client):
    session = await a_session(client)
    part = (await client.post(f"{session}/parts", json={"name": "Lead", "instrument": "baritone guitar"})).json()
    async with client.pool.connection() as conn:
        await rig_checks.add_check(
            conn, part_id=UUID(part["id"]), kind="level", verdict="good", says="right", result={"channels": []}
        )
    refused = await client.post(f"{session}/undo")
    assert refused.status_code == 409
    assert "something was recorded or measured with it since" in refused.json()["detail"]
    assert await names(client, session) == ["Lead"]


async def test_a_listener_that_was_added_goes_and_comes_back(client):
    session = await a_session(client)
    before = len((await client.get(f"{session}/cues")).json()["cues"])
    added = await client.post(f"{session}/cues", json={"name": "Drummer"})
    assert added.status_code == 201, added.text
    assert (await client.post(f"{session}/undo")).json()["did"] == "Drummer listens"
    assert len((await client.get(f"{session}/cues")).json()["cues"]) == before
    await client.post(f"{session}/redo")
    assert "Drummer" in [cue["name"] for cue in (await client.get(f"{session}/cues")).json()["cues"]]
