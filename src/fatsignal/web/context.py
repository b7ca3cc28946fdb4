"""What an endpoint is given: a transaction or the pool, the settings, the engine, the queue of work."""

from collections.abc import AsyncIterator
from typing import Annotated, Any

from fastapi import Depends, Request
from psycopg_pool import AsyncConnectionPool

from fatsignal.config import Settings
from fatsignal.files.responses import ResponseFolder
from fatsignal.store.database import Connection
from fatsignal.web.engine_controller import EngineController
from fatsignal.web.take_lists import TakeLists
from fatsignal.web.work_queue import WorkQueue


async def transaction(request: Request) -> AsyncIterator[Connection]:
    """Commit when the endpoint returns; roll back when it raises."""
    async with request.app.state.pool.connection() as conn:
        yield conn


# "function" commits before the response leaves, so a 201 is always true.
Transaction = Annotated[Connection, Depends(transaction, scope="function")]


def _held(name: str) -> Any:
    """What the application holds under a name, as its `state`."""

    def held(request: Request) -> Any:
        return getattr(request.app.state, name)

    return Depends(held)


# For what computes: a connection for as long as something is read or written, none in between.
Pool = Annotated[AsyncConnectionPool[Connection], _held("pool")]
SettingsDep = Annotated[Settings, _held("settings")]
EngineDep = Annotated[EngineController, _held("engine")]
WorkQueueDep = Annotated[WorkQueue, _held("queue")]
ResponsesDep = Annotated[ResponseFolder, _held("responses")]
TakeListsDep = Annotated[TakeLists, _held("take_lists")]
