"""How the microphones of a placement are heard together: delayed, turned over, louder, to a side; never recorded so."""

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from fatsignal.core.documents import Kept
from fatsignal.core.units import amplitude_from_db

Image = Literal["mono", "left and right", "mid and side"]
MOST_DELAY_MS = 100.0


class MicStrip(BaseModel):
    """What is done to one microphone where it is heard; `delay_ms` may be a part of a sample."""

    model_config = ConfigDict(extra="ignore", frozen=True)

    name: str
    on: bool = True
    gain_db: float = Field(default=0.0, ge=-60, le=24, allow_inf_nan=False)
    delay_ms: float = Field(default=0.0, ge=0, le=MOST_DELAY_MS, allow_inf_nan=False)
    flipped: bool = False


class MicBlend(Kept):
    """The strips of the microphones that differ from their default, and what the first two are to each other."""

    strips: tuple[MicStrip, ...] = ()
    image: Image = "mono"
    width: float = Field(default=1.0, ge=0, le=2, allow_inf_nan=False, description="Of the side, where there is one.")


@dataclass(frozen=True, slots=True)
class Played:
    """One channel as it is heard: gains of either ear, negative where it is turned over."""

    name: str
    left: float
    right: float
    delay_ms: float = 0.0


def played(blend: MicBlend, mics: list[str], *, alone: str | None = None) -> list[Played]:
    """What is played of some microphones, in their order; of one `alone`, it in both ears, as it was recorded.

    As a sum each is as loud as it was recorded. Of a pair the first is left and the second right; or the first is the
    middle and the second the side, left as it is and right turned over. Others are in the middle.
    """
    if alone is not None:
        return [Played(alone, 1.0, 1.0)]
    strips = {strip.name: strip for strip in blend.strips}
    found = []
    for place, name in enumerate(mics):
        strip = strips.get(name, MicStrip(name=name))
        if not strip.on:
            continue
        gain = amplitude_from_db(strip.gain_db) * (-1 if strip.flipped else 1)
        left, right = _sides(blend, place)
        found.append(Played(name, gain * left, gain * right, strip.delay_ms))
    return found


def _sides(blend: MicBlend, place: int) -> tuple[float, float]:
    match blend.image, place:
        case "left and right", 0:
            return 1.0, 0.0
        case "left and right", 1:
            return 0.0, 1.0
        case "mid and side", 1:
            return blend.width, -blend.width
    return 1.0, 1.0


def with_strip(blend: MicBlend, strip: MicStrip) -> MicBlend:
    """The same with another strip in the place of the one of its name."""
    others = [each for each in blend.strips if each.name != strip.name]
    return blend.model_copy(update={"strips": (*others, strip)})
