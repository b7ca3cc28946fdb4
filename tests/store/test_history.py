"""Undo and redo: exactly what was, whatever was done, also after everybody who did it is gone."""

from random import Random
from uuid import uuid4

import psycopg
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fatsignal.acts.bin import bin_takes
from fatsignal.acts.change_song import change_sections
from fatsignal.core.song.sections import SongSection, what_changed
from fatsignal.core.takes.windows import Window
from fatsignal.errors import CannotUndo, ConfirmationRequired
from fatsignal.store import history, parts, sections, sessions, takes
from tests.store.test_store import a_part, a_session, a_take

ALL = {"session": None, "section": None, "part": None, "take": None, "backing": None, "cue": None}


@pytest.fixture
async def conn(database_url):
    async with await psycopg.AsyncConnection.connect(database_url, autocommit=True) as connection:
        yield connection


async def everything(conn, session_id):
    """All that acts may change, as it is now."""
    return await history._snapshot(conn, session_id, ALL)


async def a_song(conn):
    """Three sections of eight bars, a part, and a take in each section."""
    session = await a_session(conn)
    names = ("Intro", "Verse", "Chorus")
    song = [SongSection(uuid4(), name, 1 + 8 * index, 8, 4) for index, name in enumerate(names)]
    await sections.replace_sections(conn, session.id, song)
    part = await a_part(conn, session)
    recorded = []
    for number, section in enumerate(song, start=1):
        start, end = session.tempo.bar_frame(section.first_bar), session.tempo.bar_frame(section.end_bar)
        window = (Window(start, end),)
        recorded.append(
            await a_take(conn, part, number, from_frame=start, recorded_frame=start, frames=end - start, windows=window)
        )
    return session, song, part, recorded


async def without(conn, session, song, index, *, agreed=True):
    wanted = [section for at, section in enumerate(song) if at != index]
    async with conn.transaction(), history.act(conn, session.id, kind="sections", says="removed", scope=ALL):
        await change_sections(
            conn, await sessions.get_session(conn, session.id), wanted, one_after_the_other=True, agreed=agreed
        )


async def test_a_section_that_holds_takes_asks_first_and_undo_restores_it_exactly(conn):
    """Before, its takes ended up in the next section, and came back eight bars later."""
    session, song, _, _ = await a_song(conn)
    before = await everything(conn, session.id)
    with pytest.raises(ConfirmationRequired, match="Verse holds a take, which goes into the bin with it"):
        await without(conn, session, song, 1, agreed=False)
    assert await everything(conn, session.id) == before
    await without(conn, session, song, 1)
    by_number = {take.number: take for take in await takes.list_takes(conn, session.id)}
    assert by_number[2].binned_at is not None
    assert by_number[3].used.from_frame == session.tempo.bar_frame(9)
    async with conn.transaction():
        assert (await history.undo(conn, session.id)).says == "removed"
    assert await everything(conn, session.id) == before
    async with conn.transaction():
        assert (await history.redo(conn, session.id)).says == "removed"
    assert [section.name for section in await sections.list_sections(conn, session.id)] == ["Intro", "Chorus"]


async def do_one(conn, session, part, take, what, value):
    scope = {"take": [take.id]} if what in ("rate", "note", "slip", "windows") else ALL
    async with conn.transaction(), history.act(conn, session.id, kind=what, says=f"{what} {value}", scope=scope):
        match what:
            case "rate":
                await takes.set_rating(conn, take.id, [None, "starred", "struck", None][value])
            case "note":
                await takes.set_note(conn, take.id, f"note {value}")
            case "slip":
                await takes.slip_take(conn, take.id, 100 * value)
            case "windows":
                now = await takes.get_take(conn, take.id)
                start = now.from_frame + 1000 * value
                await takes.set_windows(conn, take.id, [Window(start, now.from_frame + now.frames)] if value else [])
            case "rename":
                await parts.rename_part(conn, part.id, f"Baritone {value}")
            case "rig":
                await parts.set_rig(conn, part.id, {"string_volts": value})
            case "about":
                await sessions.set_about(
                    conn, session.id, name=f"Song {value}", artist="", depth="24", reference_pitch_hz=440 + value,
                    arm_together=bool(value % 2),
                )  # fmt: skip


async def test_whatever_was_done_undoing_all_of_it_is_where_it_began_and_redoing_where_it_was(conn):
    """Any acts in any order, with undo and redo among them: the laws of a history."""
    session, _, part, recorded = await a_song(conn)
    start = await everything(conn, session.id)
    random = Random(7)
    kinds = ["rate", "note", "bin", "slip", "windows", "rename", "rig", "about"]
    for _ in range(12):
        states = [await everything(conn, session.id)]
        for _ in range(random.randint(1, 8)):
            what, take, value = random.choice(kinds), random.choice(recorded), random.randint(0, 3)
            if what == "bin":
                async with conn.transaction():
                    await bin_takes(conn, session.id, [take.id], binned=bool(value % 2))
            else:
                await do_one(conn, session, part, take, what, value)
            now = await everything(conn, session.id)
            # What changes nothing is no act.
            if now != states[-1]:
                states.append(now)
        for expected in reversed(states[:-1]):
            async with conn.transaction():
                assert await history.undo(conn, session.id)
            assert await everything(conn, session.id) == expected
        back = random.randint(0, len(states) - 1)
        for expected in states[1 : 1 + back]:
            async with conn.transaction():
                assert await history.redo(conn, session.id)
            assert await everything(conn, session.id) == expected
    while True:
        async with conn.transaction():
            if await history.undo(conn, session.id) is None:
                break
    assert await everything(conn, session.id) == start


async def test_what_was_undone_is_forgotten_when_something_new_is_done(conn):
    session, _, part, recorded = await a_song(conn)
    await do_one(conn, session, part, recorded[0], "note", 1)
    async with conn.transaction():
        await history.undo(conn, session.id)
    assert (await history.history_of(conn, session.id)).redo == "note 1"
    await do_one(conn, session, part, recorded[0], "note", 2)
    now = await history.history_of(conn, session.id)
    assert (now.undo, now.redo) == ("note 2", None)
    assert await history.redo(conn, session.id) is None


async def test_what_changed_since_in_another_way_is_not_undone_and_nothing_is_overwritten(conn):
    session, _, part, recorded = await a_song(conn)
    await do_one(conn, session, part, recorded[0], "note", 1)
    await takes.set_note(conn, recorded[0].id, "somebody else's")
    with pytest.raises(CannotUndo, match="changed since in another way"):
        async with conn.transaction():
            await history.undo(conn, session.id)
    assert (await takes.get_take(conn, recorded[0].id)).note == "somebody else's"


async def test_an_act_on_what_is_gone_for_good_says_so(conn):
    session, _, part, recorded = await a_song(conn)
    await do_one(conn, session, part, recorded[0], "note", 1)
    await takes.remove_takes(conn, [recorded[0].id])
    with pytest.raises(CannotUndo, match="gone for good"):
        async with conn.transaction():
            await history.undo(conn, session.id)


async def test_small_steps_of_one_thing_in_a_row_are_one_act_and_others_are_not(conn):
    session, _, part, _ = await a_song(conn)
    for volts in (1, 2, 3):
        scope = {"part": [part.id]}
        async with (
            conn.transaction(),
            history.act(conn, session.id, kind="rig", says=f"{volts} V", scope=scope, subject=str(part.id)),
        ):
            await parts.set_rig(conn, part.id, {"string_volts": volts})
    async with conn.transaction():
        await history.undo(conn, session.id)
    assert (await parts.get_part(conn, part.id)).rig == {}
    async with conn.transaction():
        await history.redo(conn, session.id)
    assert (await parts.get_part(conn, part.id)).rig == {"string_volts": 3}


async def test_an_act_of_one_part_is_never_written_into_another(conn):
    """Before, the rig of the part that was armed then was put into the one that is armed now."""
    session, _, first, _ = await a_song(conn)
    second = await a_part(conn, session, "Lead", armed=False)
    await parts.set_rig(conn, second.id, {"string_volts": 9})
    async with (
        conn.transaction(),
        history.act(conn, session.id, kind="rig", says="rig changed", scope={"part": [first.id]}),
    ):
        await parts.set_rig(conn, first.id, {"string_volts": 2})
    await parts.arm_part(conn, second.id)
    async with conn.transaction():
        await history.undo(conn, session.id)
    assert (await parts.get_part(conn, first.id)).rig == {}
    armed = await parts.get_part(conn, second.id)
    assert (armed.rig, armed.armed) == ({"string_volts": 9}, True)


async def test_acts_that_fail_leave_no_trace(conn):
    session, _, _, recorded = await a_song(conn)
    before = await everything(conn, session.id)

    async def fails():
        async with conn.transaction(), history.act(conn, session.id, kind="x", says="x", scope=ALL):
            await takes.set_note(conn, recorded[0].id, "half done")
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        await fails()
    assert await everything(conn, session.id) == before
    assert (await history.history_of(conn, session.id)).undo is None


@given(st.permutations(range(3)), st.integers(1, 12))
@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_what_changed_in_a_song_is_said_in_words(order, bars):
    old = [SongSection(uuid4(), name, 1, 8, 4) for name in ("Intro", "Verse", "Chorus")]
    assert what_changed(old, old[:2]) == "Chorus removed"
    assert what_changed(old[:2], old) == "Chorus added"
    shuffled = [old[at] for at in order]
    expected = "sections changed" if list(order) == [0, 1, 2] else "sections put into another order"
    assert what_changed(old, shuffled) == expected
    longer = [SongSection(old[0].id, "Intro", 1, bars, 4), *old[1:]]
    assert what_changed(old, longer) == ("sections changed" if bars == 8 else "length of Intro changed")
    assert what_changed(old, [SongSection(old[0].id, "Start", 1, 8, 4), *old[1:]]) == "Intro renamed to Start"
