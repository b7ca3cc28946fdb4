"""Rolling in a whole application: what the tests of its engine share."""

import json

from tests.applications import Application


def start_to_roll(app: Application, body: dict, **settings) -> dict:
    """Start as soon as the engine takes it; what was started."""
    session = app.session["id"]
    app.wait_for(lambda: app.send("PUT", f"/api/sessions/{session}/roll/settings", settings)[0] == 200)
    return app.wait_for(
        lambda: (answer := app.send("POST", f"/api/sessions/{session}/roll", body))[0] == 201 and answer[1],
        seconds=60, what="the roll",
    )  # fmt: skip


def engine_pid(app: Application) -> int:
    return json.loads((app.data / "run" / "engine.json").read_text())["pid"]


def taken(app: Application, take_id: str) -> dict | None:
    return next((take for take in app.takes() if take["id"] == take_id), None)
