"""The power stage of an amp: phase splitter and push-pull pair, with a supply that sags."""

from typing import TYPE_CHECKING, ClassVar, Literal

from fatsignal.core.clip import Samples
from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob

if TYPE_CHECKING:
    from fatsignal.core.amp.power_stage import PowerStage

# A first stage of the amp gives some ten volts to this one.
_USUAL_INPUT_V = 20.0


class Power(ToneBlock):
    """Phase splitter and push-pull stage; sag softens the supply, presence lifts the highs into it."""

    TITLE: ClassVar[str] = "Power stage"
    MAKES_PARTIALS: ClassVar[bool] = True

    kind: Literal["power"] = "power"
    level: float = knob(5)
    sag: float = knob(3)
    presence: float = knob(5)

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.cascade import Link
        from fatsignal.core.amp.power_stage import PowerRunner
        from fatsignal.core.amp.tone_network import audio_taper
        from fatsignal.core.amp.triode import TriodeStage

        splitter = TriodeStage(source_ohm=100e3, cathode_ohm=1200, cathode_farad=None, supply_v=330.0)
        numerator, denominator = _presence_section(self.presence, at.rate_hz)
        into = Link(splitter, audio_taper(self.level / 10) * numerator, denominator)
        return [PowerRunner(_stage(self.sag), at.rate_hz, into)]

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)), around_v=_USUAL_INPUT_V)


def _stage(sag: float) -> "PowerStage":
    """The power stage with its supply as stiff (0) or as soft (10) as the knob says."""
    from fatsignal.core.amp.power_stage import PowerStage

    return PowerStage(supply_ohm=20 + 40 * sag, reservoir_farad=80e-6 / (1 + sag / 3))


def _presence_section(presence: float, rate_hz: int) -> tuple[Samples, Samples]:
    """The highs that less feedback lets through: a shelf into the power stage, up to 12 dB."""
    from fatsignal.core.amp.filters import cookbook_section

    return cookbook_section("high_shelf", frequency_hz=2_200, gain_db=1.2 * presence, q=0.6, rate_hz=rate_hz)
