"""Sound before everything else on this computer, as far as it lets us.

A block of 128 frames at 48 kHz is due every 2.7 ms; a browser that draws keeps a thread of ordinary rank waiting longer
than that. Where the system allows it (as root, or by a limit on real-time priority that studios set), the threads on
the way of the sound run before all others; where it does not, everything works as well as the scheduler makes it.

References
----------
.. [1] sched(7), Linux manual: SCHED_RR, RLIMIT_RTPRIO, and the share of time that is kept for everything else.
"""

import contextlib
import os
import sys
from enum import IntEnum

# Between threads of the interpreter: its 5 ms are two blocks.
_CHANGE_OVER_S = 0.000_25
_NICENESS = -10


class Rank(IntEnum):
    """What goes before what: a thread that holds the interpreter must not be kept from giving it back."""

    SOUND = 5
    BESIDE = 4
    DISK = 3
    WORD = 2


def prefer_this_process() -> None:
    """At the start of the engine."""
    sys.setswitchinterval(_CHANGE_OVER_S)
    with contextlib.suppress(OSError):
        os.nice(_NICENESS)


def prefer_this_thread(rank: Rank) -> None:
    """For a thread that keeps real time; threads and processes that it starts do not inherit it."""
    with contextlib.suppress(OSError):
        os.sched_setscheduler(0, os.SCHED_RR | os.SCHED_RESET_ON_FORK, os.sched_param(int(rank)))
