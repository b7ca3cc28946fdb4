"""Parts that are armed together: each has files, journal and take of its own, and all roll and stop as one."""

import threading
from collections.abc import Callable, Sequence

from fatsignal.engine.protocol import Ended, Event, Refused
from fatsignal.engine.recorder import Recorder


def roll_together(recorders: Sequence[Recorder]) -> None:
    """Run all; returns when the last has closed its files.

    The first one speaks for all: its meters are shown, and its end is told when every other has ended too, so that
    nothing is entered as a take while it still grows. What went wrong with another one is told after that.
    """
    first, *others = recorders
    tell = first.tell
    ends: list[Ended] = []
    first.tell = _keeping(ends, tell)
    for other in others:
        other.tell = _keeping(ends, lambda _: None)
    threads = [threading.Thread(target=other.run, name=f"roll {number}") for number, other in enumerate(others, 2)]
    for thread in threads:
        thread.start()
    if first.run().reason != "section":
        # A section ends for all at once; a stop of the first, or its trouble, ends the others.
        for other in others:
            other.stop()
    for thread in threads:
        thread.join()
    ends.sort(key=lambda ended: ended.roll_id != first.roll_id)
    tell(ends[0])
    for ended in ends[1:]:
        if ended.problem:
            tell(Refused(problem=f"{ended.folder.parent.name}: {ended.problem}"))


def _keeping(ends: list[Ended], tell: Callable[[Event], None]) -> Callable[[Event], None]:
    def told(event: Event) -> None:
        if isinstance(event, Ended):
            ends.append(event)
        else:
            tell(event)

    return told
