"""What the engine and whoever drives it say to each other: one JSON document a line, with a version.

The first line to the engine is its token; then come orders. The engine answers with events, and
sends them to everyone who is connected.
"""

from datetime import datetime
from pathlib import Path
from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from fatsignal.core.instrument.player import Note
from fatsignal.core.timing.click import ClickSettings
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import RigSetup

VERSION: Literal[1] = 1


class _Message(BaseModel):
    model_config = ConfigDict(extra="forbid", ser_json_inf_nan="constants")
    v: Literal[1] = VERSION


class _CaptureOrder(_Message):
    """What any recording to disk needs; `record_offset_frames` of what arrives are left out at its beginning."""

    roll_id: UUID
    session_id: UUID
    folder: Path
    stem: str
    rate_hz: int
    depth: Literal["16", "24", "32f"] = "24"
    from_frame: int
    to_frame: int
    tempo: TempoMap
    seed: int
    interface: SimulatedInterface = SimulatedInterface()
    record_offset_frames: int = 0
    reference_pitch_hz: float = 440.0
    click: ClickSettings = ClickSettings()
    speed: float = 1.0


class RollOrder(_CaptureOrder):
    """Everything the engine needs to roll one take without asking anybody."""

    do: Literal["roll"] = "roll"
    part_id: UUID
    section_id: UUID | None = None
    number: int
    window_from_frame: int
    window_to_frame: int
    setup: RigSetup
    notes: list[Note]
    together: "list[RollOrder]" = Field(
        default_factory=list, description="Parts that are armed together: they roll and stop with this one."
    )


ListenKind = Literal["level", "tuning", "noise", "bleed", "latency", "computer"]


class ListenOrder(_CaptureOrder):
    """Listen for a check, or record what the computer plays; `setup` is None where no rig is heard."""

    do: Literal["listen"] = "listen"
    kind: ListenKind
    part_id: UUID | None = None
    setup: RigSetup | None = None


class StopOrder(_Message):
    do: Literal["stop"] = "stop"


class QuitOrder(_Message):
    """Stop rolling, keep what there is, end the process."""

    do: Literal["quit"] = "quit"


Order = Annotated[RollOrder | ListenOrder | StopOrder | QuitOrder, Field(discriminator="do")]
ORDERS: TypeAdapter[RollOrder | ListenOrder | StopOrder | QuitOrder] = TypeAdapter(Order)


class ChannelFile(BaseModel):
    """A channel of a roll and the file it goes to, relative to the roll's folder."""

    name: str
    kind: str
    file: str


class Journal(BaseModel):
    """What stands beside the files of a roll from its first block on; enough to enter it as a take later."""

    order: RollOrder
    channels: list[ChannelFile]
    started_at: datetime
    ended: Literal["", "stopped", "section", "problem"] = ""
    problem: str = ""


class Hello(_Message):
    """The state on connecting."""

    event: Literal["hello"] = "hello"
    pid: int
    ready: bool
    rolling: UUID | None


class Ready(_Message):
    """Kernels are compiled and loaded; a roll starts at once from here on."""

    event: Literal["ready"] = "ready"


class Rolling(_Message):
    event: Literal["rolling"] = "rolling"
    roll_id: UUID
    session_id: UUID
    part_id: UUID
    number: int
    from_frame: int
    window_from_frame: int
    window_to_frame: int
    to_frame: int
    channels: list[ChannelFile]


class Listening(_Message):
    """A check, or the computer's playback, is being recorded."""

    event: Literal["listening"] = "listening"
    roll_id: UUID
    session_id: UUID
    part_id: UUID | None
    kind: ListenKind
    frames: int
    channels: list[ChannelFile]


class Pitch(_Message):
    """What the tuner reads, thirty times a second; all null while nothing can be read."""

    event: Literal["pitch"] = "pitch"
    roll_id: UUID
    note: str | None = None
    string: int | None = None
    cents: float | None = None
    frequency_hz: float | None = None
    drift_cents: float | None = None
    since_onset_s: float | None = None


class Meters(_Message):
    """Levels since the last message, and the new columns of the wave.

    `columns` holds, per channel, pairs of minimum and maximum in 127ths, each of
    `frames_per_column` frames, beginning with column `first_column`.
    """

    event: Literal["meters"] = "meters"
    roll_id: UUID
    frame: int
    bar: int
    beat: int
    peak_dbfs: list[float]
    average_dbfs: list[float]
    frames_per_column: int
    first_column: int
    columns: list[list[tuple[int, int]]]


class Ended(_Message):
    """The roll is over and its files are closed; `problem` is a sentence for the player, or empty."""

    event: Literal["ended"] = "ended"
    roll_id: UUID
    folder: Path
    frames: int
    reason: Literal["stopped", "section", "problem"]
    problem: str
    listened: bool = Field(default=False, description="It was no take but a check or the computer's playback.")


class Refused(_Message):
    """An order was not carried out."""

    event: Literal["refused"] = "refused"
    problem: str


Event = Annotated[Hello | Ready | Rolling | Listening | Meters | Pitch | Ended | Refused, Field(discriminator="event")]
EVENTS: TypeAdapter[Hello | Ready | Rolling | Listening | Meters | Pitch | Ended | Refused] = TypeAdapter(Event)


class EngineAddress(BaseModel):
    """Where a running engine listens; lies in the run folder, readable by its owner only."""

    pid: int
    port: int
    token: str


JOURNAL_NAME = "roll.json"
ENTERED_NAME = "take.json"
ADDRESS_NAME = "engine.json"
