"""What an engine tells."""

from pathlib import Path
from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from fatsignal.core.takes.roll_plan import RollMode
from fatsignal.core.takes.windows import Window
from fatsignal.engine.protocol import ChannelFile, EndReason, ListenKind, Message, Speaks


class Hello(Message):
    """The state on connecting; `busy_with` also names what has been ordered and has not begun to roll."""

    event: Literal["hello"] = "hello"
    pid: int
    speaks: Speaks = Speaks()
    ready: bool
    rolling: "Rolling | None"
    busy_with: UUID | None = None
    benching: "Benching | None" = None


class Ready(Message):
    """Kernels are compiled and loaded; a roll starts at once from here on."""

    event: Literal["ready"] = "ready"


class RollingPart(BaseModel):
    """The take of one part that grows now."""

    part_id: UUID
    take_id: UUID
    number: int
    channels: list[ChannelFile]
    # Place of the channel that is drawn where there is room for one.
    heard_first: int = 0


class Rolling(Message):
    """A pass rolls: told when the roll begins, at every seam, and when a window is opened or closed by hand."""

    event: Literal["rolling"] = "rolling"
    roll_id: UUID
    session_id: UUID
    section_id: UUID | None
    way: RollMode
    pass_number: int
    again: bool = Field(description="Another pass follows when this one is over.")
    from_frame: int = Field(description="Of the file: where in the song this pass begins.")
    play_from_frame: int = Field(description="Before it only the click counts in.")
    to_frame: int
    windows: list[Window]
    by_hand: bool
    punched_in: bool
    trial: bool = Field(default=False, description="It becomes a trial clip of a placement, and no take.")
    parts: list[RollingPart]


class PassEnded(Message):
    """The files of one pass are closed; the roll may go on."""

    event: Literal["pass_ended"] = "pass_ended"
    roll_id: UUID
    takes: list[UUID]


class Listening(Message):
    """A check, or the computer's playback, is being recorded."""

    event: Literal["listening"] = "listening"
    roll_id: UUID
    session_id: UUID
    part_id: UUID | None
    kind: ListenKind
    frames: int
    channels: list[ChannelFile]


class Pitch(Message):
    """What the tuner reads, thirty times a second; all null while nothing can be read."""

    event: Literal["pitch"] = "pitch"
    roll_id: UUID
    note: str | None = None
    string: int | None = None
    cents: float | None = None
    frequency_hz: float | None = None
    drift_cents: float | None = None
    since_onset_s: float | None = None


class Meters(Message):
    """Levels since the last message, and the new columns of the wave.

    `columns` holds, per channel, pairs of minimum and maximum in 127ths, each of
    `frames_per_column` frames, beginning with column `first_column` of the pass.
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
    space_left_s: float | None = None
    lost_frames: int = Field(default=0, description="That the device lost since the roll began.")
    monitor_load: float | None = Field(default=None, description="Of the time that sounds, the share hearing it took.")
    monitor_worst: float | None = Field(default=None, description="The same of the slowest block, of its own time.")


class StandingBy(Message):
    """Nothing rolls, and what is armed can be heard."""

    event: Literal["standing_by"] = "standing_by"
    roll_id: UUID
    session_id: UUID
    channels: list[ChannelFile]


class Benching(Message):
    """A dry source goes round on the bench."""

    event: Literal["benching"] = "benching"
    roll_id: UUID
    session_id: UUID
    bench_id: UUID
    from_frame: int
    to_frame: int


class BenchMeters(Message):
    """Where the bench's loop is, what is heard and how loud, and what share of its time the computation took."""

    event: Literal["bench_meters"] = "bench_meters"
    roll_id: UUID
    frame: int
    heard: str
    peak_dbfs: float
    load: float
    worst: float


class Ended(Message):
    """The roll is over and its files are closed; `problem` is a sentence for the player, or empty."""

    event: Literal["ended"] = "ended"
    roll_id: UUID
    folder: Path | None = Field(default=None, description="Of what was listened to.")
    frames: int
    reason: EndReason
    problem: str
    listened: bool = Field(default=False, description="It was no take but a check or the computer's playback.")
    stood_by: bool = Field(default=False, description="Nothing went to disk.")
    benched: bool = Field(default=False, description="It was the bench's loop.")


class Notice(Message):
    """Something the player should know while it rolls on."""

    event: Literal["notice"] = "notice"
    problem: str


class Refused(Message):
    """An order was not carried out."""

    event: Literal["refused"] = "refused"
    problem: str


AnyEvent = (
    Hello | Ready | Rolling | PassEnded | StandingBy | Listening | Benching | BenchMeters | Meters | Pitch | Ended
    | Notice | Refused
)  # fmt: skip
Event = Annotated[AnyEvent, Field(discriminator="event")]
EVENTS: TypeAdapter[AnyEvent] = TypeAdapter(Event)


def read_event(line: bytes) -> AnyEvent | None:
    """An event; None where it is of a kind that this release does not know.

    Raises
    ------
    ValidationError
        If it lacks what its kind needs, or is no event at all.
    """
    try:
        return EVENTS.validate_json(line)
    except ValidationError as problem:
        if all(each["type"] == "union_tag_invalid" for each in problem.errors()):
            return None
        raise
