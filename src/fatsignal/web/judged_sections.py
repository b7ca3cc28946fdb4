"""What was found in the takes of a section: computed by a worker once, for whoever asks."""

import contextlib
from collections.abc import Awaitable, Callable
from typing import Any
from uuid import UUID

from psycopg_pool import AsyncConnectionPool

from fatsignal.errors import ChangedMeanwhile, WorkFailed
from fatsignal.jobs.kinds.judging import JUDGING_KIND
from fatsignal.store.database import Connection
from fatsignal.store.works import Work
from fatsignal.web.work_queue import WorkQueue

_TRIES = 5


async def judged_section(
    pool: AsyncConnectionPool[Connection], queue: WorkQueue, part_id: UUID, section_id: UUID, *,
    kind: str = JUDGING_KIND,
) -> dict[str, Any]:  # fmt: skip
    """Every take that touches a section, newest first, phrase by phrase (`acts.judged_section.judged`), or what
    another kind of work finds in them.
    """
    from fatsignal.acts.judged_section import load_section

    async def asked() -> Work:
        async with pool.connection() as conn:
            loaded = await load_section(conn, part_id, section_id)
        return await queue.ask(
            kind=kind, fingerprint=loaded.fingerprint(), session_id=loaded.session.id,
            work_input={"part_id": str(part_id), "section_id": str(section_id)},
        )  # fmt: skip

    found: dict[str, Any] = await of_what_stays(asked, queue)
    return found


async def of_what_stays(ask: Callable[[], Awaitable[Work]], queue: WorkQueue) -> Any:
    """The result for takes as they are: where they change while it is computed, it is asked for again."""
    for _ in range(_TRIES):
        with contextlib.suppress(ChangedMeanwhile):
            return await queue.result(await ask())
    raise WorkFailed("the takes change faster than they are judged: look again in a moment")
