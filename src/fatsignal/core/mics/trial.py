"""What is played for a trial clip of a placement, and which of the clips was chosen."""

from collections.abc import Sequence
from typing import Literal
from uuid import UUID

from pydantic import Field

from fatsignal.core.documents import Kept
from fatsignal.core.takes.roll_plan import Range, RollPlan, RollSettings, plan_once
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import InvalidSetting

MOST_TRIAL_BARS = 16


class PlacementSettings(Kept):
    """Of one part: the bars that are played for every clip, the same each time; what is heard of a clip."""

    first_bar: int = Field(default=1, ge=1)
    bars: int = Field(default=2, ge=1, le=MOST_TRIAL_BARS)
    count_in: bool = True
    chosen: UUID | None = Field(default=None, description="The clip whose placement takes are recorded with.")
    beside: Literal["nothing", "the song"] = "nothing"


def trial_plan(tempo: TempoMap, settings: PlacementSettings, *, song_bars: int, count_in_bars: int) -> RollPlan:
    """Play the bars of a trial once.

    Raises
    ------
    InvalidSetting
        If they lie beyond the song's end.
    """
    last = settings.first_bar + settings.bars - 1
    if last > song_bars:
        raise InvalidSetting(f"the trial plays bars {settings.first_bar} to {last}, and the song has {song_bars} bars")
    return plan_once(
        tempo, Range(settings.first_bar, last + 1), RollSettings(),
        count_in_bars=count_in_bars if settings.count_in else 0,
    )  # fmt: skip


def common_frames(lengths: Sequence[int], *, rate_hz: int) -> int:
    """So much of clips as all have, of those that last a second: one that was stopped at once shortens none of them."""
    return min([each for each in lengths if each >= rate_hz] or lengths)
