"""What is found in all takes of a part, phrase by phrase: the marks of the phrase grid."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from fatsignal.core.median import median
from fatsignal.core.takes.click_timing import ClickTiming, against_click
from fatsignal.core.takes.compare import compare
from fatsignal.core.takes.findings import Finding, Kind, in_words
from fatsignal.core.takes.notes import TakeAnalysis
from fatsignal.core.takes.rests import noisy_rests, rest_dbfs
from fatsignal.core.takes.steadiness import steadiness
from fatsignal.core.takes.stroke_alignment import FEWEST_TAKES, Performance
from fatsignal.core.takes.windows import Gap, Window, clipped
from fatsignal.core.timing.tempo import TempoMap

# A take plays a phrase when its windows hold at least this share of it.
_PLAYED_SHARE = 0.6
_UNEVEN_DB = 3.0
# Fainter strokes are compared with those of other takes, but the click is not asked about them.
_CLEAR = 1.15
# A click this far below the playing is not heard; common practice, no source.
_CLEAN_DB = 50.0


@dataclass(frozen=True, slots=True)
class JudgedTake:
    """What is known of a take before it is judged.

    By channel, `flat_tops` are frames of its files, and `bleed_db` is how far below the playing the click lies in it.
    """

    playing: TakeAnalysis
    from_frame: int
    windows: tuple[Window, ...]
    gaps: tuple[Gap, ...] = ()
    flat_tops: dict[str, list[int]] = field(default_factory=dict)
    bleed_db: dict[str, float] = field(default_factory=dict)

    @property
    def performance(self) -> Performance:
        return Performance(self.playing, self.from_frame)


@dataclass(frozen=True, slots=True)
class PhraseVerdict:
    """What was found in one take at one phrase; `played` says whether it is played there at all."""

    played: bool
    findings: list[Finding]


def judge(takes: Sequence[JudgedTake], phrases: Sequence[Window], tempo: TempoMap) -> list[list[PhraseVerdict]]:
    """For each take and phrase what is wrong there. Takes that do not play a phrase are not held against it."""
    verdicts: list[list[PhraseVerdict]] = [[] for _ in takes]
    for phrase in phrases:
        there = [index for index, take in enumerate(takes) if _plays(take, phrase)]
        found = compare([takes[index].performance for index in there], phrase, tempo)
        levels = np.array([_level_db(takes[index], phrase) for index in there])
        noisy = noisy_rests([_rest_dbfs(takes[index], phrase) for index in there], levels, phrase)
        for index in range(len(takes)):
            if index not in there:
                verdicts[index].append(PhraseVerdict(False, []))
                continue
            place = there.index(index)
            own = [*_damage(takes[index], phrase), *_bleeding(takes[index], phrase), *found[place]]
            own += [*steadiness(timing_of(takes[index], phrase, tempo), phrase), *noisy[place]]
            if len(there) >= FEWEST_TAKES:
                own += _uneven(levels[place] - median(np.delete(levels, place)), phrase)
            inside = [finding for finding in own if _counts(finding, takes[index])]
            verdicts[index].append(PhraseVerdict(True, sorted(inside, key=lambda finding: finding.at_frame)))
    return verdicts


def timing_of(take: JudgedTake, span: Window, tempo: TempoMap) -> ClickTiming:
    """How a take stands against the click within a span."""
    strokes = take.performance.strokes_in(span)
    clear = strokes[take.playing.clearness[strokes] >= _CLEAR]
    return against_click(take.playing.frames[clear] + take.from_frame, tempo)


def _plays(take: JudgedTake, phrase: Window) -> bool:
    played = sum(window.frames for window in clipped(take.windows, phrase))
    return played >= _PLAYED_SHARE * phrase.frames


def _counts(finding: Finding, take: JudgedTake) -> bool:
    """Only what is used of a take is judged; an early first stroke belongs to its window."""
    slack = take.playing.rate_hz // 10
    return any(window.from_frame - slack <= finding.at_frame < window.to_frame for window in take.windows)


def _level_db(take: JudgedTake, phrase: Window) -> float:
    return take.playing.level_db(phrase.from_frame - take.from_frame, phrase.to_frame - take.from_frame)


def _rest_dbfs(take: JudgedTake, phrase: Window) -> float:
    return rest_dbfs(take.playing, phrase.from_frame - take.from_frame, phrase.to_frame - take.from_frame)


def _uneven(off_db: float, phrase: Window) -> list[Finding]:
    if abs(off_db) < _UNEVEN_DB:
        return []
    kind: Kind = "quiet" if off_db < 0 else "loud"
    return [Finding(kind, phrase.from_frame, round(off_db, 2), in_words(kind, off_db), phrase.to_frame)]


def _bleeding(take: JudgedTake, phrase: Window) -> list[Finding]:
    """The click in a microphone, told once: where the take is used first."""
    first = take.windows[0].from_frame
    if not phrase.from_frame - take.playing.rate_hz // 10 <= first < phrase.to_frame:
        return []
    return [
        Finding("bleed", max(first, phrase.from_frame), round(-below, 1), in_words("bleed", below), channel=channel)
        for channel, below in take.bleed_db.items()
        if below < _CLEAN_DB
    ]


def _damage(take: JudgedTake, phrase: Window) -> list[Finding]:
    """What cannot be played better but only recorded again: flat tops, and what the device lost."""
    found = []
    for channel, frames in take.flat_tops.items():
        for frame in frames:
            at = frame + take.from_frame
            if phrase.from_frame <= at < phrase.to_frame:
                found.append(Finding("clipped", at, 1, f"{channel} clipped", channel=channel))
    for gap in take.gaps:
        at = gap.at_frame + take.from_frame
        if at < phrase.to_frame and at + gap.frames > phrase.from_frame:
            ms = 1000 * gap.frames / take.playing.rate_hz
            found.append(Finding("lost", at, round(ms, 1), in_words("lost", ms), at + gap.frames))
    return found
