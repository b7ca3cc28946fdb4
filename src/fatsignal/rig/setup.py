"""What is plugged into what: the values of a rig, which a take keeps as its rig sheet."""

from pydantic import BaseModel, ConfigDict, Field

from fatsignal.core.instrument.di_input import InstrumentInput
from fatsignal.core.instrument.pickup import Load, Pickup
from fatsignal.core.tone.document import Block, FirstStages, Power, ToneNetwork

_PICKUP, _LOAD, _INPUT = Pickup(), Load(), InstrumentInput()


def _valve_combo() -> list[Block]:
    return [
        FirstStages(stages=2, drive=1.7, bright=True, voicing="warm"),
        ToneNetwork(network="scooped", bass=4, middle=6, treble=5.5),
        Power(level=2.8, sag=4, presence=5),
    ]


class _Values(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class MicOnRig(_Values):
    """A microphone on the amp: where it stands and how far its preamplifier is turned up."""

    name: str
    kind: str
    distance_m: float
    off_centre_m: float = 0.0
    angle_deg: float = 0.0
    gain_db: float = 0.0


class RigSetup(_Values):
    """The rig of one part. Frozen, it is the rig sheet of every take made with it."""

    instrument: str = "baritone guitar"
    pickup_inductance_h: float = _PICKUP.inductance_h
    pickup_resistance_ohm: float = _PICKUP.resistance_ohm
    pickup_capacitance_farad: float = _PICKUP.capacitance_farad
    cable_farad: float = _LOAD.cable_farad
    input_ohm: float = _LOAD.input_ohm
    string_volts: float = Field(0.85, description="Peak voltage of a string plucked as hard as it goes.")
    full_scale_v: float = _INPUT.full_scale_v
    input_noise_dbfs: float = _INPUT.noise_dbfs
    hum_dbfs: float = _INPUT.hum_dbfs
    mains_hz: float = _INPUT.mains_hz
    amp_name: str = "valve combo"
    amp: list[Block] = Field(default_factory=_valve_combo)
    speaker: str = "1x12 open"
    mics: list[MicOnRig] = Field(
        default_factory=lambda: [
            MicOnRig(name="mic A", kind="ribbon", distance_m=0.05, gain_db=-19),
            MicOnRig(name="mic B", kind="coil", distance_m=0.081, off_centre_m=0.048, angle_deg=12, gain_db=-19),
        ]
    )
