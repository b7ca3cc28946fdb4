"""What an engine is asked to do."""

from pathlib import Path
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, model_validator

from fatsignal.core.cue.mix import CueMix
from fatsignal.core.cue.monitoring import MonitorPolicy, MonitorSource
from fatsignal.core.instrument.player import Note
from fatsignal.core.material.channels import Wanted
from fatsignal.core.material.material import Material
from fatsignal.core.takes.roll_plan import RollPlan
from fatsignal.core.timing.click import ClickSettings
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.tone.document import Tone
from fatsignal.engine.protocol import COMPUTER, ListenKind, Message
from fatsignal.files.material_files import SourceFile
from fatsignal.rig.device import Device
from fatsignal.rig.happening import Situation
from fatsignal.rig.setup import RigSetup


class _CaptureOrder(Message):
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

    hear: MonitorSource = "nothing"
    when: MonitorPolicy = "always"
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
    outputs: tuple[int, int] | None = Field(
        default=None, description="Of the device, from 0, where this listener's phones hang; null: heard elsewhere."
    )


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
    trial: bool = Field(default=False, description="Of a placement: what is recorded is a trial clip, and no take.")
    plan: RollPlan
    parts: list[PartOrder] = Field(min_length=1, max_length=16)
    tracks: list[PlayTrack] = Field(default_factory=list)
    cues: list[Cue] = Field(default_factory=list)


class StandbyOrder(_CaptureOrder):
    """Nothing goes to disk: who is armed hears the own playing until something else is ordered."""

    do: Literal["standby"] = "standby"
    parts: list[PartOrder] = Field(min_length=1, max_length=16)
    cues: list[Cue] = Field(default_factory=list)


class BenchSound(BaseModel):
    """What can be heard on the bench: the dry source through a tone, a material of its own, or the dry source itself.

    A material has one column for each channel wanted, one or two.
    """

    model_config = ConfigDict(extra="ignore")

    key: str
    tone: Tone | None = None
    material: Material | None = None
    files: tuple[SourceFile, ...] = ()
    wanted: list[Wanted] = Field(default_factory=list, max_length=2)
    gain_db: float = 0.0


class BenchOrder(_CaptureOrder):
    """A dry source goes round and round, and one of the sounds is heard: by those who listen to the bench's id.

    `full_scale_v` is what the dry source's samples stand for.
    """

    do: Literal["bench"] = "bench"
    bench_id: UUID
    dry: Material
    dry_files: tuple[SourceFile, ...]
    dry_wanted: Wanted
    full_scale_v: float = Field(gt=0)
    inverted: bool = False
    from_frame: int = Field(description="Of the song: where the loop begins.")
    to_frame: int
    start_frame: int = Field(description="Where in the loop it starts.")
    sounds: list[BenchSound] = Field(min_length=1, max_length=16)
    heard: str

    @model_validator(mode="after")
    def _holds_together(self) -> "BenchOrder":
        if self.to_frame <= self.from_frame:
            raise ValueError("a loop has a length")
        if self.heard not in [sound.key for sound in self.sounds]:
            raise ValueError(f"{self.heard} is not among the sounds")
        return self


class HearOrder(Message):
    """Another sound of the bench, or other levels; what is not named stays as it is."""

    do: Literal["hear"] = "hear"
    bench_id: UUID
    heard: str | None = None
    gains_db: dict[str, float] = Field(default_factory=dict)


class TurnOrder(Message):
    """A tone was turned: `key` is a sound of the bench, or a part that is played through it while nothing rolls."""

    do: Literal["turn"] = "turn"
    key: str
    tone: Tone


class CuesOrder(Message):
    """Levels and pans of a session's listeners changed: they hold from the next block on, where it is heard now."""

    do: Literal["cues"] = "cues"
    session_id: UUID | None = None
    cues: list[Cue]


# What is listened to: a player at the rig, pings through the interface, what the computer plays.
Happening = Situation | Literal["pings", "the computer"]
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


class StopOrder(Message):
    """Stop; with `into_bin` the pass that rolls goes into the bin."""

    do: Literal["stop"] = "stop"
    into_bin: bool = False


class PunchOrder(Message):
    """By hand: in where it is out, out where it is in."""

    do: Literal["punch"] = "punch"


class QuitOrder(Message):
    """Stop rolling, keep what there is, end the process."""

    do: Literal["quit"] = "quit"


# What takes the engine until it is over or stopped.
CaptureOrder = RollOrder | StandbyOrder | ListenOrder | BenchOrder
AnyOrder = (
    RollOrder | StandbyOrder | ListenOrder | BenchOrder | HearOrder | TurnOrder | CuesOrder | StopOrder | PunchOrder
    | QuitOrder
)  # fmt: skip
Order = Annotated[AnyOrder, Field(discriminator="do")]
ORDERS: TypeAdapter[AnyOrder] = TypeAdapter(Order)
