"""What an endpoint is given: a transaction or the pool, the settings, the engine, the queue of work."""

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Depends, Request
from psycopg_pool import AsyncConnectionPool

from fatsignal.config import Settings
from fatsignal.store.database import Connection
from fatsignal.web.engine_controller import EngineController
from fatsignal.web.live import Hub
from fatsignal.web.take_lists import TakeLists
from fatsignal.web.work_queue import WorkQueue


async def transaction(request: Request) -> AsyncIterator[Connection]:
    """Commit when the endpoint returns; roll back when it raises."""
    async with request.app.state.pool.connection() as conn:
        yield conn


# "function" commits before the response leaves, so a 201 is always true.
Transaction = Annotated[Connection, Depends(transaction, scope="function")]


def _settings(request: Request) -> Settings:
    settings: Settings = request.app.state.settings
    return settings


def _engine(request: Request) -> EngineController:
    engine: EngineController = request.app.state.engine
    return engine


def _queue(request: Request) -> WorkQueue:
    queue: WorkQueue = request.app.state.queue
    return queue


def _hub(request: Request) -> Hub:
    hub: Hub = request.app.state.hub
    return hub


def _take_lists(request: Request) -> TakeLists:
    lists: TakeLists = request.app.state.take_lists
    return lists


def _pool(request: Request) -> AsyncConnectionPool[Connection]:
    pool: AsyncConnectionPool[Connection] = request.app.state.pool
    return pool


# For what computes: a connection for as long as something is read or written, none in between.
Pool = Annotated[AsyncConnectionPool[Connection], Depends(_pool)]
SettingsDep = Annotated[Settings, Depends(_settings)]
EngineDep = Annotated[EngineController, Depends(_engine)]
WorkQueueDep = Annotated[WorkQueue, Depends(_queue)]
HubDep = Annotated[Hub, Depends(_hub)]
TakeListsDep = Annotated[TakeLists, Depends(_take_lists)]
