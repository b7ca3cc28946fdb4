"""Whether an engine lives: a lock that it holds for as long as it does, which the system opens whatever kills it."""

import fcntl
import time
from pathlib import Path
from typing import IO

_LOCK_NAME = "engine.lock"
_LOOK_S = 0.02


def acquire_engine_lock(run_folder: Path, *, wait_s: float = 5.0) -> IO[bytes] | None:
    """The lock of the run folder's one engine, held until it is closed; None when another engine goes on living."""
    lock = (run_folder / _LOCK_NAME).open("ab")
    deadline = time.monotonic() + wait_s
    while True:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            if time.monotonic() > deadline:
                lock.close()
                return None
            time.sleep(_LOOK_S)
        else:
            return lock


def engine_is_running(run_folder: Path) -> bool:
    """Whether an engine holds the run folder; one that was killed does not, even before its parent has taken note."""
    try:
        with (run_folder / _LOCK_NAME).open("rb") as lock:
            fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except FileNotFoundError:
        return False
    except BlockingIOError:
        return True
    return False
