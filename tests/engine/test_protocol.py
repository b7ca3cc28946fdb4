"""Engine and server of different releases: what one side does not know is passed over, never fatal."""

import json
from pathlib import Path

import pytest

from fatsignal.engine.protocol import ORDERS, SPOKEN_HERE, EngineAddress, Hello, RollOrder, Speaks, read_event
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
