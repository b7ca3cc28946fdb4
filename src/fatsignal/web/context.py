"""What an endpoint is given: a transaction, the settings, the desk, the queue."""

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Depends, Request
from procrastinate import App

from fatsignal.config import Settings
from fatsignal.store.database import Connection
from fatsignal.web.desk import Desk
from fatsignal.web.live import Hub


async def transaction(request: Request) -> AsyncIterator[Connection]:
    """Commit when the endpoint returns; roll back when it raises."""
    async with request.app.state.pool.connection() as conn:
        yield conn


# "function" commits before the response leaves, so a 201 is always true.
Transaction = Annotated[Connection, Depends(transaction, scope="function")]


def _place(request: Request) -> Settings:
    place: Settings = request.app.state.place
    return place


def _desk(request: Request) -> Desk:
    desk: Desk = request.app.state.desk
    return desk


def _queue(request: Request) -> App:
    queue: App = request.app.state.queue
    return queue


def _hub(request: Request) -> Hub:
    hub: Hub = request.app.state.hub
    return hub


Place = Annotated[Settings, Depends(_place)]
TheDesk = Annotated[Desk, Depends(_desk)]
Queue = Annotated[App, Depends(_queue)]
TheHub = Annotated[Hub, Depends(_hub)]
