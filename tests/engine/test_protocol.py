"""Engine and server of different releases: what one side does not know is passed over, never fatal."""

import asyncio
import json
import os
import signal
from pathlib import Path

import pytest

from fatsignal.engine import client
from fatsignal.engine.events import Hello, read_event
from fatsignal.engine.orders import ORDERS, ListenOrder, RollOrder
from fatsignal.engine.protocol import ADDRESS_NAME, SPOKEN_HERE, EngineAddress, Speaks
from fatsignal.errors import RollRefused
from tests.engine.sources import order

# As an engine of the first half wrote them, before there was a version in the address.
OLD_ADDRESS = '{"pid":4711,"port":40123,"token":"abc"}'
OLD_HELLO = b'{"v":2,"event":"hello","pid":4711,"ready":true,"rolling":null,"busy_with":null}'
OLD_METERS = (
    b'{"v":2,"event":"meters","roll_id":"6d0bd1a4-9d36-4b3b-8d0e-0f5a8e3b6d11","frame":480,"bar":1,"beat":1,'
    b'"peak_dbfs":[-Infinity],"average_dbfs":[-Infinity],"frames_per_column":256,"first_column":0,"columns":[[[0,0]]]}'
)


def test_what_an_engine_of_the_first_half_says_is_understood():
    assert EngineAddress.model_validate_json(OLD_ADDRESS).speaks == Speaks(oldest=2, newest=2)
    hello = read_event(OLD_HELLO)
    assert isinstance(hello, Hello)
    assert (hello.v, hello.ready) == (2, True)
    assert read_event(OLD_METERS).peak_dbfs == [float("-inf")]


def test_fields_and_events_of_a_later_release_are_passed_over():
    later = {**json.loads(OLD_HELLO), "v": 9, "weather": "fine", "speaks": {"oldest": 3, "newest": 9, "more": 1}}
    assert read_event(json.dumps(later).encode()).speaks.newest == 9
    assert read_event(b'{"v":9,"event":"weather","fine":true}') is None
    asked = order_with_more()
    assert isinstance(ORDERS.validate_json(asked), RollOrder)


def order_with_more() -> str:
    asked = json.loads(order(Path("/nowhere")).model_dump_json())
    asked["parts"][0]["colour"] = "plum"
    asked["parts"][0]["setup"]["later"] = 1
    return json.dumps(asked)


@pytest.mark.parametrize("broken", [b"", b"[]", b"{}", b'{"event":"hello"}', b"\xff", b'{"event":"meters","frame":1}'])
def test_what_is_no_event_at_all_is_a_value_error_that_the_link_notes(broken):
    with pytest.raises(ValueError):
        read_event(broken)


def test_two_sides_speak_the_newest_version_that_both_know():
    assert Speaks(oldest=2, newest=5).common_with(Speaks(oldest=3, newest=4)) == 4
    assert Speaks(oldest=5, newest=6).common_with(Speaks(oldest=2, newest=4)) is None
    assert SPOKEN_HERE.common_with(Speaks()) == 2


# As a server of the first half asked: what happens meanwhile followed from what it was for.
OLD_LISTEN = {
    "v": 2, "do": "listen", "roll_id": "6d0bd1a4-9d36-4b3b-8d0e-0f5a8e3b6d11",
    "session_id": "6d0bd1a4-9d36-4b3b-8d0e-0f5a8e3b6d12", "folder": "/nowhere", "stem": "check", "rate_hz": 48000,
    "depth": "32f", "from_frame": 0, "to_frame": 96000, "seed": 1,
}  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "happening"),
    [("level", "loudest"), ("tuning", "string by string"), ("bleed", "hands off, the click in the phones"),
     ("latency", "pings"), ("computer", "the computer")],
)  # fmt: skip
def test_an_order_that_only_says_what_for_happens_as_it_did(tmp_path, kind, happening):
    tempo = json.loads(order(tmp_path).model_dump_json())["tempo"]
    asked = ORDERS.validate_json(json.dumps({**OLD_LISTEN, "kind": kind, "tempo": tempo}))
    assert isinstance(asked, ListenOrder)
    assert (asked.happening, asked.follows_pitch) == (happening, kind == "tuning")


class EngineOfAnotherRelease:
    """Says what it does, and keeps what it is asked."""

    def __init__(self, **busy):
        self.hello = {**json.loads(OLD_HELLO), **busy}
        self.asked = []

    async def __aenter__(self):
        self.server = await asyncio.start_server(self._serve, "127.0.0.1", 0)
        port = self.server.sockets[0].getsockname()[1]
        self.address = EngineAddress(pid=4711, port=port, token="abc", speaks=Speaks(oldest=9, newest=9))
        return self

    async def __aexit__(self, *_):
        self.server.close()

    async def _serve(self, reader, writer):
        await reader.readline()
        writer.write(json.dumps(self.hello).encode() + b"\n")
        self.asked += [json.loads(line)["do"] async for line in reader]
        writer.close()


@pytest.mark.parametrize(
    ("busy", "asked"),
    [({}, ["quit"]), ({"busy_with": OLD_LISTEN["roll_id"]}, []), ({"rolling": {"number": 3}}, [])],
    ids=["idle", "about to roll", "rolling"],
)
async def test_only_an_engine_that_is_idle_is_asked_to_end(busy, asked):
    async with EngineOfAnotherRelease(**busy) as engine:
        assert await client.ask_to_end_if_idle(engine.address) is bool(asked)
        await asyncio.sleep(0.1)
        assert engine.asked == asked


async def test_an_engine_that_rolls_and_is_too_far_away_is_left_alone_with_a_sentence(tmp_path, monkeypatch):
    async with EngineOfAnotherRelease(rolling={"number": 3}) as engine:
        monkeypatch.setattr(client, "running_engine", lambda _: engine.address)
        with pytest.raises(RollRefused, match="what it rolls goes on"):
            await client.EngineClient(tmp_path).connect()
        assert engine.asked == []


async def test_an_idle_engine_of_another_release_gives_its_place_to_one_of_this(tmp_path):
    address = tmp_path / ADDRESS_NAME
    first = client.EngineClient(tmp_path)
    await first.connect()
    old = json.loads(address.read_text())
    await first.close()
    address.write_text(json.dumps({**old, "release": "0.0.1"}))
    second = client.EngineClient(tmp_path)
    try:
        await second.connect()
        new = client.running_engine(tmp_path)
        assert new.pid != old["pid"]
        hello = await anext(second.events())
        assert (hello.pid, hello.rolling) == (new.pid, None)
    finally:
        await second.close()
        os.kill(json.loads(address.read_text())["pid"], signal.SIGTERM)
