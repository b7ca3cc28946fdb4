"""The level check: how far each input is from its aim while the loudest is played."""

import math
from dataclasses import dataclass

from fatsignal.core.clip import Clip
from fatsignal.core.level.peak import flat_top_runs, peak_dbfs
from fatsignal.core.level.report import played_average_dbfs, played_share
from fatsignal.core.level.target_levels import AIM_AVERAGE_DBFS, turn_by_db
from fatsignal.core.verdict import Verdict

_SILENT_DBFS = -60.0
# Below this a DI drives a simulation so little that it sounds thin; common practice, no source.
_THIN_DBFS = -27.0


@dataclass(frozen=True, slots=True)
class ChannelLevel:
    """One channel: `turn_db` is what to turn its gain by, 0 where the level is right."""

    average_dbfs: float
    peak_dbfs: float
    played_share: float
    flat_tops: int
    turn_db: int
    verdict: Verdict
    says: str


def check_levels(clip: Clip, *, kinds: list[str], inputs: list[str]) -> list[ChannelLevel]:
    """Check every channel over the parts in which it is played: rests say nothing about a gain.

    Parameters
    ----------
    kinds : list of "di", "mic" or "sim"
    inputs : list of str
        What a person turns for each channel, as "input 1".
    """
    averages, shares = played_average_dbfs(clip), played_share(clip)
    return [
        _channel(
            averages[index], peak_dbfs(clip.channel(index)), shares[index], flat_top_runs(clip.channel(index)),
            kinds[index], inputs[index],
        )
        for index in range(clip.channels)
    ]  # fmt: skip


def _channel(average: float, peak: float, share: float, flat_tops: int, kind: str, knob: str) -> ChannelLevel:
    turn = turn_by_db(average, peak, flat_tops)
    if math.isinf(average) or peak < _SILENT_DBFS:
        verdict: Verdict = "fix"
        says = f"nothing arrives at {knob}: check the cable, the input and its switch"
    elif flat_tops:
        verdict, says = (
            "fix",
            f"{flat_tops} flat top{'s'[: flat_tops != 1]}: turn {knob} down {-turn} dB, they cannot be undone",
        )
    elif turn < 0:
        verdict, says = ("fix" if peak > -1 else "look"), f"turn {knob} down {-turn} dB"
    elif turn > 0:
        verdict, says = "look", f"turn {knob} up {turn} dB"
        if kind == "di" and average < _THIN_DBFS:
            verdict, says = "fix", f"{says}: a DI this weak makes a thin simulation"
    elif average < AIM_AVERAGE_DBFS[0]:
        verdict, says = "good", "the peaks leave no room for more: right for a part that is played this unevenly"
    else:
        verdict, says = "good", "right"
    return ChannelLevel(average, peak, share, flat_tops, turn, verdict, says)
