"""A cue: what one pair of phones hears. Levels and pans of all that plays, the click, the live part, a limiter."""

import math
from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from fatsignal.core.clip import Samples
from fatsignal.core.documents import Kept
from fatsignal.core.units import amplitude_from_db

CLICK = "click"
MOST_STRIPS = 64
SILENT_DB = -60.0


class _Settings(BaseModel):
    model_config = ConfigDict(extra="ignore", frozen=True)


class Strip(_Settings):
    """Level and place of one sound; at `SILENT_DB` it is off."""

    gain_db: float = Field(default=0.0, ge=SILENT_DB, le=12)
    pan: float = Field(default=0.0, ge=-1, le=1, description="-1 is left, 1 right.")
    muted: bool = False

    @property
    def gain(self) -> float:
        return 0.0 if self.muted or self.gain_db <= SILENT_DB else amplitude_from_db(self.gain_db)


class CueMix(Kept):
    """One listener's mix. What has no strip plays as it is; `me` is the live part, on top of whatever it has."""

    strips: dict[str, Strip] = Field(default_factory=dict, max_length=MOST_STRIPS)
    click: Strip = Strip(gain_db=-6.0)
    me: Strip = Strip()
    level_db: float = Field(default=0.0, ge=-40, le=12, description="Of everything, before the limiter.")
    limit_dbfs: float = Field(default=-3.0, ge=-20, le=0, description="Nothing is louder than this.")


def turned_value(before: CueMix, after: CueMix) -> str:
    """The place in the mix of the one level or pan that differs; empty where more does, or a switch.

    While a level is turned many mixes come, which are one act; whoever mutes and lets sound again did two things.
    """
    old, new = (mix.model_dump(include={"level_db", "limit_dbfs"}) for mix in (before, after))
    places = [name for name, value in new.items() if value != old[name]]
    for name in before.strips.keys() | after.strips.keys() | {CLICK, "me"}:
        was, now = (
            getattr(mix, name) if name in (CLICK, "me") else mix.strips.get(name, Strip()) for mix in (before, after)
        )
        if was.muted != now.muted:
            return ""
        places += [f"{name} {field}" for field in ("gain_db", "pan") if getattr(was, field) != getattr(now, field)]
    return places[0] if len(places) == 1 else ""


def pan_gains(pan: float, *, stereo: bool = False) -> tuple[float, float]:
    """Gains for left and right.

    A mono sound keeps its power wherever it is put: sines of the angles to either side, −3.01 dB each in the middle
    (the sine law of stereophonic panning). Of a stereo sound one side is turned down, as a balance control does.
    """
    if stereo:
        return min(1.0, 1.0 - pan), min(1.0, 1.0 + pan)
    return math.sin((1 - pan) * math.pi / 4), math.sin((1 + pan) * math.pi / 4)


def gains_of(mix: CueMix, columns: Sequence[tuple[str, int | None]]) -> Samples:
    """Gains from the columns of what plays to both ears, shape (columns, 2).

    Parameters
    ----------
    columns : sequence of (key, side)
        The sound that a column belongs to; side 0 or 1 for the left and right of a stereo sound, None for a mono one.
    """
    gains = np.zeros((len(columns), 2))
    for row, (key, side) in enumerate(columns):
        strip = mix.click if key == CLICK else mix.strips.get(key, Strip())
        left, right = pan_gains(strip.pan, stereo=side is not None)
        if side is None:
            gains[row] = strip.gain * left, strip.gain * right
        else:
            gains[row, side] = strip.gain * (left, right)[side]
    return gains * amplitude_from_db(mix.level_db)


def live_gains(mix: CueMix, columns: Sequence[tuple[str, int | None]]) -> Samples:
    """Gains of the live parts, shape (columns, 2): their strip, and "more me" on top; columns as of `gains_of`."""
    gains = np.zeros((len(columns), 2))
    for row, (key, side) in enumerate(columns):
        strip = mix.strips.get(key, Strip())
        both = np.array(pan_gains(max(-1.0, min(1.0, strip.pan + mix.me.pan)), stereo=side is not None))
        if side is not None:
            both[1 - side] = 0.0
        gains[row] = both * strip.gain * mix.me.gain
    return gains * amplitude_from_db(mix.level_db)
