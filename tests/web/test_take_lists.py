"""Lists of takes: made once, remade where something changed, the same as made anew; at the size that nobody has."""

import json
from uuid import UUID

from fatsignal.core.takes.windows import Window
from fatsignal.store import takes
from fatsignal.web.presenters.takes import TAKES
from fatsignal.web.take_lists import PerTake, TakeLists
from tests.web.in_process import session_with_takes


async def anew(client, session):
    """The list as a server that has just been started makes it."""
    async with client.pool.connection() as conn:
        make = await TakeLists().read(conn, UUID(session.rsplit("/", 1)[1]), TAKES)
    return json.loads(make())


async def test_whatever_changes_is_told_as_a_list_that_is_made_anew_tells_it(client):
    session, part, ids = await session_with_takes(client, count=3)
    changes = [
        ("PUT", f"/api/takes/{ids[0]}/rating", {"rating": "starred"}),
        ("PUT", f"/api/takes/{ids[1]}/note", {"note": "the good one"}),
        ("POST", f"/api/takes/{ids[1]}/slip", {"by_frames": 480}),
        ("POST", f"/api/takes/{ids[2]}/bin", None),
        ("PUT", f"/api/parts/{part['id']}/name", {"name": "Second"}),
        ("PUT", f"{session}/tempo", {"tempos": [{"bar": 1, "says": "90"}], "meters": [], "audio_stays": True}),
        ("POST", f"{session}/undo", None),
        ("POST", f"{session}/undo", None),
        ("POST", f"{session}/undo", None),
        ("DELETE", f"{session}/bin", None),
    ]
    before = (await client.get(f"{session}/takes")).json()
    assert [take["number"] for take in before] == [3, 2, 1]
    different = 0
    for method, path, body in changes:
        answer = await client.request(method, path, json=body)
        now = (await client.get(f"{session}/takes")).json()
        assert now == await anew(client, session), (method, path, answer.text)
        assert (await client.get("/api/opening")).json()["takes"] == now
        different += now != before
        before = now
    # What is compared is no list that never changes.
    assert different >= 6


async def test_of_a_list_that_changed_only_what_changed_is_made_again(client):
    session, _, ids = await session_with_takes(client, count=4)
    made = []

    def make(of, part_name, take, channels):
        made.append(take.id)
        return str(take.number).encode()

    lists, kind = TakeLists(), PerTake("numbers", make)

    async def read():
        async with client.pool.connection() as conn:
            ready = await lists.read(conn, UUID(session.rsplit("/", 1)[1]), kind)
        return json.loads(ready())

    assert await read() == [4, 3, 2, 1]
    assert await read() == [4, 3, 2, 1]
    assert len(made) == 4
    await client.put(f"/api/takes/{ids[1]}/rating", json={"rating": "struck"})
    assert await read() == [4, 3, 2, 1]
    assert made[4:] == [UUID(ids[1])]


async def test_what_is_handed_over_follows_the_bin_and_the_names_of_parts(client):
    session, part, ids = await session_with_takes(client, count=2)
    names = [item["name"] for item in (await client.get(f"{session}/hand-over")).json()]
    assert names == ["Lead 02 - DI", "Lead 01 - DI"]
    await client.post(f"/api/takes/{ids[1]}/bin")
    await client.put(f"/api/parts/{part['id']}/name", json={"name": "Solo"})
    items = (await client.get(f"{session}/hand-over")).json()
    assert [item["name"] for item in items] == ["Solo 01 - DI"]
    assert items[0]["group_id"] == ids[0]
    gone = await client.post(f"{session}/parcels", json={"items": [f"channel-{ids[1]}-0"]})
    assert gone.status_code == 422


async def test_takes_that_touch_a_range_are_found_by_the_database_as_by_the_rule(client):
    _, part, ids = await session_with_takes(client, count=2)
    async with client.pool.connection() as conn:
        first, second = [await takes.get_take(conn, UUID(each)) for each in ids]
        span = first.used
        part_id = UUID(part["id"])
        assert {take.id for take in await takes.touching(conn, part_id, span)} == {first.id, second.id}
        behind = Window(span.to_frame, span.to_frame + 10)
        assert await takes.touching(conn, part_id, behind) == []
        assert await takes.touching(conn, part_id, Window(span.from_frame - 10, span.from_frame)) == []
        last = Window(span.to_frame - 1, span.to_frame + 10)
        assert len(await takes.touching(conn, part_id, last)) == 2
        placed = await takes.kept_placed(conn, part_id)
        assert [(each.take_id, each.windows, each.recorded) for each in placed] == [
            (take.id, take.windows, take.whole) for take in await takes.kept_of_part(conn, part_id)
        ]
