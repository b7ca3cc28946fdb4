"""Documents that are kept: each carries its version, and an older one is brought up to today's when it is read.

A rig or a journal outlives the release that wrote it, and a release may be older than what it reads. So a reader passes
over what it does not know, and every change of a document's shape gets a number and a function that brings the shape
before it up. A test holds a document of every older version.
"""

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field, model_validator

Document = dict[str, Any]
# For every older version what makes a document of the next one of it.
Upcasts = Mapping[int, Callable[[Document], Document]]


class Kept(BaseModel):
    """A document with a version.

    `UPCASTS` names for every older version what makes a document of the next one of it. A document without a version is
    of the one that `unnumbered` tells.
    """

    model_config = ConfigDict(extra="ignore", frozen=True)

    VERSION: ClassVar[int] = 1
    UPCASTS: ClassVar[Upcasts] = {}

    version: int = Field(default=1, ge=0, description="Of the document's shape; it is read from any older one.")

    @classmethod
    def unnumbered(cls, document: Document) -> int:
        """The version of a document that does not say."""
        return 1

    @model_validator(mode="before")
    @classmethod
    def _up_to_date(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        said = document.get("version")
        at = said if isinstance(said, int) and not isinstance(said, bool) else None
        try:
            if at is None:
                at = cls.unnumbered(document)
            while at < cls.VERSION and at in cls.UPCASTS:
                document = cls.UPCASTS[at](document)
                at += 1
        except (KeyError, TypeError, AttributeError) as trouble:
            # Nobody's release wrote that: whoever sent it is told, as of any other document that is none.
            raise ValueError(f"it is not built as its version wants it: {trouble!r}") from None
        # What a later release wrote is kept as what it is, as far as it is understood.
        return {**document, "version": max(at, cls.VERSION)}
