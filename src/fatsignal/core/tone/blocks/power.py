"""The power stage of an amp: phase splitter, valves, output transformer, and the loudspeaker that they work into."""

from dataclasses import replace
from typing import TYPE_CHECKING, ClassVar, Literal

from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob, setting

if TYPE_CHECKING:
    from fatsignal.core.amp.output_transformer import SpeakerLoad
    from fatsignal.core.amp.power_amp import PowerStage

# A preamp gives some ten volts to this one.
_USUAL_INPUT_V = 20.0
_RESISTOR = "resistor"


class Power(ToneBlock):
    """Two valves against each other behind a phase splitter, or one alone.

    Sag softens the supply. In class AB, presence and depth let highs and lows through that feedback else holds down;
    in class A and with one valve nothing is fed back. Into a resistor the loudspeaker behind adds what its coil usually
    does; into a loudspeaker's own impedance the stage finds that itself, with its resonance.
    """

    TITLE: ClassVar[str] = "Power stage"
    OVERSAMPLED: ClassVar[bool] = True
    DRIVES: ClassVar[tuple[str, ...]] = ("level",)

    kind: Literal["power"] = "power"
    valves: Literal["pentodes", "beam valves"] = setting("pentodes")
    working: Literal["class AB", "class A", "single-ended"] = setting("class AB")
    level: float = knob(5)
    sag: float = knob(3)
    presence: float = knob(5)
    depth: float = knob(0)
    load: Literal[
        "resistor", "1x8 open", "1x10 open", "1x12 open", "1x12 closed", "2x12 open", "4x10 bass", "4x12 closed",
        "1x15 bass", "8x10 bass",
    ] = setting(_RESISTOR, label="works into")  # fmt: skip

    @property
    def feeds_speaker(self) -> bool:
        return self.load != _RESISTOR

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.power_amp import PowerAmp

        return [
            PowerAmp(
                self.stage(), at.rate_hz, level=self.level / 10, presence=self.presence / 10, depth=self.depth / 10
            )
        ]

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)), around_v=_USUAL_INPUT_V)

    def values(self) -> list[tuple[str, str]]:
        fed_back = ["presence", "depth"] if self.working == "class AB" else []
        return self.said("valves", "working", "level", "sag", *fed_back, "load")

    def stage(self) -> "PowerStage":
        """Working point and parts, with its supply as stiff (0) or as soft (10) as the knob says."""
        from fatsignal.core.amp.output_transformer import OutputTransformer
        from fatsignal.core.amp.power_amp import PowerStage
        from fatsignal.core.amp.power_valve import BEAM, PENTODE
        from fatsignal.core.amp.splitter import Splitter

        beam = self.valves == "beam valves"
        stage = PowerStage(
            valve=BEAM if beam else PENTODE,
            supply_ohm=20 + 40 * self.sag,
            reservoir_farad=80e-6 / (1 + self.sag / 3),
            speaker=_speaker(self.load) if self.feeds_speaker else None,
        )
        match self.working, beam:
            case "class AB", False:
                return stage
            case "class AB", True:
                return replace(stage, supply_v=450.0, bias_v=-50.0, transformer=OutputTransformer(4_200.0))
            case "class A", _:
                return replace(
                    stage, supply_v=320.0, cathode_ohm=190.0 if beam else 130.0,
                    transformer=OutputTransformer(6_600.0), splitter=Splitter(feedback_ohm=None),
                )  # fmt: skip
        return replace(
            stage, supply_v=300.0, cathode_ohm=330.0 if beam else 250.0, single_ended=True,
            # Its iron has a gap, for the idle current that flows one way only.
            transformer=OutputTransformer(4_000.0, primary_henry=12.0, saturation_vs=4.0),
        )  # fmt: skip


def _speaker(name: str) -> "SpeakerLoad":
    """The impedance of the loudspeakers of a cabinet."""
    from fatsignal.core.amp.output_transformer import SpeakerLoad
    from fatsignal.core.mics.sounding import cone_of

    cone = cone_of(name)
    return SpeakerLoad(cone.resonance_hz, cone.coil_corner_hz)
