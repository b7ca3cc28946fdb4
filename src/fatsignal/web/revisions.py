"""Revisions: what a page last saw of a thing. A change that comes with an older one overwrites nothing."""

import hashlib
import json
from typing import Annotated, Any

from fastapi import Header

from fatsignal.errors import ChangedElsewhere

IfMatch = Annotated[
    str | None, Header(alias="If-Match", description="The revision that the page saw; without it nothing is compared.")
]


def revision_of(*values: Any) -> str:
    """What tells some values from any others; plain values only."""
    return hashlib.sha256(json.dumps(values, sort_keys=True, default=str).encode()).hexdigest()[:16]


def check_revision(seen: str | None, now: str, *, what: str) -> None:
    """See that a page acts on what there is.

    Raises
    ------
    ChangedElsewhere
        If it saw something older.
    """
    if seen is not None and seen.strip('"') != now:
        raise ChangedElsewhere(what)
