"""What was added can be undone and redone like what was changed; what something hangs on stays."""

from uuid import UUID

from fatsignal.store import parts, rig_checks
from fatsignal.tones import shipped_tones

SONG = {"name": "Undo", "tempo": "100", "rate_hz": 48_000, "depth": "24"}


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
    assert "something was recorded, measured or made with it since" in refused.json()["detail"]
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


async def test_a_part_that_is_removed_comes_back_with_its_rig_and_one_that_holds_something_stays(client):
    session = await a_session(client)
    left, right = [
        (await client.post(f"{session}/parts", json={"name": name, "instrument": "baritone guitar"})).json()
        for name in ("Left", "Right")
    ]
    rig = (await client.get(f"/api/parts/{left['id']}/rig")).json()["rig"]
    assert left["armed"]
    assert left["can_be_removed"]
    assert (await client.delete(f"{session}/parts/{left['id']}")).status_code == 204
    # Another one is armed in its place, and none again when it is back.
    assert [(p["name"], p["armed"]) for p in (await client.get(session)).json()["parts"]] == [("Right", True)]
    assert (await client.post(f"{session}/undo")).json()["did"] == "Left removed"
    there = (await client.get(session)).json()["parts"]
    assert [(p["name"], p["armed"]) for p in there] == [("Left", True), ("Right", False)]
    assert (await client.get(f"/api/parts/{left['id']}/rig")).json()["rig"] == rig
    async with client.pool.connection() as conn:
        await rig_checks.add_check(
            conn, part_id=UUID(right["id"]), kind="level", verdict="good", says="right", result={"channels": []}
        )
    assert [part["can_be_removed"] for part in (await client.get(session)).json()["parts"]] == [True, False]
    refused = await client.delete(f"{session}/parts/{right['id']}")
    assert refused.status_code == 422
    assert "recorded or measured" in refused.json()["detail"]
    assert await names(client, session) == ["Left", "Right"]
    elsewhere = await a_session(client)
    assert (await client.delete(f"{elsewhere}/parts/{left['id']}")).status_code == 404


async def test_a_tone_that_was_kept_goes_and_comes_back_and_one_that_is_used_stays(client):
    session = await a_session(client)
    part = (await client.post(f"{session}/parts", json={"name": "Lead", "instrument": "baritone guitar"})).json()
    keep = f"/api/tones?session_id={session.rsplit('/', 1)[1]}"
    document = shipped_tones()[0].model_dump(mode="json") | {"name": "Mine"}

    async def mine():
        return [(t["name"], t["revision"]) for t in (await client.get("/api/tones")).json() if t["name"] == "Mine"]

    first = (await client.post(keep, json=document)).json()
    assert await mine() == [("Mine", 1)]
    await client.post(f"{session}/undo")
    assert await mine() == []
    assert (await client.post(f"{session}/redo")).json()["did"] == "tone Mine kept"
    assert (await client.get("/api/tones")).json()[-1]["id"] == first["id"]
    # A second revision under the name goes alone; the same tone again is no act.
    louder = {**document, "blocks": [*document["blocks"], {"kind": "trim", "gain_db": 1.5}]}
    assert (await client.post(keep, json=louder)).json()["revision"] == 2
    await client.post(keep, json=louder)
    await client.post(f"{session}/undo")
    assert await mine() == [("Mine", 1)]
    hear = {"hear": "tone", "when": "always", "tone_revision_id": first["id"]}
    assert (await client.put(f"/api/parts/{part['id']}/monitoring", json=hear)).status_code == 200
    await client.post(f"{session}/undo")
    await client.post(f"{session}/redo")
    await client.post(f"{session}/undo")
    async with client.pool.connection() as conn:
        await parts.set_monitoring(conn, UUID(part["id"]), hear)
    refused = await client.post(f"{session}/undo")
    assert refused.status_code == 409
    assert await mine() == [("Mine", 1)]


async def test_turning_a_level_is_one_act_and_muting_and_letting_sound_are_two(client):
    session = await a_session(client)
    part = (await client.post(f"{session}/parts", json={"name": "Lead", "instrument": "baritone guitar"})).json()["id"]
    cue = (await client.post(f"{session}/cues", json={"name": "Drummer"})).json()

    async def put(**strip):
        mix = {**cue["mix"], "strips": {part: {"gain_db": 0, "pan": 0, "muted": False, **strip}}}
        assert (await client.put(f"/api/cues/{cue['id']}", json={"name": "Drummer", "mix": mix})).status_code == 200

    async def strip():
        cues = (await client.get(f"{session}/cues")).json()["cues"]
        return next(each for each in cues if each["id"] == cue["id"])["mix"]["strips"].get(part)

    for muted in (True, False, True):
        await put(muted=muted)
    await client.post(f"{session}/undo")
    assert (await strip())["muted"] is False
    await client.post(f"{session}/undo")
    assert (await strip())["muted"] is True
    for gain_db in (-1, -2, -3):
        await put(muted=True, gain_db=gain_db)
    await put(muted=True, gain_db=-3, pan=0.5)
    await client.post(f"{session}/undo")
    assert ((await strip())["gain_db"], (await strip())["pan"]) == (-3, 0)
    await client.post(f"{session}/undo")
    assert (await strip())["gain_db"] == 0
