"""What a sound of the bench is over its loop: loudness, peak, thirds of an octave."""

from typing import TYPE_CHECKING, Any
from uuid import UUID

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.errors import NotFound
from fatsignal.jobs.kind import PROMPT, Tell, WorkKind, keep_result
from fatsignal.store import parts, sessions
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.bench_measure import Heard

BENCH_KIND = "bench"
_REMEMBERED = 500


class BenchInput(BaseModel):
    """A sound of a part's bench; `told` is all that makes it sound as it does."""

    part_id: UUID
    key: str
    told: list[Any]


async def heard_on_bench(conn: Connection, part_id: UUID, key: str, settings: Settings) -> "Heard":
    """What computes on a sound of a part's bench needs.

    Raises
    ------
    NotFound
        If there is no such sound.
    """
    from fatsignal.acts.bench import things_on_bench
    from fatsignal.acts.bench_measure import Heard

    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    things = await things_on_bench(conn, part, session, settings.sessions_folder)
    sound = next((each for each in things.sounds if each.key == key), None)
    if sound is None:
        raise NotFound("sound on the bench", key)
    return Heard(things.dry, things.loop, sound, session.tempo)


async def _prepare(conn: Connection, work: Work, settings: Settings) -> "Heard":
    asked = BenchInput.model_validate(work.input)
    return await heard_on_bench(conn, asked.part_id, asked.key, settings)


def _compute(heard: "Heard", _: str, tell: Tell) -> Any:
    from fatsignal.acts.bench_measure import measured

    return measured(heard)


BENCH = WorkKind(
    name=BENCH_KIND, queue=PROMPT, prepare=_prepare, compute=_compute, keep=keep_result, remembered=_REMEMBERED
)
