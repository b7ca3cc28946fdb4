"""What a kind of work is: how its input is read, what is computed, how the result is kept."""

from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from fatsignal.config import Settings
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

Prepared = TypeVar("Prepared")
Result = TypeVar("Result")

# Long work, as many at once as the person allows; short work, which somebody waits for; and what takes a moment, which
# must not stand behind either.
RENDERS, SHORT, PROMPT = "renders", "short", "prompt"


class Stopped(Exception):
    """Nobody wants it any more, or another holds it: the computation ends here and leaves nothing behind."""


# Says how far it is (0 to 1), and what else is told of it; raises `Stopped` where it is to end.
Tell = Callable[..., None]


@dataclass(frozen=True, slots=True)
class WorkKind(Generic[Prepared, Result]):
    """One kind of work; one module below `kinds/`, and one line where they are listed.

    `prepare` reads all that is needed, `compute` runs in a thread without a connection, `keep` writes what came of it
    in the transaction that ends the work, and gives what is remembered as its result (JSON). Whoever computes has a
    holder's name for files that are half written; `tidy` removes what an attempt that was cut off has left.
    """

    name: str
    queue: str
    prepare: Callable[[Connection, Work, Settings], Awaitable[Prepared]]
    compute: Callable[[Prepared, str, Tell], Result]
    keep: Callable[[Connection, Prepared, Result], Awaitable[Any]]
    tidy: Callable[[Prepared], None] | None = None
    # So many that ended are remembered: those that can be computed again, or of which nobody asks any more.
    remembered: int | None = None


AnyKind = WorkKind[Any, Any]


async def keep_result(conn: Connection, prepared: Any, result: Any) -> Any:
    """Of a kind of which nothing comes but its result."""
    return result


def calculation(name: str, compute: Callable[[dict[str, Any], Settings], Any], *, remembered: int) -> AnyKind:
    """A kind whose input is all that it needs, and whose result (JSON) is all that comes of it."""

    async def prepare(conn: Connection, work: Work, settings: Settings) -> tuple[dict[str, Any], Settings]:
        return work.input, settings

    def do(prepared: tuple[dict[str, Any], Settings], holder: str, tell: Tell) -> Any:
        return compute(*prepared)

    return WorkKind(name=name, queue=PROMPT, prepare=prepare, compute=do, keep=keep_result, remembered=remembered)
