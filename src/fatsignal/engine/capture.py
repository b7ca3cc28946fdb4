"""What carries out one order of the engine, in a thread of its own."""

import threading
from collections.abc import Sequence
from uuid import UUID

from fatsignal.engine.orders import Cue
from fatsignal.rig.source import Source


def fault_sentence(trouble: Exception) -> str:
    """What ended a capture that nobody foresaw."""
    return f"the recording engine met a fault ({trouble}): what came until then is kept; try again"


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
