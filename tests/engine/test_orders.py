"""What an engine does with orders, without a source: the capture is one of the test's own."""

import asyncio
import threading
from contextlib import contextmanager

from fatsignal.engine.__main__ import Engine
from fatsignal.engine.protocol import EVENTS, Ended
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

    monkeypatch.setattr("fatsignal.engine.captures.capture_of", slow_to_leave)
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
