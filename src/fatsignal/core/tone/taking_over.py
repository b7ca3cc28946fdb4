"""Going on where another was: what runs with other values takes over what ran before; nothing has to ring up anew.

A filter, a delay line, a bias that has shifted: what a runner remembers stands in arrays or numbers that it names as
its `STATE`. Where shapes differ, as after another number of sections, it begins at rest; a short fade from the one to
the other covers what is left (`core/tone/turning.py`).
"""

from typing import Any

import numpy as np


def take_over(mine: Any, theirs: Any) -> None:
    """Let a runner or step go on with what another of its class remembers; of another class it takes nothing."""
    if type(mine) is not type(theirs):
        return
    own = getattr(mine, "take_over", None)
    if own is not None:
        own(theirs)
        return
    for name in getattr(mine, "STATE", ()):
        take_value(mine, theirs, name)


def take_value(mine: Any, theirs: Any, name: str) -> None:
    """One attribute: an array as far as it fits, anything else as it is."""
    here, there = getattr(mine, name), getattr(theirs, name)
    if not isinstance(here, np.ndarray):
        setattr(mine, name, there)
    elif here.shape == there.shape:
        here[...] = there
