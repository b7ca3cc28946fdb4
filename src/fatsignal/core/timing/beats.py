"""Every beat of a song with its frame, computed once for a tempo map: pages ask for them all the time."""

from dataclasses import dataclass
from functools import lru_cache

from fatsignal.core.timing.tempo import TempoMap

_MOST_KEPT = 64


@dataclass(frozen=True, slots=True)
class Beats:
    """Frame, bar and number within the bar of each beat, in order."""

    frames: list[int]
    bars: list[int]
    numbers: list[int]


@lru_cache(maxsize=_MOST_KEPT)
def beats_of(tempo: TempoMap, from_bar: int, to_bar: int) -> Beats:
    """All beats of the bars [from_bar, to_bar); do not change the lists, others have them too."""
    found = list(tempo.beats(from_bar, to_bar))
    return Beats([frame for _, _, frame in found], [bar for bar, _, _ in found], [beat for _, beat, _ in found])


@lru_cache(maxsize=_MOST_KEPT)
def bar_tempos(tempo: TempoMap, bars: int) -> list[float]:
    """Tempo at the beginning of each bar from 1 on, in beats a minute, and at the end of the last of so many bars."""
    return [round(tempo.bpm_at(bar), 3) for bar in range(1, bars + 2)]


@lru_cache(maxsize=_MOST_KEPT)
def shared(tempo: TempoMap) -> TempoMap:
    """The one map for all that are equal to it: what it has computed once, it remembers."""
    return tempo
