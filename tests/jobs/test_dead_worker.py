"""A worker that dies while it renders: the render is run again by another, and nothing of the first is left."""

import signal
import subprocess
import sys

import pytest
import soundfile

from tests.applications import Application


@pytest.mark.slow
def test_a_render_whose_worker_died_is_run_again(start_application):
    with start_application() as first:
        environment = {**first.environment, "FATSIGNAL_WORKERS": "0"}
        first.stop()
        first.process = subprocess.Popen([sys.executable, "-m", "fatsignal.cli", "serve"], env=environment)
        first.wait_for(lambda: first.process.poll() is None and first.answers(), what="the application without workers")
        take, tones = first.takes()[0], first.get("/api/tones")
        # Several, so that the first still renders when it is looked at.
        asked = [
            first.send("POST", "/api/prints", {"material_id": take["id"], "tone_revision_id": tone["id"]})[1]
            for tone in tones[:2]
        ]
        command = [sys.executable, "-m", "fatsignal.cli", "worker"]
        doomed = subprocess.Popen(command, env=environment)
        first.wait_for(lambda: states(first).count("rendering"), seconds=60, what="a rendering")
        doomed.kill()
        doomed.wait()
        rescuer = subprocess.Popen(command, env=environment)
        try:
            first.wait_for(lambda: set(states(first)) == {"ready"}, seconds=120, what="all prints")
        finally:
            rescuer.send_signal(signal.SIGTERM)
            rescuer.wait(timeout=15)
        prints = first.get(f"/api/sessions/{first.session['id']}/prints")
        ours = [p for p in prints if p["id"] in {each["id"] for each in asked}]
        assert {soundfile.info(first.data / "sessions" / each["file"]).frames for each in ours} == {take["frames"]}
        left = list((first.data / "sessions" / "Copper Weather" / "Prints").glob("*.rendering.wav"))
        assert left == []


def states(app: Application) -> list[str]:
    return [print_["state"] for print_ in app.get(f"/api/sessions/{app.session['id']}/prints")]
