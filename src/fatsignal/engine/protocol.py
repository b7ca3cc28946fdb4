"""What the engine and whoever drives it say to each other: one JSON document a line.

The first line to the engine is its token; then come orders. The engine answers with events, and
sends them to everyone who is connected. A connection whose first line is the token and the id of a cue is a pair of
ears: it gets that cue's sound (`engine/ears.py`), and nothing else.

An engine outlives its server, so the two may be of different releases. Which versions an engine speaks stands in its
address and in its first event; both sides pass over fields that they do not know, and events that they do not know.
Fields and events may therefore be added within a version; what changes its meaning, or goes, makes a new one.
"""

from pathlib import Path
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError, model_validator

from fatsignal.core.cue.mix import CueMix
from fatsignal.core.cue.monitoring import Hear, When
from fatsignal.core.instrument.player import Note
from fatsignal.core.material.channels import RecordedKind, Wanted
from fatsignal.core.material.material import Material
from fatsignal.core.takes.roll_plan import RollPlan, Way
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.click import ClickSettings
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.tone.document import Tone
from fatsignal.files.material_files import SourceFile
from fatsignal.rig.device import Device
from fatsignal.rig.happening import Situation
from fatsignal.rig.setup import RigSetup

VERSION = 3
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


class _Message(BaseModel):
    model_config = ConfigDict(extra="ignore", ser_json_inf_nan="constants")
    v: int = VERSION


class _CaptureOrder(_Message):
    """What any recording to disk needs; `record_offset_frames` of what arrives are left out at its beginning."""

    roll_id: UUID
    session_id: UUID
    rate_hz: int
    depth: Literal["16", "24", "32f"] = "24"
    tempo: TempoMap
    device: Device = Device()
    record_offset_frames: int = 0
    reference_pitch_hz: float = 440.0
    click: ClickSettings = ClickSettings()
    speed: float = 1.0

    @property
    def paced(self) -> bool:
        """Whether blocks come at the pace of a clock, not as fast as they are computed."""
        return self.speed > 0


class PartMonitor(BaseModel):
    """How a part is heard while it is played; `tone` is the whole document, so that nobody has to be asked."""

    model_config = ConfigDict(extra="ignore")

    hear: Hear = "nothing"
    when: When = "always"
    channel: int = Field(default=0, description="Among the part's own, heard straight from the interface.")
    tone: Tone | None = None
    tone_revision_id: UUID | None = None
    print_sim: bool = False


class PlayTrack(BaseModel):
    """What plays beside the roll: what a part sounds like, or a backing track, one column for each channel wanted.

    `own` is what an armed part sounds like until now: it is heard outside windows only.
    """

    model_config = ConfigDict(extra="ignore")

    key: str
    material: Material
    files: tuple[SourceFile, ...]
    wanted: list[Wanted] = Field(min_length=1, max_length=2)
    gain_db: float = 0.0
    own: bool = False

    @property
    def columns(self) -> int:
        """1, or 2 where it has a left and a right side."""
        return len(self.wanted)


class Cue(BaseModel):
    """What one listener hears."""

    model_config = ConfigDict(extra="ignore")

    cue_id: UUID
    mix: CueMix


class PartOrder(BaseModel):
    """A part that rolls: where its takes go, and what plays it.

    Pass k of the roll becomes take `first_number` + k, in `folder` / "Take 07", as "Baritone 07 - DI.wav".
    """

    model_config = ConfigDict(extra="ignore")

    part_id: UUID
    name: str
    folder: Path
    first_number: int
    setup: RigSetup
    notes: list[Note]
    seed: int
    monitor: PartMonitor = PartMonitor()

    @property
    def key(self) -> str:
        """Its strip in a cue."""
        return str(self.part_id)

    @property
    def prints(self) -> bool:
        """Whether a tone is printed beside its DI."""
        return self.monitor.print_sim and self.monitor.tone is not None and self.setup.di is not None

    @property
    def channels_to_disk(self) -> int:
        return len(self.setup.inputs) + self.prints


class RollOrder(_CaptureOrder):
    """Everything the engine needs to roll without asking anybody; the first part is the one that is shown."""

    do: Literal["roll"] = "roll"
    section_id: UUID | None = None
    plan: RollPlan
    parts: list[PartOrder] = Field(min_length=1, max_length=16)
    tracks: list[PlayTrack] = []
    cues: list[Cue] = []


class StandbyOrder(_CaptureOrder):
    """Nothing goes to disk: who is armed hears the own playing until something else is ordered."""

    do: Literal["standby"] = "standby"
    parts: list[PartOrder] = Field(min_length=1, max_length=16)
    cues: list[Cue] = []


class CuesOrder(_Message):
    """Levels and pans of a session's listeners changed: they hold from the next block on, where it is heard now."""

    do: Literal["cues"] = "cues"
    session_id: UUID | None = None
    cues: list[Cue]


# What is listened to: a player at the rig, pings through the interface, what the computer plays.
Happening = Situation | Literal["pings", "the computer"]
# What a listening is for; the engine tells it as it was told.
ListenKind = Annotated[str, Field(pattern=r"^[a-z_]{1,40}$")]
COMPUTER: ListenKind = "computer"
# What happened for each kind, as servers of the first releases meant it.
_HAPPENED: dict[str, Happening] = {
    "level": "loudest", "tuning": "string by string", "noise": "hands off",
    "bleed": "hands off, the click in the phones", "latency": "pings", COMPUTER: "the computer",
}  # fmt: skip


class ListenOrder(_CaptureOrder):
    """Listen for a check, or record what the computer plays; `setup` is None where no rig is heard.

    With `follows_pitch` the pitch of the first channel is told as it comes.
    """

    do: Literal["listen"] = "listen"
    kind: ListenKind
    happening: Happening
    follows_pitch: bool = False
    folder: Path
    stem: str
    from_frame: int
    to_frame: int
    seed: int
    part_id: UUID | None = None
    setup: RigSetup | None = None

    @model_validator(mode="before")
    @classmethod
    def _from_a_server_that_only_says_what_for(cls, order: Any) -> Any:
        if not isinstance(order, dict) or "happening" in order:
            return order
        return {
            **order,
            "happening": _HAPPENED.get(order.get("kind", "")),
            "follows_pitch": order.get("kind") == "tuning",
        }


class StopOrder(_Message):
    """Stop; with `into_bin` the pass that rolls goes into the bin."""

    do: Literal["stop"] = "stop"
    into_bin: bool = False


class PunchOrder(_Message):
    """By hand: in where it is out, out where it is in."""

    do: Literal["punch"] = "punch"


class QuitOrder(_Message):
    """Stop rolling, keep what there is, end the process."""

    do: Literal["quit"] = "quit"


AnyOrder = RollOrder | StandbyOrder | ListenOrder | CuesOrder | StopOrder | PunchOrder | QuitOrder
Order = Annotated[AnyOrder, Field(discriminator="do")]
ORDERS: TypeAdapter[AnyOrder] = TypeAdapter(Order)


class ChannelFile(BaseModel):
    """A channel of a roll and the file it goes to, relative to its take's folder."""

    name: str
    kind: RecordedKind
    file: str


class Hello(_Message):
    """The state on connecting; `busy_with` also names what has been ordered and has not begun to roll."""

    event: Literal["hello"] = "hello"
    pid: int
    speaks: Speaks = Speaks()
    ready: bool
    rolling: "Rolling | None"
    busy_with: UUID | None = None


class Ready(_Message):
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


class Rolling(_Message):
    """A pass rolls: told when the roll begins, at every seam, and when a window is opened or closed by hand."""

    event: Literal["rolling"] = "rolling"
    roll_id: UUID
    session_id: UUID
    section_id: UUID | None
    way: Way
    pass_number: int
    again: bool = Field(description="Another pass follows when this one is over.")
    from_frame: int = Field(description="Of the file: where in the song this pass begins.")
    play_from_frame: int = Field(description="Before it only the click counts in.")
    to_frame: int
    windows: list[Window]
    by_hand: bool
    punched_in: bool
    parts: list[RollingPart]


class PassEnded(_Message):
    """The files of one pass are closed; the roll may go on."""

    event: Literal["pass_ended"] = "pass_ended"
    roll_id: UUID
    takes: list[UUID]


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


class StandingBy(_Message):
    """Nothing rolls, and what is armed can be heard."""

    event: Literal["standing_by"] = "standing_by"
    roll_id: UUID
    session_id: UUID
    channels: list[ChannelFile]


class Ended(_Message):
    """The roll is over and its files are closed; `problem` is a sentence for the player, or empty."""

    event: Literal["ended"] = "ended"
    roll_id: UUID
    folder: Path | None = Field(default=None, description="Of what was listened to.")
    frames: int
    reason: EndReason
    problem: str
    listened: bool = Field(default=False, description="It was no take but a check or the computer's playback.")
    stood_by: bool = Field(default=False, description="Nothing went to disk.")


class Notice(_Message):
    """Something the player should know while it rolls on."""

    event: Literal["notice"] = "notice"
    problem: str


class Refused(_Message):
    """An order was not carried out."""

    event: Literal["refused"] = "refused"
    problem: str


AnyEvent = Hello | Ready | Rolling | PassEnded | StandingBy | Listening | Meters | Pitch | Ended | Notice | Refused
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


class EngineAddress(BaseModel):
    """Where a running engine listens; lies in the run folder, readable by its owner only."""

    pid: int
    port: int
    token: str
    speaks: Speaks = Speaks()
    # The program's version; an engine of the first releases does not say.
    release: str = ""


ADDRESS_NAME = "engine.json"
