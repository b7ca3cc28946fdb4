"""Engine, server and database, each killed again and again while rolling: every pass is there, and there once."""

import json
import os
import signal
import subprocess
import sys
import time
from contextlib import contextmanager, suppress
from functools import partial
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import soundfile
from websockets.sync.client import connect

import launcher.postgres
from launcher.postgres import Postgres
from tests.applications import Application, copied_application, restore_demonstration
from tests.engine.applications import engine_pid, start_to_roll, taken
from tests.signals import FS

pytestmark = [pytest.mark.slow, pytest.mark.realtime]

KILLS = 20

MOST_LOST_FRAMES = FS // 10


@pytest.fixture(scope="module")
def own_server(demonstration, tmp_path_factory):
    """A server of these tests' own, with the demonstration: it is killed, and others live on theirs."""
    server = Postgres(tmp_path_factory.mktemp("postgres"))
    restore_demonstration(server.start())
    yield server
    server.stop()


@pytest.fixture(scope="module")
def on_it(demonstration, own_server, tmp_path_factory):
    """An application with that server; what its tests leave is there for the next."""
    data = tmp_path_factory.mktemp("own") / "data"
    with copied_application(demonstration, own_server.url, data, speed=1.0) as app:
        yield app


@contextmanager
def in_the_middle_of_a_loop(app: Application):
    """One bar round and round while something is done to the application; then every pass is looked at."""
    app.ready_to_roll()
    before = {take["id"] for take in app.takes()}
    roll = start_to_roll(app, {}, way="loop", loop_bar=5, loop_bars=1)
    yield
    folder = app.data / "sessions" / "Copper Weather" / "Baritone"
    app.wait_for(lambda: app.send("DELETE", f"/api/sessions/{app.session['id']}/roll")[0] == 204, what="the stop")

    def all_entered():
        waiting = list(folder.glob("*/roll.json"))
        return not waiting and [take for take in app.takes() if take["id"] not in before]

    takes = sorted(app.wait_for(all_entered, seconds=60, what="every take"), key=lambda take: take["number"])
    assert takes[0]["id"] == roll["take_ids"][0]
    numbers = [take["number"] for take in takes]
    assert numbers == list(range(numbers[0], numbers[0] + len(takes)))
    assert len(list(folder.glob("*/take.json"))) >= len(takes)
    assert {take["origin"] for take in takes} == {"rolled"}
    assert not any(take["gaps"] for take in takes)
    follows_without_a_seam(app.data / "sessions", takes)


def follows_without_a_seam(sessions: Path, takes: list[dict]) -> None:
    """Each pass holds the end of the one before it, sample by sample, and the seam lies where the bars meet."""
    bar = takes[0]["windows"][0]["to_frame"] - takes[0]["windows"][0]["from_frame"]
    for before, after in pairwise(takes):
        overlap = before["from_frame"] + before["frames"] - after["from_frame"] - bar
        assert overlap > FS // 4
        for one, other in zip(before["channels"], after["channels"], strict=True):
            first, second = (
                soundfile.read(sessions / take["folder"] / channel["file"], dtype="int32")[0]
                for take, channel in ((before, one), (after, other))
            )
            common = min(overlap, len(second))
            np.testing.assert_array_equal(first[len(first) - overlap :][:common], second[:common])
            assert len(first) == before["frames"]


@pytest.mark.parametrize("kills", [1, pytest.param(KILLS, marks=pytest.mark.long)])
def test_the_server_killed_at_some_moments_of_a_loop(paced_application, kills):
    random, app = np.random.default_rng(20), paced_application
    with in_the_middle_of_a_loop(app):
        for _ in range(kills):
            time.sleep(random.uniform(0.0, 1.5))
            app.process.kill()
            app.process.wait()
            restart(app)


def restart(app: Application) -> None:
    """Another server in the place of the one that was killed, at the same address."""
    app.process = subprocess.Popen([sys.executable, "-m", "fatsignal.cli", "serve"], env=app.environment)
    app.wait_for(app.answers, seconds=40, what="the server")


@pytest.mark.long
def test_the_database_killed_at_some_moments_of_a_loop(own_server, on_it, monkeypatch):
    random, port = np.random.default_rng(21), int(own_server.url.rsplit(":", 1)[1].split("/")[0])
    with in_the_middle_of_a_loop(on_it):
        for count in range(KILLS):
            time.sleep(random.uniform(0.0, 1.0))
            os.kill(postmaster(own_server), signal.SIGKILL)
            if count == 0:
                status, problem = on_it.send("GET", "/api/sessions")
                assert (status, problem["title"]) == (503, "No database")
                assert "what is rolling goes on" in problem["detail"]
            time.sleep(random.uniform(0.0, 0.5))
            # The same port: the application looks for it where it was.
            monkeypatch.setattr(launcher.postgres, "_free_port", lambda: port)
            own_server.start()
        on_it.wait_for(on_it.answers, what="the database")


def test_a_server_whose_database_is_away_can_be_stopped(own_server, on_it, monkeypatch):
    port = int(own_server.url.rsplit(":", 1)[1].split("/")[0])
    monkeypatch.setattr(launcher.postgres, "_free_port", lambda: port)
    on_it.ready_to_roll()
    os.kill(postmaster(own_server), signal.SIGKILL)
    try:
        time.sleep(4)
        on_it.process.send_signal(signal.SIGTERM)
        assert on_it.process.wait(timeout=20) == 0
    finally:
        own_server.start()


def postmaster(server: Postgres) -> int:
    return int((server.cluster / "postmaster.pid").read_text().split()[0])


@pytest.mark.long
def test_the_engine_killed_at_some_moments(paced_application):
    random, app = np.random.default_rng(22), paced_application
    app.ready_to_roll()
    rolled = {}
    for _ in range(KILLS):
        with connect(app.url.replace("http", "ws") + "/api/live") as live:
            started = start_to_roll(app, {"section_id": app.session["sections"][1]["id"]}, way="once")
            rolled[started["take_ids"][0]] = heard_for(live, random.uniform(0.05, 1.2))
            killed = engine_pid(app)
            os.kill(killed, signal.SIGKILL)
        # The rig that played in a process of its own ends too, and what it came from.
        app.wait_for(partial(nobody_of, killed), what="the end of what the engine had started")
        take = app.wait_for(partial(taken, app, started["take_ids"][0]), what="the take")
        assert take["origin"] == "recovered"
        assert "recovered after a crash" in take["said"]
    # Nothing is doubled, nor lost, when all starts once more.
    app.stop()
    restart(app)
    for take_id, told_frame in rolled.items():
        take = taken(app, take_id)
        assert take["from_frame"] + take["frames"] >= told_frame - MOST_LOST_FRAMES
    takes = [take for take in app.takes() if take["origin"] == "recovered"]
    assert {take["id"] for take in takes} == set(rolled)
    assert len({take["number"] for take in takes}) == len(takes) == KILLS


def nobody_of(leader: int) -> bool:
    """Whether no process lives in the session of one that was its leader."""
    sessions = []
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with suppress(OSError):  # it has just ended
            # After the name in brackets: state, parent, group, session (proc(5)).
            state, _, _, session = stat.read_text().rpartition(")")[2].split()[:4]
            if state != "Z":
                sessions.append(int(session))
    return leader not in sessions


def heard_for(live, seconds: float) -> int:
    """Follow the meters for some time; the last frame of the song that was told as recorded."""
    frame, until = 0, None
    while until is None or time.monotonic() < until:
        message = json.loads(live.recv(timeout=20))
        if message["event"] == "meters":
            frame = message["frame"]
            until = until or time.monotonic() + seconds
    return frame
