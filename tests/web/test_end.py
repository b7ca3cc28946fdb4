"""The application ends when it is told to, whatever its database does."""

import asyncio
from types import SimpleNamespace

import pytest

from fatsignal.web.app import _keep_working


async def test_a_worker_ends_although_its_own_trouble_hides_that_it_is_told_to(monkeypatch):
    async def away(*_, **__):
        try:
            await asyncio.sleep(60)
        except asyncio.CancelledError:
            raise OSError("the database is away") from None

    monkeypatch.setattr("fatsignal.web.app.work", away)
    working = asyncio.create_task(_keep_working(None, SimpleNamespace(database_url="", workers=1)))
    await asyncio.sleep(0.05)
    working.cancel()
    with pytest.raises(asyncio.CancelledError):
        await asyncio.wait_for(working, 5)


async def test_a_worker_that_fails_is_started_again(monkeypatch):
    tries = []

    async def fails(*_, **__):
        tries.append(1)
        if len(tries) < 3:
            raise OSError("the database is away")
        await asyncio.sleep(60)

    monkeypatch.setattr("fatsignal.web.app.work", fails)
    monkeypatch.setattr("fatsignal.web.app._RECONNECT_S", 0.01)
    working = asyncio.create_task(_keep_working(None, SimpleNamespace(database_url="", workers=1)))
    await asyncio.sleep(0.3)
    assert len(tries) == 3
    working.cancel()
    with pytest.raises(asyncio.CancelledError):
        await working
