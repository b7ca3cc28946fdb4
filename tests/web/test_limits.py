"""Bodies that are too large, against the middleware itself."""

import asyncio

import pytest

from fatsignal.web.limits import MaxBodySize

GB = 1024**3


def ask(*, length, pieces, largest_bytes=2 * GB):
    """Send a body in pieces; returns what was answered, and how many pieces the application behind it read."""
    reached, answered = [], []
    waiting = [
        {"type": "http.request", "body": piece, "more_body": number + 1 < len(pieces)}
        for number, piece in enumerate(pieces)
    ]

    async def application(scope, receive, send):
        reached.append((await receive())["body"])
        await send({"type": "http.response.start", "status": 201, "headers": []})
        await send({"type": "http.response.body", "body": b"kept"})

    async def receive():
        return waiting.pop(0)

    async def send(message):
        answered.append(message)

    headers = [(b"content-length", length)] if length is not None else []
    scope = {"type": "http", "method": "POST", "path": "/api/sessions/x/imports", "headers": headers}
    asyncio.run(MaxBodySize(application, largest_bytes=largest_bytes)(scope, receive, send))
    return answered, reached, waiting


def test_a_file_of_five_gigabytes_is_thrown_away_as_it_comes_and_refused_with_a_sentence():
    answered, reached, left = ask(length=str(5 * GB).encode(), pieces=[b"x" * 1000] * 50)
    assert reached == []
    assert left == [], "a browser that is cut off while it sends shows no answer"
    assert answered[0]["status"] == 413
    assert b"5.0 GB, and files of up to 2 GB" in answered[1]["body"]
    assert b"cut it into parts" in answered[1]["body"]


@pytest.mark.parametrize("length", [b"1000", str(2 * GB).encode(), None, b"many"])
def test_what_is_not_too_large_passes_untouched(length):
    answered, reached, _ = ask(length=length, pieces=[b"take"])
    assert reached == [b"take"]
    assert answered[0]["status"] == 201


def test_a_sender_that_goes_away_is_not_answered():
    async def receive():
        return {"type": "http.disconnect"}

    async def never(*_):
        raise AssertionError("nobody is there to answer")

    scope = {"type": "http", "headers": [(b"content-length", b"9999999")]}
    asyncio.run(MaxBodySize(never, largest_bytes=1000)(scope, receive, never))
