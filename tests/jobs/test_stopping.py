import time


def test_a_rendering_that_is_stopped_leaves_nothing_and_can_be_asked_for_again_at_once(application):
    take, tone = application.takes()[0], application.get("/api/tones")[3]
    body = {"material_id": take["id"], "tone_revision_id": tone["id"]}
    session = application.session["id"]

    def state():
        return next(p for p in application.get(f"/api/sessions/{session}/prints") if p["id"] == asked["id"])

    asked = application.send("POST", "/api/prints", body)[1]
    # Waiting, begun, rendering, and while the one before still winds down: asked for again at once each time.
    for pause_s in (0.0, 0.1, 0.5, 0.0, 0.3):
        time.sleep(pause_s)
        assert state()["state"] != "ready", "there is something to stop"
        assert application.send("DELETE", f"/api/prints/{asked['id']}/rendering")[0] == 204
        assert state()["state"] == "stopped"
        again = application.send("POST", "/api/prints", body)[1]
        assert (again["id"], again["state"]) == (asked["id"], "waiting")
    done = application.wait_for(lambda: state() if state()["state"] == "ready" else None, seconds=90, what="the print")
    assert done["progress"] == 1.0
    prints = application.data / "sessions" / "Copper Weather" / "Prints"
    application.wait_for(lambda: not list(prints.glob("*.rendering.wav")), seconds=5, what="an empty workshop")
    # Stopping what is finished changes nothing.
    application.send("DELETE", f"/api/prints/{asked['id']}/rendering")
    assert state()["state"] == "ready"
