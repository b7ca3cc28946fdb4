"""What is plugged into what: the values of a part's rig. Frozen, they are the rig sheet of every take made with it."""

import math
from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from fatsignal.core.documents import Document, Kept, Upcasts
from fatsignal.core.instrument.inputs import (
    INPUTS,
    BoxKind,
    InputKind,
    box_gain_db,
    gain_of_input_db,
    load_ohm,
    parallel_ohm,
)
from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.core.instrument.pickup import PICKUPS, Load, Pickup, PickupKind
from fatsignal.core.mics.microphone import MIC_KINDS
from fatsignal.core.mics.place import FARTHEST_M, NEAREST_M, MicPlace, turned_from_angle
from fatsignal.core.mics.room import ROOMS
from fatsignal.core.mics.set_up import MicSetUp
from fatsignal.core.mics.sounding import SOUNDING
from fatsignal.core.pitch.notes import parse_tuning
from fatsignal.core.tone.blocks import Block, FirstStages, Power, ToneNetwork
from fatsignal.core.tone.voltage import DiVoltage
from fatsignal.errors import InvalidSetting

MOST_MICS = 8
_CABLE_FARAD_PER_M = 100e-12


def _valve_combo() -> list[Block]:
    return [
        FirstStages(stages=2, drive=1.7, bright=True, voicing="warm"),
        ToneNetwork(network="scooped", bass=4, middle=6, treble=5.5),
        Power(level=2.8, sag=4, presence=5),
    ]


class _Values(BaseModel):
    model_config = ConfigDict(extra="ignore", frozen=True)


class InputUse(_Values):
    """An input of the interface and how it is set."""

    number: int = Field(ge=1, le=64)
    kind: InputKind = "microphone"
    gain_db: float = Field(default=0.0, ge=-20, le=80)
    pad: bool = False
    phantom: bool = False
    flipped: bool = Field(default=False, description="Polarity turned over.")

    @model_validator(mode="after")
    def _gain_exists(self) -> "InputUse":
        facts = INPUTS[self.kind]
        if not facts.lowest_gain_db <= self.gain_db <= facts.highest_gain_db:
            raise ValueError(
                f"a gain of {self.gain_db:g} dB is outside {facts.lowest_gain_db:g} to {facts.highest_gain_db:g} dB "
                f"of an input for {self.kind}s"
            )
        return self


class PickupUse(_Values):
    """The pickup's circuit, and how a single coil is turned to what hums."""

    kind: PickupKind = "single coil"
    inductance_h: float = Field(default=2.5, ge=0, le=20)
    resistance_ohm: float = Field(default=6_000.0, ge=0, le=100_000)
    capacitance_farad: float = Field(default=120e-12, ge=0, le=1e-7)

    @property
    def circuit(self) -> Pickup:
        return Pickup(self.inductance_h, self.resistance_ohm, self.capacitance_farad, self.kind)


def usual_pickup(kind: PickupKind) -> PickupUse:
    """The pickup of a kind, with its usual values."""
    usual = PICKUPS[kind]
    return PickupUse(
        kind=kind, inductance_h=usual.inductance_h, resistance_ohm=usual.resistance_ohm,
        capacitance_farad=usual.capacitance_farad,
    )  # fmt: skip


class DiPath(_Values):
    """How the clean signal gets to the converter."""

    box: BoxKind = "none"
    ratio: float | None = Field(default=None, ge=1, le=30, description="Of the box, as in 12 : 1; null: its usual one.")
    ground_lift: bool = False
    cable_m: float = Field(default=5.0, ge=0, le=100, description="From the instrument.")
    input: InputUse = InputUse(number=1, kind="instrument", gain_db=3)


class AmpUse(_Values):
    """An amp as circuit blocks, and the speaker that it drives."""

    name: str = Field(default="valve combo", max_length=60)
    blocks: list[Block] = Field(default_factory=_valve_combo)
    speaker: str = "1x12 open"
    cable_m: float = Field(default=3.0, ge=0, le=100, description="From the through of the box or input.")

    @model_validator(mode="after")
    def _speaker_exists(self) -> "AmpUse":
        if self.speaker not in SOUNDING:
            raise ValueError(f"there is no speaker {self.speaker}: choose {', '.join(SOUNDING)}")
        return self


class MicOnRig(_Values):
    """A microphone: where it stands before what sounds, and its input."""

    name: str = Field(min_length=1, max_length=40)
    kind: str
    point: str = Field(
        default="", max_length=40, description="What its place is measured from: a cone, a landmark; empty: the usual."
    )
    distance_m: float = Field(description="From grille or guitar's top to the capsule.")
    off_centre_m: float = Field(default=0.0, description="To the right, seen from in front.")
    height_m: float = Field(default=0.0, description="Upwards.")
    turned_deg: float = Field(default=0.0, ge=-180, le=180, description="To the right, from looking straight at it.")
    tilted_deg: float = Field(default=0.0, ge=-90, le=90, description="Upwards.")
    pattern: float | None = Field(
        default=None, ge=0, le=1, description="Where it can be switched: 1 omni, 0.5 cardioid, 0 figure-8."
    )
    absorber: bool = Field(default=False, description="One stands behind it.")
    input: InputUse = InputUse(number=2, gain_db=22)

    @model_validator(mode="after")
    def _stands_somewhere(self) -> "MicOnRig":
        if self.kind not in MIC_KINDS:
            raise ValueError(f"there is no microphone {self.kind}: choose {', '.join(MIC_KINDS)}")
        centimetres = [100 * each for each in (self.distance_m, self.off_centre_m, self.height_m)]
        if not all(math.isfinite(each) for each in centimetres):
            raise ValueError(f"the place of {self.name} holds what is no number: type a length like 5 cm")
        if self.distance_m < NEAREST_M:
            inside = "inside the speaker" if self.distance_m < 0 else "on the grille"
            raise ValueError(
                f"{self.name} would be {inside}, at {centimetres[0]:.1f} cm: {100 * NEAREST_M:g} cm is the nearest"
            )
        if max(abs(each) for each in centimetres) > 100 * FARTHEST_M:
            farthest = max(centimetres, key=abs)
            raise ValueError(f"{self.name} would be {farthest / 100:.1f} m away: {FARTHEST_M:g} m is the farthest")
        return self

    @property
    def place(self) -> MicPlace:
        return MicPlace(self.distance_m, self.off_centre_m, self.height_m, self.turned_deg, self.tilted_deg)


def _from_first_release(rig: Document) -> Document:
    """A rig that kept its pickup, amp and gains as plain values; the database's migration 0004 has the same rule."""
    mics = []
    for place, mic in enumerate(rig.get("mics", [])):
        values = {key: value for key, value in mic.items() if key != "gain_db"}
        gain_db = mic.get("gain_db", 0.0) + 41
        mics.append({**values, "input": {"number": place + 2, "kind": "microphone", "gain_db": gain_db}})
    return {
        "instrument": rig["instrument"],
        "string_volts": rig.get("string_volts", 0.85),
        "pickup": {
            "kind": "single coil", "inductance_h": rig.get("pickup_inductance_h", 2.5),
            "resistance_ohm": rig.get("pickup_resistance_ohm", 6000),
            "capacitance_farad": rig.get("pickup_capacitance_farad", 1.2e-10),
        },
        "amp": {
            "name": rig.get("amp_name", "valve combo"), "blocks": rig.get("amp", []),
            "speaker": rig.get("speaker", "1x12 open"),
        },
        "mics": mics,
    }  # fmt: skip


def _from_flat_places(rig: Document) -> Document:
    """A rig whose microphones lay in a plane, turned by one angle towards the centre."""
    return {**rig, "version": 2, "mics": [turned_from_angle(mic) for mic in rig.get("mics", [])]}


class RigSetup(Kept):
    """The rig of one part."""

    VERSION = 2
    UPCASTS: ClassVar[Upcasts] = {0: _from_first_release, 1: _from_flat_places}

    @classmethod
    def unnumbered(cls, document: Document) -> int:
        if "pickup_inductance_h" in document or "amp_name" in document:
            return 0
        flat = any(isinstance(mic, dict) and "angle_deg" in mic for mic in document.get("mics", ()))
        return 1 if flat else cls.VERSION

    instrument: str = "baritone guitar"
    tuning: tuple[int, ...] = Field(default=(), description="MIDI notes from the lowest string; empty: the usual one.")
    string_offsets_cents: tuple[float, ...] = Field(default=(), description="Added to the tuner's targets.")
    pickup: PickupUse = PickupUse()
    string_volts: float = Field(
        0.85, ge=0.01, le=10, description="Peak voltage of a string plucked as hard as it goes."
    )
    di: DiPath | None = DiPath()
    amp: AmpUse | None = AmpUse()
    mics: list[MicOnRig] = Field(
        default_factory=lambda: [
            MicOnRig(name="mic A", kind="ribbon", distance_m=0.05, input=InputUse(number=2, gain_db=32)),
            MicOnRig(
                name="mic B", kind="coil", distance_m=0.081, off_centre_m=0.048, turned_deg=-12,
                input=InputUse(number=3, gain_db=32),
            ),
        ],
        max_length=MOST_MICS,
    )  # fmt: skip
    room: str = Field(default="dry", description="What the microphones hear around them.")
    listens: Literal["amp", "phones", "both"] = Field(default="amp", description="How the player hears the instrument.")

    @field_validator("tuning", mode="before")
    @classmethod
    def _as_notes(cls, tuning: object) -> object:
        """Strings may be named: E2 A2 D3, as well as numbered."""
        if isinstance(tuning, list | tuple) and any(isinstance(string, str) for string in tuning):
            return parse_tuning(" ".join(str(string) for string in tuning))
        return tuning

    @model_validator(mode="after")
    def _fits_together(self) -> "RigSetup":
        instrument = INSTRUMENTS.get(self.instrument)
        if instrument is None:
            raise ValueError(f"there is no instrument {self.instrument}: choose {', '.join(INSTRUMENTS)}")
        if self.tuning and len(self.tuning) != instrument.strings:
            raise ValueError(f"a {instrument.name} has {instrument.strings} strings, the tuning {len(self.tuning)}")
        if any(not 10 <= note <= 100 for note in self.tuning):
            raise ValueError("a tuning holds MIDI notes from 10 to 100")
        if self.string_offsets_cents and len(self.string_offsets_cents) != instrument.strings:
            raise ValueError(f"an offset for each of the {instrument.strings} strings is needed")
        if any(abs(cents) > 100 for cents in self.string_offsets_cents):
            raise ValueError("a string is moved by up to 100 cents")
        if self.di is None and not self.mics:
            raise ValueError("nothing would go to disk: keep the DI, or a microphone")
        if self.room not in ROOMS:
            raise ValueError(f"there is no room {self.room}: choose {', '.join(ROOMS)}")
        names = [mic.name.lower() for mic in self.mics]
        if len(set(names)) < len(names):
            raise ValueError("two microphones have the same name: their files would be one")
        return self

    @property
    def open_notes(self) -> tuple[int, ...]:
        return self.tuning or INSTRUMENTS[self.instrument].open_notes

    @property
    def sounding(self) -> str:
        """What stands before the microphones."""
        return self.amp.speaker if self.amp else "acoustic body"

    def heard_by(self, mic: MicOnRig) -> MicSetUp:
        """A microphone of the rig, with all that its sound follows from."""
        return MicSetUp(
            self.sounding, mic.kind, mic.place, point=mic.point, pattern=mic.pattern, room=self.room,
            absorber=mic.absorber,
        )  # fmt: skip

    @property
    def inputs(self) -> list[tuple[str, InputUse]]:
        """Every channel with its input, in the order in which they go to disk."""
        di = [("DI", self.di.input)] if self.di else []
        return [*di, *((mic.name, mic.input) for mic in self.mics)]

    def turned(self, channel: str, by_db: float) -> "RigSetup | None":
        """With one channel's input turned by so many dB, as far as it goes; None where there is no such channel."""
        use = next((use for name, use in self.inputs if name == channel), None)
        if use is None:
            return None
        facts = INPUTS[use.kind]
        gain_db = use.gain_db + by_db
        changes: dict[str, object] = {"gain_db": min(max(gain_db, facts.lowest_gain_db), facts.highest_gain_db)}
        if gain_db < facts.lowest_gain_db and not use.pad:
            # The knob ends here: the pad takes 20 dB, the knob gives back what is too much.
            changes = {"pad": True, "gain_db": min(max(gain_db + 20, facts.lowest_gain_db), facts.highest_gain_db)}
        turned = use.model_copy(update=changes)
        if channel == "DI" and self.di is not None:
            return self.model_copy(update={"di": self.di.model_copy(update={"input": turned})})
        mics = [mic.model_copy(update={"input": turned}) if mic.name == channel else mic for mic in self.mics]
        return self.model_copy(update={"mics": mics})

    @property
    def di_voltage(self) -> DiVoltage | None:
        """What the DI's samples stand for, from its box, gain, pad and input; None where no DI is kept."""
        if self.di is None:
            return None
        use = self.di.input
        gain_db = gain_of_input_db(use.kind, gain_db=use.gain_db, pad=use.pad)
        through_db = box_gain_db(self.di.box, ratio=self.di.ratio)
        return DiVoltage(10 ** (-(gain_db + through_db) / 20), inverted=use.flipped)

    @property
    def load(self) -> Load:
        """What hangs on the pickup: both cables, and box, input and amp side by side."""
        metres, ohms = 0.0, []
        if self.di is not None:
            metres += self.di.cable_m
            ohms.append(load_ohm(self.di.box, self.di.input.kind, ratio=self.di.ratio))
        if self.amp is not None and self.amp.blocks:
            metres += self.amp.cable_m
            ohms.append(AMP_INPUT_OHM)
        return Load(metres * _CABLE_FARAD_PER_M, parallel_ohm(*ohms) if ohms else AMP_INPUT_OHM)


AMP_INPUT_OHM = 1e6


def check_inputs(rigs: list[tuple[str, RigSetup]], *, inputs: int) -> list[str]:
    """Sentences about channels that want the same input, or one that the interface does not have."""
    taken: dict[int, str] = {}
    clashes = []
    for part, rig in rigs:
        for channel, use in rig.inputs:
            said = f"{channel} of {part}"
            if use.number > inputs:
                clashes.append(f"{said} is on input {use.number}, and the interface has {inputs}: choose another")
            elif use.number in taken:
                clashes.append(
                    f"{said} and {taken[use.number]} both take input {use.number}: choose another for one of them"
                )
            else:
                taken[use.number] = said
    return clashes


def standard_rig(instrument_name: str, *, with_amp: bool = True) -> RigSetup:
    """The rig that a part begins with: DI and two microphones before an amp, or one before an acoustic guitar.

    Raises
    ------
    InvalidSetting
        If there is no such instrument.
    """
    instrument = INSTRUMENTS.get(instrument_name)
    if instrument is None:
        raise InvalidSetting(f"there is no instrument {instrument_name}: choose {', '.join(INSTRUMENTS)}")
    # A louder pickup needs less gain for the same level; a bass sounds string by string.
    di_gain_db = max(0, round((11 if instrument.bass else 3) - 20 * math.log10(instrument.string_volts / 0.85)))
    rig = RigSetup(
        instrument=instrument.name, pickup=usual_pickup(instrument.pickup), string_volts=instrument.string_volts,
        di=DiPath(input=InputUse(number=1, kind="instrument", gain_db=di_gain_db)),
    )  # fmt: skip
    if instrument.pickup == "piezo":
        return rig.model_copy(update={"di": _PIEZO_DI, "amp": _BODY, "mics": [_BEFORE_THE_BODY]})
    if not with_amp:
        return rig.model_copy(update={"amp": None, "mics": []})
    if instrument.bass:
        return rig.model_copy(update={"amp": _bass_amp(), "mics": [_BEFORE_THE_BASS]})
    return rig


_PIEZO_DI = DiPath(box="active", input=InputUse(number=1, kind="microphone", gain_db=17, phantom=True))
_BODY = AmpUse(name="the guitar itself", blocks=[], speaker="acoustic body", cable_m=0)
_BEFORE_THE_BODY = MicOnRig(
    name="mic A", kind="condenser", distance_m=0.3,
    input=InputUse(number=2, gain_db=40, phantom=True),
)  # fmt: skip
_BEFORE_THE_BASS = MicOnRig(
    name="mic A", kind="coil", distance_m=0.08, off_centre_m=0.06, input=InputUse(number=2, gain_db=34)
)


def _bass_amp() -> AmpUse:
    blocks: list[Block] = [
        FirstStages(stages=2, drive=2, voicing="warm"),
        ToneNetwork(network="deep", bass=5, middle=6, treble=5),
        Power(level=4, sag=2, presence=3),
    ]
    return AmpUse(name="bass head", blocks=blocks, speaker="1x15 bass")
