"""What a kind of work is: how its input is read, what is computed, how the result is kept."""

from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from fatsignal.config import Settings
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

Prepared = TypeVar("Prepared")
Result = TypeVar("Result")

# Long work, as many at once as the person allows; and short work, which somebody waits for.
RENDERS, SHORT = "renders", "short"


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
    # Results that can be computed again at any time: so many are remembered.
    remembered: int | None = None


AnyKind = WorkKind[Any, Any]
