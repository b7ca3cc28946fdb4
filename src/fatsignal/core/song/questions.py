"""What is asked about a tempo map before somebody records half a song against another click."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from fatsignal.core.song.sections import SongSection
from fatsignal.core.timing.tempo import TempoMap


@dataclass(frozen=True, slots=True)
class Question:
    """A change that a person should confirm or remove."""

    bar: int
    kind: Literal["tempo", "meter"]
    says: str


def changes_inside(tempo: TempoMap, sections: Sequence[SongSection]) -> list[Question]:
    """Changes that begin inside a section, not at its first bar, and that nobody has said are meant.

    A ramp is asked about where it begins, and its end not again.
    """
    questions: list[Question] = []
    after_ramp = {after.bar for before, after in pairwise(tempo.tempos) if before.ramp}
    for before, change in zip((None, *tempo.tempos), tempo.tempos, strict=False):
        where = _inside(sections, change.bar)
        if where and not change.meant and change.bar > 1 and change.bar not in after_ramp:
            said = f"changes from {float(before.bpm):g} to {float(change.bpm):g}" if before else ""
            if change.ramp:
                said = "begins to move to another tempo"
            says = f"the tempo {said} at bar {change.bar}, inside {where}: is it meant?"
            questions.append(Question(change.bar, "tempo", says))
    for meter in tempo.meters[1:]:
        where = _inside(sections, meter.bar)
        if where and not meter.meant:
            said = f"the meter changes to {meter.beats}/{meter.unit} at bar {meter.bar}, inside {where}: is it meant?"
            questions.append(Question(meter.bar, "meter", said))
    return sorted(questions, key=lambda question: question.bar)


def lost_by(old: TempoMap, new: TempoMap) -> str:
    """What of a person's map another one does not have: meters, tempo changes, ramps; empty where nothing is lost."""
    gone = []
    there = {(meter.bar, meter.beats, meter.unit) for meter in new.meters}
    meters = [meter for meter in old.meters if (meter.bar, meter.beats, meter.unit) not in there]
    if meters:
        gone.append(", ".join(f"{meter.beats}/{meter.unit} at bar {meter.bar}" for meter in meters))
    changes = [change for change in old.tempos if change.bar > 1 or change.ramp]
    if changes:
        gone.append("one tempo change" if len(changes) == 1 else f"{len(changes)} tempo changes")
    return " and ".join(gone)


def tempo_in_words(tempo: TempoMap) -> str:
    """The map in one line: "104 beats a minute, 4/4", "96 to 120 beats a minute, 4/4 and 7/8"."""
    paces = sorted({round(float(change.bpm), 2) for change in tempo.tempos})
    pace = f"{paces[0]:g}" if len(paces) == 1 else f"{paces[0]:g} to {paces[-1]:g}"
    meters = list(dict.fromkeys(f"{meter.beats}/{meter.unit}" for meter in tempo.meters))
    return f"{pace} beats a minute, {' and '.join(meters)}"


def _inside(sections: Sequence[SongSection], bar: int) -> str | None:
    return next((section.name for section in sections if section.first_bar < bar < section.end_bar), None)
