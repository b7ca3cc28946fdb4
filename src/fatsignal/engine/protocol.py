"""What the engine and whoever drives it say to each other: one JSON document a line.

The first line to the engine is its token; then come orders. The engine answers with events, and
sends them to everyone who is connected. A connection whose first line is the token and the id of a cue is a pair of
ears: it gets that cue's sound (`engine/ears.py`), and nothing else.

An engine outlives its server, so the two may be of different releases. Which versions an engine speaks stands in its
address and in its first event; both sides pass over fields that they do not know, and events that they do not know.
Fields and events may therefore be added within a version; what changes its meaning, or goes, makes a new one.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from fatsignal.core.material.channels import RecordedKind

VERSION = 4
# Whose orders an engine of this release understands, and whose events a server of it does.
OLDEST_SPOKEN = 2


class Speaks(BaseModel):
    """The versions that one side understands, both included."""

    oldest: int = 2
    newest: int = 2

    def common_with(self, other: "Speaks") -> int | None:
        """The newest version that both understand; None where there is none."""
        newest = min(self.newest, other.newest)
        return newest if newest >= max(self.oldest, other.oldest) else None


# Why a roll ended: somebody stopped it, what was wanted is played, the disk is full, or something went wrong.
EndReason = Literal["stopped", "section", "space", "problem"]

SPOKEN_HERE = Speaks(oldest=OLDEST_SPOKEN, newest=VERSION)


class Message(BaseModel):
    model_config = ConfigDict(extra="ignore", ser_json_inf_nan="constants")
    v: int = VERSION


# What a listening is for; the engine tells it as it was told.
ListenKind = Annotated[str, Field(pattern=r"^[a-z_]{1,40}$")]
COMPUTER: ListenKind = "computer"


class ChannelFile(BaseModel):
    """A channel of a roll and the file it goes to, relative to its take's folder."""

    name: str
    kind: RecordedKind
    file: str


class EngineAddress(BaseModel):
    """Where a running engine listens; lies in the run folder, readable by its owner only."""

    pid: int
    port: int
    token: str
    speaks: Speaks = Speaks()
    # The program's version; an engine of the first releases does not say.
    release: str = ""


ADDRESS_NAME = "engine.json"
