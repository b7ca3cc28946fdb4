"""What an endpoint is given: a transaction or the pool, the settings, the desk, the works."""

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Depends, Request
from psycopg_pool import AsyncConnectionPool

from fatsignal.config import Settings
from fatsignal.store.database import Connection
from fatsignal.web.desk import Desk
from fatsignal.web.live import Hub
from fatsignal.web.works import WorkDesk


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


def _works(request: Request) -> WorkDesk:
    works: WorkDesk = request.app.state.works
    return works


def _hub(request: Request) -> Hub:
    hub: Hub = request.app.state.hub
    return hub


def _pool(request: Request) -> AsyncConnectionPool[Connection]:
    pool: AsyncConnectionPool[Connection] = request.app.state.pool
    return pool


# For what computes: a connection for as long as something is read or written, none in between.
Pool = Annotated[AsyncConnectionPool[Connection], Depends(_pool)]
Place = Annotated[Settings, Depends(_place)]
TheDesk = Annotated[Desk, Depends(_desk)]
Works = Annotated[WorkDesk, Depends(_works)]
TheHub = Annotated[Hub, Depends(_hub)]
