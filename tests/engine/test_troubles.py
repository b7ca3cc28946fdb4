"""A device that stalls, and a clock that is set, while the whole application rolls: time is kept, and told."""

import json
import time
from datetime import UTC, datetime

import numpy as np
import pytest
import soundfile
from websockets.sync.client import connect

from tests.applications import Application
from tests.engine.applications import start_to_roll, taken
from tests.reference.set_clock import SettableClock
from tests.signals import FS

pytestmark = [pytest.mark.slow, pytest.mark.realtime]


def meters_for(live, seconds: float) -> list[dict]:
    """What the meters tell for some time after the first of them."""
    seen: list[dict] = []
    until = None
    while until is None or time.monotonic() < until:
        message = json.loads(live.recv(timeout=20))
        if message["event"] == "meters":
            seen.append(message)
            until = until or time.monotonic() + seconds
    return seen


def stop_and_take(app: Application, started: dict) -> dict:
    assert app.send("DELETE", f"/api/sessions/{app.session['id']}/roll")[0] == 204
    return app.wait_for(lambda: taken(app, started["take_ids"][0]), what="the take")


def recorded(app: Application, take: dict, name: str):
    channel = next(channel for channel in take["channels"] if channel["name"] == name)
    return soundfile.read(app.data / "sessions" / take["folder"] / channel["file"])[0]


def test_a_device_that_stalls_for_two_seconds_leaves_a_gap_at_its_place(paced_application):
    app = paced_application
    app.ready_to_roll()
    path = f"/api/sessions/{app.session['id']}/interface"
    settings = app.get(path)["settings"]
    assert app.send("PUT", path, {**settings, "gap_after_s": 1.5, "gap_s": 2.0})[0] == 200
    with connect(app.url.replace("http", "ws") + "/api/live") as live:
        started = start_to_roll(app, {"section_id": app.session["sections"][1]["id"]}, way="once")
        begun = time.monotonic()
        seen = meters_for(live, 5.0)
        passed_s = time.monotonic() - begun
    # Nothing came for two seconds; then the place jumped to where the song is.
    places = np.array([each["frame"] for each in seen])
    assert np.diff(places).max() == pytest.approx(2 * FS, abs=0.15 * FS)
    assert (places[-1] - places[0]) / FS == pytest.approx(passed_s, abs=0.6)
    take = stop_and_take(app, started)
    (gap,) = take["gaps"]
    assert gap["frames"] == 2 * FS
    offset = app.get(path)["offset"]
    lead = offset["frames"] if offset else 0
    # Everything arrives a round trip later: both buffers and 63.4 frames of converters.
    late = 2 * settings["buffer_frames"] + 63
    assert gap["at_frame"] == pytest.approx(1.5 * FS + late - lead, abs=settings["buffer_frames"])
    for channel in ("DI", "mic A"):
        samples = recorded(app, take, channel)
        assert len(samples) == take["frames"]
        assert not samples[gap["at_frame"] : gap["at_frame"] + gap["frames"]].any()
        assert samples[gap["at_frame"] + gap["frames"] :].any()


def test_the_clock_set_by_an_hour_changes_nothing_of_a_roll(start_application, tmp_path):
    """The clocks of server and engine jump an hour ahead and two back: the song goes on as if nothing had been."""
    clock = SettableClock(tmp_path)
    with start_application(speed=1.0, variables=clock.variables) as app:
        app.ready_to_roll()
        with connect(app.url.replace("http", "ws") + "/api/live") as live:
            started = start_to_roll(app, {"section_id": app.session["sections"][1]["id"]}, way="once")
            begun = time.monotonic()
            seen = meters_for(live, 1.0)
            for hours in (1, -1):
                clock.set(hours)
                seen += meters_for(live, 1.5)
            passed_s = time.monotonic() - begun
        places = np.array([each["frame"] for each in seen])
        assert np.diff(places).min() > 0
        assert np.diff(places).max() < 0.5 * FS
        assert (places[-1] - places[0]) / FS == pytest.approx(passed_s, abs=0.6)
        take = stop_and_take(app, started)
        assert take["gaps"] == []
        assert take["origin"] == "rolled"
        assert len(recorded(app, take, "DI")) == take["frames"]
        assert take["frames"] / FS == pytest.approx(passed_s, abs=1.0)
        # Rolling again works at once, and the new take counts on.
        again = start_to_roll(app, {"section_id": app.session["sections"][1]["id"]}, way="once")
        assert again["number"] == take["number"] + 1
        with connect(app.url.replace("http", "ws") + "/api/live") as live:
            meters_for(live, 0.5)
        second = stop_and_take(app, again)
        assert second["number"] == again["number"]
        # The clock really was set: the second take was made an hour before it was.
        hours = (datetime.now(UTC) - datetime.fromisoformat(second["recorded_at"])).total_seconds() / 3600
        assert hours == pytest.approx(1.0, abs=0.1)
