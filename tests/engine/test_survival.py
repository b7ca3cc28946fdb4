"""What is rolling survives whatever else dies: the engine itself, the page's server, the database."""

import json
import os
import signal
import subprocess
import sys
import time

import pytest
import soundfile

from launcher.postgres import Postgres
from tests.conftest import Application, running_application
from tests.signals import FS


def rolling(app: Application) -> dict:
    """Start a roll at the pace of real time and wait until half a second is on disk."""
    app.ready_to_roll()
    session = app.session
    body = {"section_id": session["sections"][1]["id"]}
    path = f"/api/sessions/{session['id']}/roll"
    rolled = app.wait_for(
        lambda: (answer := app.send("POST", path, body))[0] == 201 and answer[1], seconds=40, what="the roll"
    )
    app.wait_for(lambda: frames_on_disk(app) > FS // 2, what="half a second of audio")
    return rolled


def take_folder(app: Application):
    return max((app.data / "sessions" / "Copper Weather" / "Baritone").iterdir(), key=lambda path: path.name)


def frames_on_disk(app: Application) -> int:
    files = list(take_folder(app).glob("* - DI.wav"))
    return soundfile.info(files[0]).frames if files else 0


def engine_pid(app: Application) -> int:
    return json.loads((app.data / "run" / "engine.json").read_text())["pid"]


def the_take(app: Application, rolled: dict) -> dict | None:
    return next((take for take in app.takes() if take["id"] == rolled["roll_id"]), None)


@pytest.mark.slow
def test_an_engine_that_is_killed_leaves_a_take_with_everything_that_was_flushed(start_application):
    with start_application(speed=1.0) as app:
        rolled = rolling(app)
        os.kill(engine_pid(app), signal.SIGKILL)
        on_disk = frames_on_disk(app)
        take = app.wait_for(lambda: the_take(app, rolled), what="the recovered take")
        assert take["origin"] == "recovered"
        assert take["frames"] >= on_disk > FS // 2
        assert "recovered after a crash" in take["note"]
        # And the next roll goes on as if nothing had been: another engine was started.
        assert rolling(app)["number"] == rolled["number"] + 1


@pytest.mark.slow
def test_a_server_that_is_killed_while_rolling_finds_the_take_when_it_is_back(start_application):
    with start_application(speed=1.0) as app:
        rolled = rolling(app)
        app.process.kill()
        app.process.wait()
        before = frames_on_disk(app)
        time.sleep(1.0)
        assert frames_on_disk(app) > before + FS // 2, "the engine went on"
        with running_application(app.data, app.database_url, speed=1.0) as again:
            assert again.wait_for(lambda: again.send("DELETE", f"/api/sessions/{again.session['id']}/roll")[0] == 204)
            take = again.wait_for(lambda: the_take(again, rolled), what="the take")
            assert take["origin"] == "rolled"
            # All of it survives a restart, the demonstration was not made twice.
            assert len(again.get("/api/sessions")) == 1


@pytest.mark.slow
def test_without_the_database_the_take_goes_on_and_is_entered_when_it_is_back(tmp_path):
    server = Postgres(tmp_path / "postgres")
    url = server.start()
    try:
        with running_application(tmp_path / "data", url, speed=1.0) as app:
            rolled = rolling(app)
            session = app.session["id"]
            server.stop()
            before = frames_on_disk(app)
            status, problem = app.send("GET", "/api/sessions")
            assert (status, problem["title"]) == (503, "No database")
            assert "what is rolling goes on" in problem["detail"]
            time.sleep(0.5)
            assert frames_on_disk(app) > before
            assert app.send("DELETE", f"/api/sessions/{session}/roll")[0] == 204
            time.sleep(1.0)
            # The same port: the application looks for it where it was.
            port = (tmp_path / "postgres" / "port").read_text()
            restart_on(server, port)
            take = app.wait_for(
                lambda: app.send("GET", "/api/sessions")[0] == 200 and the_take(app, rolled), what="the take"
            )
            assert take["frames"] > FS // 2
    finally:
        server.stop()


def restart_on(server: Postgres, port: str) -> None:
    import launcher.postgres as module

    free_port, module._free_port = module._free_port, lambda: int(port)
    try:
        server.start()
    finally:
        module._free_port = free_port


@pytest.mark.slow
def test_a_render_whose_worker_died_is_run_again(start_application):
    with start_application() as first:
        environment = {**first.environment, "FATSIGNAL_WORKERS": "0"}
        first.stop()
        first.process = subprocess.Popen([sys.executable, "-m", "fatsignal.cli", "serve"], env=environment)
        first.wait_for(lambda: first.process.poll() is None and answers(first), what="the application without workers")
        take, tone = first.takes()[0], first.get("/api/tones")[2]
        asked = first.send("POST", "/api/prints", {"take_id": take["id"], "tone_revision_id": tone["id"]})[1]
        command = [sys.executable, "-m", "fatsignal.cli", "worker"]
        doomed = subprocess.Popen(command, env=environment)
        # The demonstration's own prints come first; wait until ours, or any, is being rendered.
        first.wait_for(lambda: states(first).count("rendering"), seconds=60, what="a rendering")
        doomed.kill()
        doomed.wait()
        assert not (first.data / "sessions" / "Copper Weather" / "Prints" / "x").exists()
        rescuer = subprocess.Popen(command, env=environment)
        try:
            first.wait_for(lambda: set(states(first)) == {"ready"}, seconds=120, what="all prints")
        finally:
            rescuer.send_signal(signal.SIGTERM)
            rescuer.wait(timeout=15)
        prints = first.get(f"/api/sessions/{first.session['id']}/prints")
        ours = next(p for p in prints if p["id"] == asked["id"])
        assert soundfile.info(first.data / "sessions" / ours["file"]).frames == take["frames"]
        left = list((first.data / "sessions" / "Copper Weather" / "Prints").glob("*.rendering.wav"))
        assert left == []


def states(app: Application) -> list[str]:
    return [print_["state"] for print_ in app.get(f"/api/sessions/{app.session['id']}/prints")]


def answers(app: Application) -> bool:
    try:
        return bool(app.get("/api/sessions"))
    except OSError:
        return False
