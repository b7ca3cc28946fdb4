"""Two browsers at once: what one changes, every other page is told."""

import json
import urllib.error
import urllib.request

import pytest
from websockets.sync.client import connect


@pytest.fixture(scope="module")
def take(application):
    application.ready_to_roll()
    return application.takes()[0]


def asked(application, method, path, body, page):
    """A request by a page that names itself; its status."""
    request = urllib.request.Request(
        application.url + path, json.dumps(body).encode(), {"content-type": "application/json", "x-page": page},
        method=method,
    )  # fmt: skip
    try:
        with urllib.request.urlopen(request) as answer:
            return answer.status
    except urllib.error.HTTPError as refused:
        return refused.code


def changes(live, *, until):
    """The pages whose changes are told, up to the one that is waited for."""
    told = []
    while not told or told[-1] != until:
        message = json.loads(live.recv(timeout=10))
        if message["event"] == "changed":
            told.append(message["by"])
    return told


def test_every_page_hears_of_a_change_and_who_made_it(application, take):
    path = f"/api/takes/{take['id']}/note"
    address = application.url.replace("http", "ws") + "/api/live"
    with connect(address) as one, connect(address) as other:
        assert asked(application, "PUT", path, {"note": "thunder"}, "first") == 200
        assert asked(application, "PUT", path, {"note": ""}, "second") == 200
        for live in (one, other):
            assert changes(live, until="second") == ["first", "second"]


def test_what_was_refused_and_what_was_only_read_is_no_change(application, take):
    with connect(application.url.replace("http", "ws") + "/api/live") as live:
        assert asked(application, "PUT", f"/api/takes/{take['id']}/note", {"note": "x" * 501}, "refused") == 422
        assert asked(application, "DELETE", "/api/takes/00000000-0000-0000-0000-000000000000/slip", None, "lost") == 404
        application.get("/api/tones")
        assert asked(application, "PUT", f"/api/takes/{take['id']}/rating", {"rating": None}, "last") == 200
        assert changes(live, until="last") == ["last"]


def test_when_it_is_told_the_change_can_be_read(application, take):
    """It is told after the database has it: who asks again gets the new state."""
    with connect(application.url.replace("http", "ws") + "/api/live") as live:
        for count in range(20):
            note = f"told {count}"
            asked(application, "PUT", f"/api/takes/{take['id']}/note", {"note": note}, str(count))
            changes(live, until=str(count))
            assert next(each for each in application.takes() if each["id"] == take["id"])["note"] == note
    asked(application, "PUT", f"/api/takes/{take['id']}/note", {"note": ""}, "")
