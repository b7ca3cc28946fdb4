from datetime import UTC, datetime
from uuid import uuid4

import psycopg
import pytest

from fatsignal.errors import NotFound
from fatsignal.store import prints, sessions, takes, tones
from fatsignal.store.database import migrate
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.tones import shipped_tones

CHECKS = {"peak_dbfs": -6.0}


@pytest.fixture
async def conn(database_url):
    async with await psycopg.AsyncConnection.connect(database_url) as connection:
        yield connection


async def a_session(conn, folder="Copper Weather"):
    return await sessions.add_session(
        conn, name="Copper Weather", artist="Moth Parade", rate_hz=48_000, depth="24", tempo_bpm="104",
        beats_per_bar=4, folder=folder,
    )  # fmt: skip


async def a_part(conn, session, position=0, name="Baritone", armed=True):
    return await sessions.add_part(
        conn, session_id=session.id, position=position, name=name, rig={}, written=[], armed=armed
    )


async def a_take(conn, part, number=1, **changes):
    values = {
        "id": uuid4(),
        "part_id": part.id,
        "number": number,
        "recorded_at": datetime.now(UTC),
        "rate_hz": 48_000,
        "from_frame": 1000,
        "frames": 5000,
        "window_from_frame": 2000,
        "window_to_frame": 5000,
        "origin": "rolled",
        "rig_sheet": {},
        "note": "",
        "folder": "x",
        "binned_at": None,
    }
    take = Take(**(values | changes))
    channel = TakeChannel(position=0, name="DI", kind="di", file="a.wav", sha256="0" * 64, checks=CHECKS)
    await takes.add_take(conn, take, [channel])
    return take


async def test_migrations_run_once(database_url):
    assert await migrate(database_url) == []


async def test_a_session_keeps_its_tempo_exactly(conn):
    session = await sessions.add_session(
        conn, name="x", artist="", rate_hz=44_100, depth="24", tempo_bpm="311/3", beats_per_bar=3, folder="x"
    )
    again = await sessions.get_session(conn, session.id)
    assert again == session
    assert again.tempo.tempo_bpm.denominator == 3


async def test_one_part_is_armed_at_a_time(conn):
    session = await a_session(conn)
    first, second = await a_part(conn, session), await a_part(conn, session, 1, "Bass", armed=False)
    await sessions.arm_part(conn, second.id)
    assert [part.armed for part in await sessions.list_parts(conn, session.id)] == [False, True]
    with pytest.raises(psycopg.errors.UniqueViolation, match="part_one_armed"):
        await conn.execute("UPDATE part SET armed = true WHERE id = %s", (first.id,))


async def test_entering_a_take_twice_is_harmless(conn):
    part = await a_part(conn, await a_session(conn))
    take = await a_take(conn, part)
    assert await takes.add_take(conn, take, []) is False
    assert len((await takes.channels_of(conn, [take.id]))[take.id]) == 1


@pytest.mark.parametrize(
    ("changes", "constraint"),
    [
        ({"window_to_frame": 7000}, "take_window_inside"),
        ({"window_from_frame": 500}, "take_window_inside"),
        ({"frames": 0}, "take_frames_range"),
        ({"origin": "copied"}, "take_origin_known"),
        ({"number": 0}, "take_number_range"),
    ],
)
async def test_the_database_keeps_the_rules_of_a_take(conn, changes, constraint):
    part = await a_part(conn, await a_session(conn))
    with pytest.raises(psycopg.errors.CheckViolation, match=constraint):
        await a_take(conn, part, **changes)


async def test_the_bin_keeps_takes_and_numbers_are_never_used_twice(conn):
    session = await a_session(conn)
    part = await a_part(conn, session)
    take = await a_take(conn, part, 4)
    await takes.set_binned(conn, take.id, binned=True)
    assert (await takes.list_takes(conn, session.id))[0].binned_at is not None
    assert await takes.highest_number(conn, part.id) == 4
    await takes.set_binned(conn, take.id, binned=False)
    assert (await takes.get_take(conn, take.id)).binned_at is None
    with pytest.raises(NotFound):
        await takes.set_binned(conn, uuid4(), binned=True)


async def test_a_tone_that_sounds_the_same_is_the_same_revision_and_a_change_a_new_one(conn):
    kiln = shipped_tones()[1]
    first = await tones.keep_tone(conn, kiln)
    assert (await tones.keep_tone(conn, kiln)).id == first.id
    changed = await tones.keep_tone(conn, kiln.model_copy(update={"use": "louder"}))
    assert (changed.revision, changed.tone_id) == (2, first.tone_id)
    assert [revision.revision for revision in await tones.list_newest(conn)] == [2]
    with pytest.raises(psycopg.errors.RaiseException, match="immutable"):
        await conn.execute("UPDATE tone_revision SET revision = 9")


async def test_tones_are_listed_in_the_order_they_were_made(conn):
    for tone in shipped_tones():
        await tones.keep_tone(conn, tone)
    assert [revision.name for revision in await tones.list_newest(conn)] == ["Pale Lamp", "Kiln", "Foundry", "Keel"]


async def test_a_print_is_asked_for_once_and_again_only_after_it_failed(conn):
    session = await a_session(conn)
    take = await a_take(conn, await a_part(conn, session))
    revision = await tones.keep_tone(conn, shipped_tones()[0])
    first, asked = await prints.ask_for_print(conn, take_id=take.id, tone_revision_id=revision.id)
    again, asked_again = await prints.ask_for_print(conn, take_id=take.id, tone_revision_id=revision.id)
    assert (asked, asked_again, again.id) == (True, False, first.id)
    await prints.set_ended(conn, first.id, state="failed", problem="no DI")
    anew, asked = await prints.ask_for_print(conn, take_id=take.id, tone_revision_id=revision.id)
    assert (anew.id, asked, anew.state, anew.problem) == (first.id, True, "waiting", "")


async def test_progress_does_not_bring_a_stopped_print_back(conn):
    take = await a_take(conn, await a_part(conn, await a_session(conn)))
    revision = await tones.keep_tone(conn, shipped_tones()[0])
    print_, _ = await prints.ask_for_print(conn, take_id=take.id, tone_revision_id=revision.id)
    await prints.set_ended(conn, print_.id, state="stopped")
    await prints.set_progress(conn, print_.id, 0.5, 10.0)
    assert (await prints.get_print(conn, print_.id)).state == "stopped"
    with pytest.raises(psycopg.errors.CheckViolation, match="print_ready_whole"):
        await conn.execute("UPDATE print SET state = 'ready'")
