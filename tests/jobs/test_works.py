"""Work: computed once, held by one, stopped at once, given up after three deaths; in one process, on a database."""

import asyncio
import contextlib
import time
from dataclasses import replace
from uuid import UUID, uuid4

import psycopg
import pytest

from fatsignal.config import Settings
from fatsignal.errors import FileRefused
from fatsignal.jobs import kinds
from fatsignal.jobs.kind import SHORT, WorkKind
from fatsignal.jobs.worker import _rescue_once, carry_out, make_queue
from fatsignal.store import works

STALLED = works.STALLED_S + 1


@pytest.fixture
async def conn(database_url):
    async with await psycopg.AsyncConnection.connect(database_url, autocommit=True) as connection:
        yield connection


@pytest.fixture
def counted(monkeypatch):
    """A kind of work that counts, and can be told what to do."""
    done = {"computed": 0, "kept": [], "act": lambda tell: "computed"}

    async def prepare(conn, work, place):
        return work.input

    def compute(prepared, holder, tell):
        done["computed"] += 1
        return done["act"](tell)

    async def keep(conn, prepared, result):
        done["kept"].append(result)
        return {"result": result}

    kind = WorkKind(name="counted", queue=SHORT, prepare=prepare, compute=compute, keep=keep)
    monkeypatch.setitem(kinds.KINDS, "counted", kind)
    return done


async def asked(conn, fingerprint="f", **more):
    work, _ = await works.ask(conn, kind="counted", fingerprint=fingerprint, work_input={"a": 1}, **more)
    return work


async def later(conn, seconds=STALLED):
    await conn.execute(
        "UPDATE work SET seen_at = seen_at - %(by)s * interval '1 s', asked_at = asked_at - %(by)s * interval '1 s'",
        {"by": seconds},
    )


async def test_what_is_asked_for_twice_is_computed_once(conn, counted, tmp_path):
    one, two = await asked(conn), await asked(conn)
    assert one.id == two.id
    for work in (one, two):
        await carry_out(conn, work.id, Settings(data=tmp_path))
    assert counted["computed"] == 1
    found = await works.find_done(conn, kind="counted", fingerprint="f")
    assert found.result == {"result": "computed"}
    assert (found.progress, found.attempts) == (1.0, 1)
    _, again = await works.ask(conn, kind="counted", fingerprint="f", work_input={})
    assert not again


async def test_two_workers_at_once_one_works(database_url, conn, counted, tmp_path):
    counted["act"] = lambda tell: time.sleep(0.3)
    work = await asked(conn)
    async with contextlib.AsyncExitStack() as stack:
        others = [
            await stack.enter_async_context(await psycopg.AsyncConnection.connect(database_url, autocommit=True))
            for _ in range(5)
        ]
        await asyncio.gather(*(carry_out(each, work.id, Settings(data=tmp_path)) for each in others))
    assert counted["computed"] == 1


async def test_who_is_taken_for_dead_changes_nothing_any_more_though_it_lives(conn, counted, tmp_path):
    """A worker whose machine stood still: another has taken over, and what the first then says does not count."""
    work, first, second = await asked(conn), uuid4(), uuid4()
    assert await works.claim(conn, work.id, holder=first)
    assert await works.claim(conn, work.id, holder=second) is None
    await later(conn)
    assert (await works.claim(conn, work.id, holder=second)).attempts == 2
    assert not await works.say(conn, work.id, holder=first, progress=0.5, detail={})
    assert not await works.end(conn, work.id, holder=first, state="done", result={"by": "first"})
    assert await works.end(conn, work.id, holder=second, state="done", result={"by": "second"})
    assert (await works.get_work(conn, work.id)).result == {"by": "second"}


async def test_who_is_taken_for_dead_before_it_begins_tidies_nothing_away(conn, counted, tmp_path, monkeypatch):
    """What is half written then is the next one's."""
    tidied = []

    async def prepare(conn, work, place):
        await later(conn)
        assert await works.claim(conn, work.id, holder=uuid4())
        return work.input

    kind = replace(kinds.KINDS["counted"], prepare=prepare, tidy=tidied.append)
    monkeypatch.setitem(kinds.KINDS, "counted", kind)
    work = await asked(conn)
    await carry_out(conn, work.id, Settings(data=tmp_path))
    assert (tidied, counted["computed"]) == ([], 0)
    assert (await works.get_work(conn, work.id)).state == "working"


async def test_a_work_that_is_stopped_ends_at_its_next_word_and_keeps_nothing(conn, database_url, counted, tmp_path):
    begun = asyncio.Event()
    loop = asyncio.get_running_loop()

    def goes_on(tell):
        for step in range(1_000):
            loop.call_soon_threadsafe(begun.set)
            tell(step / 1_000)
            time.sleep(0.01)
        return "to its end"

    counted["act"] = goes_on
    work = await asked(conn)
    async with await psycopg.AsyncConnection.connect(database_url, autocommit=True) as other:
        working = asyncio.create_task(carry_out(other, work.id, Settings(data=tmp_path)))
        await begun.wait()
        assert await works.stop(conn, work.id)
        await asyncio.wait_for(working, timeout=3)
    assert counted["kept"] == []
    stopped = await works.get_work(conn, work.id)
    assert (stopped.state, stopped.holder, stopped.result) == ("stopped", None, None)
    assert not await works.stop(conn, work.id)
    # It may be asked for again.
    counted["act"] = lambda tell: "again"
    anew, asked_anew = await works.ask(conn, kind="counted", fingerprint="f", work_input={"a": 1})
    assert asked_anew
    await carry_out(conn, anew.id, Settings(data=tmp_path))
    assert counted["kept"] == ["again"]


async def test_what_ends_its_worker_three_times_fails_and_is_not_tried_for_ever(conn, counted):
    work = await asked(conn)
    for attempt in range(works.MOST_ATTEMPTS):
        holder = uuid4()
        assert (await works.claim(conn, work.id, holder=holder)).attempts == attempt + 1
        await works.say(conn, work.id, holder=holder, progress=0.7, detail={})
        await later(conn)
        await works.take_from_the_dead(conn)
        left = await works.get_work(conn, work.id)
        assert (left.state, left.holder, left.progress) == ("waiting", None, 0.0)
        assert await works.left_alone(conn) == [work.id]
    assert await works.claim(conn, work.id, holder=uuid4()) is None
    failed = await works.get_work(conn, work.id)
    assert failed.state == "failed"
    assert "3 times" in failed.problem
    assert await works.left_alone(conn) == []


async def test_a_worker_that_is_told_to_end_lays_its_work_down_and_that_is_no_attempt(
    conn, database_url, counted, tmp_path
):
    begun = asyncio.Event()
    loop = asyncio.get_running_loop()

    def goes_on(tell):
        loop.call_soon_threadsafe(begun.set)
        for _ in range(300):
            tell(0.1)
            time.sleep(0.01)

    counted["act"] = goes_on
    work = await asked(conn)
    async with await psycopg.AsyncConnection.connect(database_url, autocommit=True) as other:
        working = asyncio.create_task(carry_out(other, work.id, Settings(data=tmp_path)))
        await begun.wait()
        working.cancel()
        with pytest.raises(asyncio.CancelledError):
            await working
        await asyncio.sleep(0.1)
    left = await works.get_work(conn, work.id)
    assert (left.state, left.attempts, left.holder) == ("waiting", 0, None)


@pytest.mark.parametrize(
    ("trouble", "says"),
    [
        (FileRefused("a.wav is gone: put it back"), "a.wav is gone: put it back"),
        (OSError(28, "No space left on device"), "make room and try again"),
        (ZeroDivisionError("nobody foresaw this"), "should not happen (nobody foresaw this)"),
    ],
)
async def test_whatever_goes_wrong_is_a_sentence_and_ends_the_work(conn, counted, tmp_path, trouble, says):
    def fails(tell):
        raise trouble

    counted["act"] = fails
    work = await asked(conn)
    await carry_out(conn, work.id, Settings(data=tmp_path))
    failed = await works.get_work(conn, work.id)
    assert failed.state == "failed"
    assert says in failed.problem


async def test_a_kind_that_this_release_does_not_know_fails_with_a_sentence(conn, tmp_path):
    work, _ = await works.ask(conn, kind="later", fingerprint="f", work_input={})
    await carry_out(conn, work.id, Settings(data=tmp_path))
    assert "does not know" in (await works.get_work(conn, work.id)).problem


async def test_the_rescuer_puts_back_what_waits_alone_and_what_a_dead_one_holds_each_once(conn, database_url, counted):
    waits, held = await asked(conn, "waits"), await asked(conn, "held")
    await works.claim(conn, held.id, holder=uuid4())
    queue = make_queue(database_url)
    async with queue.open_async():
        await _rescue_once(queue, conn)
        assert await jobs(conn) == []
        await later(conn)
        for _ in range(3):
            await _rescue_once(queue, conn)
        assert sorted(await jobs(conn)) == sorted([waits.id, held.id])


async def jobs(conn):
    rows = await (
        await conn.execute("SELECT args ->> 'work_id' FROM procrastinate_jobs WHERE status = 'todo'")
    ).fetchall()
    return [UUID(row[0]) for row in rows]


async def test_results_that_can_be_computed_again_are_forgotten_the_oldest_first(conn, counted, tmp_path, monkeypatch):
    monkeypatch.setitem(kinds.KINDS, "counted", replace(kinds.KINDS["counted"], remembered=3))
    for number in range(6):
        work = await asked(conn, f"f{number}")
        await carry_out(conn, work.id, Settings(data=tmp_path))
    rows = await (await conn.execute("SELECT fingerprint FROM work ORDER BY fingerprint")).fetchall()
    assert [row[0] for row in rows] == ["f3", "f4", "f5"]
