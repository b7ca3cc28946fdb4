"""What carries out one order of the engine, in a thread of its own."""

import logging
import threading
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from uuid import UUID

from fatsignal.core.tone.document import Tone
from fatsignal.engine.orders import Cue
from fatsignal.errors import FatSignalError
from fatsignal.rig.source import Source

log = logging.getLogger(__name__)


@contextmanager
def told_as_end(roll_id: UUID) -> Iterator[list[str]]:
    """What goes wrong inside, foreseen or not, ends it with a sentence: the only one of the list, where there is one.

    Who waits for an end would wait for ever for one that is not told.
    """
    problems: list[str] = []
    try:
        yield problems
    except FatSignalError as trouble:
        problems.append(str(trouble))
    except Exception as trouble:
        log.exception("%s met a fault", roll_id)
        problems.append(f"the recording engine met a fault ({trouble}): what came until then is kept; try again")


class Capture:
    """`run` blocks until it is over. The other methods may be called from any thread; what a capture has no use for
    does nothing.
    """

    # When the device delivered last; None where nobody waits for it.
    heard_at_s: float | None = None

    def __init__(self, roll_id: UUID, source: Source) -> None:
        self.roll_id = roll_id
        self._source = source
        self._stopping = threading.Event()

    def run(self) -> object:
        """Carry it out; an event tells how it ended."""
        raise NotImplementedError

    def stop(self, *, into_bin: bool = False) -> None:
        """Ask for the end; it comes after the block that is being read."""
        self._stopping.set()
        self._source.close()

    def set_cues(self, cues: Sequence[Cue]) -> None:
        """Other levels and pans in the ears."""

    def punch(self) -> None:
        """Press in, or out."""

    def turn(self, key: str, tone: Tone) -> None:
        """Go over to another tone while it sounds."""

    def hear(self, heard: str | None, gains_db: Mapping[str, float]) -> None:
        """Another sound of those that go round, or other levels."""
