"""Compiled loops: `njit`, whose machine code is kept between runs, by several processes at once without mixing it up.

Of each function numba keeps an index of its variants (by the types they were called with) and a numbered file for each.
It reads the index, writes it, then the file. Two processes that compile two variants at once would both take the first
free number, and one variant would run the other's code from then on, in every process that reads it: an engine that
dies at its first block, until somebody empties the folder. So whoever reads or writes there holds a lock.
"""

import fcntl
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial, wraps
from typing import Any

import numba
from numba.core.caching import IndexDataCacheFile

njit = numba.njit
# For a loop that allocates nothing: nobody counts the owners of its arrays. Where functions are inlined into it numba
# does so at every turn, which took as long as all else together.
hot_loop: Any = partial(numba.njit, cache=True, nogil=True, error_model="numpy", _nrt=False)


@contextmanager
def _held(kept: Any, how: int) -> Iterator[None]:
    """A lock on the folder of a function's variants; a folder that takes no lock takes no new variants either."""
    try:
        lock = open(f"{kept._cache_path}/lock", "ab")  # noqa: SIM115  # closed below
    except OSError:
        yield
        return
    with lock:
        fcntl.flock(lock, how)
        yield


def _locked(act: Callable[..., Any], how: int) -> Callable[..., Any]:
    @wraps(act)
    def locked(self: Any, *arguments: Any) -> Any:
        with _held(self, how):
            return act(self, *arguments)

    return locked


# Straight lines of the same arithmetic on neighbouring numbers are done several at once (`core/amp/valve_chain.py`).
numba.config.SLP_VECTORIZE = 1  # type: ignore[attr-defined]

_kept: Any = IndexDataCacheFile
_kept.save = _locked(IndexDataCacheFile.save, fcntl.LOCK_EX)
_kept.load = _locked(IndexDataCacheFile.load, fcntl.LOCK_SH)
