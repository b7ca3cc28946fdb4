"""The journal of a take: what stands beside its files from the first block on, enough to enter it later."""

from datetime import datetime
from pathlib import Path
from typing import Literal
from uuid import UUID, uuid5

from pydantic import BaseModel

from fatsignal.core.takes.windows import Gap, Window
from fatsignal.engine.protocol import ChannelFile
from fatsignal.files.atomic_write import atomic_write
from fatsignal.rig.setup import RigSetup

JOURNAL_NAME = "roll.json"
ENTERED_NAME = "take.json"

Ending = Literal["", "stopped", "section", "space", "problem"]


def take_id_of(roll_id: UUID, part_id: UUID, index: int) -> UUID:
    """The same for the same pass of the same roll, whoever asks: a take that is entered twice is one."""
    return uuid5(roll_id, f"{part_id} {index}")


class SimTone(BaseModel):
    """The tone whose sound was printed beside the DI."""

    name: str
    fingerprint: str
    tone_revision_id: UUID | None = None


class Journal(BaseModel):
    """One take: `ended` is empty while it rolls, and stays so when its engine dies."""

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
    gaps: list[Gap] = []
    sim_tone: SimTone | None = None
    heard: list[UUID] = []
    ended: Ending = ""
    problem: str = ""
    into_bin: bool = False

    def write(self, folder: Path) -> None:
        """Put the journal into a take's folder; it is whole at any moment, and on the disk when this returns.

        Raises
        ------
        OSError
            If none can be written; one that is there already and only says less is kept.
        """
        path = folder / JOURNAL_NAME
        try:
            with atomic_write(path, durable=True) as partial:
                partial.write_text(self.model_dump_json(indent=1))
        except OSError:
            if not path.exists():
                raise
