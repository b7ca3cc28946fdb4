"""What an engine does with orders, without a source: the capture is one of the test's own."""

import asyncio
import threading
from contextlib import contextmanager
from uuid import uuid4

from fatsignal.engine.__main__ import Engine
from fatsignal.engine.events import EVENTS, Ended, Rolling
from fatsignal.engine.orders import CuesOrder
from tests.engine.sources import order


async def test_an_order_right_after_the_end_was_told_is_not_refused(tmp_path, monkeypatch):
    """The thread of the first roll is still letting go of its things when the second is ordered."""
    let_go, ran = threading.Event(), []

    @contextmanager
    def slow_to_leave(asked, tell, ears, *, apart):
        class Told:
            heard_at_s = None

            def run(self):
                ran.append(asked.roll_id)
                tell(Ended(roll_id=asked.roll_id, folder=tmp_path, frames=1, reason="section", problem=""))

            def stop(self, *, into_bin=False):
                pass

        yield Told()
        let_go.wait()

    monkeypatch.setattr("fatsignal.engine.capture_factory.capture_of", slow_to_leave)
    engine, told = Engine(tmp_path), asyncio.Queue()
    engine._listeners.add(told)
    first, second = order(tmp_path / "one"), order(tmp_path / "two")
    engine._obey(first.model_dump_json().encode(), told)
    assert await heard(told) == ("ended", first.roll_id)
    engine._obey(second.model_dump_json().encode(), told)
    let_go.set()
    assert await heard(told) == ("ended", second.roll_id)
    assert ran == [first.roll_id, second.roll_id]
    await asyncio.to_thread(engine._roll_thread.join)


async def heard(told):
    event = EVENTS.validate_json(await asyncio.wait_for(told.get(), timeout=10))
    return event.event, getattr(event, "roll_id", getattr(event, "problem", None))


async def test_an_end_is_told_whatever_becomes_of_what_rolls(tmp_path, monkeypatch):
    """It failed after it had begun: that is an end, not a refusal, and the next order is taken."""
    begun = Rolling.model_construct(
        roll_id=uuid4(), session_id=uuid4(), section_id=None, way="once", pass_number=1, again=False, from_frame=0,
        play_from_frame=0, to_frame=1, windows=[], by_hand=False, punched_in=False, parts=[],
    )  # fmt: skip

    @contextmanager
    def fails(asked, tell, ears, *, apart):
        class Capture:
            heard_at_s = None

            def run(self):
                tell(begun)
                raise OSError(5, "input/output error")

        yield Capture()

    monkeypatch.setattr("fatsignal.engine.capture_factory.capture_of", fails)
    engine, told = Engine(tmp_path), asyncio.Queue()
    engine._listeners.add(told)
    for _ in range(2):
        asked = order(tmp_path)
        engine._obey(asked.model_dump_json().encode(), told)
        assert (await heard(told))[0] == "rolling"
        assert await heard(told) == ("ended", asked.roll_id)
    await asyncio.to_thread(engine._roll_thread.join)
    assert engine._told is None
    assert engine._busy_with is None


async def test_faders_of_another_session_move_nothing(tmp_path, monkeypatch):
    moved, running = [], threading.Event()

    @contextmanager
    def waits(asked, tell, ears, *, apart):
        class Capture:
            heard_at_s = None

            def run(self):
                running.wait(10)
                tell(Ended(roll_id=asked.roll_id, folder=None, frames=1, reason="stopped", problem=""))

            def set_cues(self, cues):
                moved.append(cues)

            def stop(self, *, into_bin=False):
                running.set()

        yield Capture()

    monkeypatch.setattr("fatsignal.engine.capture_factory.capture_of", waits)
    engine, told = Engine(tmp_path), asyncio.Queue()
    engine._listeners.add(told)
    asked = order(tmp_path)
    engine._obey(asked.model_dump_json().encode(), told)
    while engine._capture is None:
        await asyncio.sleep(0.01)
    for session_id in (uuid4(), asked.session_id):
        engine._obey(CuesOrder(session_id=session_id, cues=[]).model_dump_json().encode(), told)
    assert len(moved) == 1
    running.set()
    await asyncio.to_thread(engine._roll_thread.join)
