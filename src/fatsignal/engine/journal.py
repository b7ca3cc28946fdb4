"""The journal of a take: what stands beside its files from the first block on, enough to enter it later."""

from datetime import datetime
from pathlib import Path
from typing import ClassVar, Literal
from uuid import UUID, uuid5

from pydantic import BaseModel, Field

from fatsignal.core.documents import Document, Kept, Upcasts
from fatsignal.core.takes.windows import Gap, Window
from fatsignal.engine.protocol import ChannelFile, EndReason
from fatsignal.files.atomic_write import atomic_write
from fatsignal.rig.setup import RigSetup

JOURNAL_NAME = "roll.json"
ENTERED_NAME = "take.json"

Ending = Literal["", EndReason]


def take_id_of(roll_id: UUID, part_id: UUID, index: int) -> UUID:
    """The same for the same pass of the same roll, whoever asks: a take that is entered twice is one."""
    return uuid5(roll_id, f"{part_id} {index}")


class SimTone(BaseModel):
    """The tone whose sound was printed beside the DI."""

    name: str
    fingerprint: str
    tone_revision_id: UUID | None = None


def _from_first_release(journal: Document) -> Document:
    """One that kept the whole order of a roll of one part, with one window."""
    order = journal["order"]
    return {
        "take_id": order["roll_id"],
        "windows": [{"from_frame": order["window_from_frame"], "to_frame": order["window_to_frame"]}],
        **{key: order[key] for key in ("roll_id", "session_id", "part_id", "number", "rate_hz", "from_frame", "setup")},
        **{key: journal[key] for key in ("channels", "started_at", "ended", "problem") if key in journal},
    }


class Journal(Kept):
    """One take: `ended` is empty while it rolls, and stays so when its engine dies."""

    VERSION = 2
    UPCASTS: ClassVar[Upcasts] = {1: _from_first_release}

    @classmethod
    def unnumbered(cls, document: Document) -> int:
        return 1 if "order" in document else 2

    version: int = 2
    take_id: UUID
    roll_id: UUID
    session_id: UUID
    part_id: UUID
    number: int
    rate_hz: int
    from_frame: int
    windows: list[Window]
    by_hand: bool = False
    setup: RigSetup
    channels: list[ChannelFile]
    started_at: datetime
    gaps: list[Gap] = Field(default_factory=list)
    sim_tone: SimTone | None = None
    heard: list[UUID] = Field(default_factory=list)
    ended: Ending = ""
    problem: str = ""
    into_bin: bool = False
    trial: bool = False

    def write(self, folder: Path) -> None:
        """Put the journal into a take's folder; it is whole at any moment. `TakeFiles.through` brings it to the disk.

        Raises
        ------
        OSError
            If none can be written; one that is there already and only says less is kept.
        """
        path = folder / JOURNAL_NAME
        try:
            with atomic_write(path) as partial:
                partial.write_text(self.model_dump_json(indent=1))
        except OSError:
            if not path.exists():
                raise
