"""A worker that dies while it renders: the render is run again by another, and nothing of the first is left."""

import os
import signal
from pathlib import Path

import soundfile

from tests.applications import Application


def test_a_render_whose_worker_died_is_run_again(application):
    app = application
    take, tones = app.takes()[0], app.get("/api/tones")
    # Several, so that one is still rendered when it is looked at.
    asked = [
        app.send("POST", "/api/prints", {"material_id": take["id"], "tone_revision_id": tone["id"]})[1]
        for tone in tones[:2]
    ]
    app.wait_for(lambda: states(app).count("rendering"), seconds=60, what="a rendering")
    (doomed,) = workers_of(app)
    os.kill(doomed, signal.SIGKILL)
    # The server starts another, which takes up what the first has left.
    app.wait_for(lambda: set(states(app)) == {"ready"}, seconds=120, what="all prints")
    assert doomed not in workers_of(app)
    prints = app.get(f"/api/sessions/{app.session['id']}/prints")
    ours = [p for p in prints if p["id"] in {each["id"] for each in asked}]
    assert {soundfile.info(app.data / "sessions" / each["file"]).frames for each in ours} == {take["frames"]}
    left = list((app.data / "sessions" / "Copper Weather" / "Prints").glob("*.rendering.wav"))
    assert left == []


def states(app: Application) -> list[str]:
    return [print_["state"] for print_ in app.get(f"/api/sessions/{app.session['id']}/prints")]


def workers_of(app: Application) -> list[int]:
    """The processes that work beside its server."""
    server = str(app.process.pid)
    children = Path(f"/proc/{server}/task/{server}/children").read_text().split()
    return [int(child) for child in children if b"worker" in Path(f"/proc/{child}/cmdline").read_bytes()]
