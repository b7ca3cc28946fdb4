"""A rig sheet as a document: what is kept of a rig under a name and never changes again."""

from datetime import datetime
from typing import Any

from pydantic import BaseModel, Field

from fatsignal.core.documents import Kept
from fatsignal.core.verdict import Verdict
from fatsignal.rig.sheet import SheetEntry


class FrozenSession(BaseModel):
    name: str
    artist: str


class FrozenCheck(BaseModel):
    """The newest check of a kind, as it was found then."""

    kind: str
    verdict: Verdict
    says: str
    made_at: datetime


class FrozenRig(Kept):
    """Everything that makes a part's sound: the rig and the interface as values, and both in words.

    Rig and interface stay as they were written: they are documents of their own, with their own versions.
    """

    rig: dict[str, Any]
    interface: dict[str, Any]
    entries: list[SheetEntry]
    part: str
    session: FrozenSession
    checks: list[FrozenCheck] = Field(default_factory=list)
