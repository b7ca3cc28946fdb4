"""All takes of a section judged together: phrase by phrase, against the click, and against what they heard."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

from fatsignal.acts.judge_takes import heard_out, judged_take
from fatsignal.core.material.channels import MEASURED_FIRST, first_of
from fatsignal.core.takes.click_timing import ClickTiming
from fatsignal.core.takes.follow_error import follows
from fatsignal.core.takes.judge import JudgedTake, PhraseVerdict, judge, timing_of
from fatsignal.core.takes.tuning_drift import NotePitch, pitches_of
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.click import ClickSettings
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.files.analysis_cache import VERSION, load_pitches, save_pitches
from fatsignal.files.names import take_stem
from fatsignal.store.takes import Take, TakeChannel


@dataclass(frozen=True, slots=True)
class Recordings:
    """Where takes lie, and the song that they were played to."""

    sessions_folder: Path
    waves_folder: Path
    channels: Mapping[UUID, Sequence[TakeChannel]]
    tempo: TempoMap
    click: ClickSettings
    reference_hz: float

    def heard_out(self, take: Take) -> JudgedTake | None:
        """What was played in a take; None where its file is gone."""
        return heard_out(
            take, self.channels[take.id], sessions_folder=self.sessions_folder, waves_folder=self.waves_folder
        )

    def pitches(self, take: Take) -> list[NotePitch] | None:
        """The notes of a take where it is used, read once; None where its file is gone."""
        clean = first_of(self.channels[take.id], MEASURED_FIRST)
        kept = None if clean is None else self.waves_folder / f"{clean.sha256}.pitches.json"
        of = f"{VERSION} {take.from_frame} {take.used} {self.reference_hz}"
        found = None if kept is None else load_pitches(kept, of=of)
        if found is not None:
            return found
        heard = self.heard_out(take)
        if heard is None:
            return None
        found = pitches_of(heard.performance, take.used, reference_hz=self.reference_hz)
        if kept is not None:
            save_pitches(kept, found, of=of)
        return found

    def judged(self, take: Take) -> JudgedTake | None:
        """What was played in it and what is wrong with its files; None where its file is gone."""
        return judged_take(
            take, self.channels[take.id], sessions_folder=self.sessions_folder, waves_folder=self.waves_folder,
            click=(self.tempo, self.click),
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Followed:
    """What an overdub follows instead of the click."""

    take_id: UUID
    says: str


@dataclass(frozen=True, slots=True)
class SectionVerdict:
    """One take of a section: its phrases, how it stands against the click, its notes, and whom it follows."""

    take_id: UUID
    phrases: list[PhraseVerdict]
    timing: ClickTiming
    notes: list[NotePitch]
    cascade: Followed | None


def judge_section(
    takes: Sequence[Take], phrases: Sequence[Window], recordings: Recordings, *,
    heard_takes: Mapping[UUID, Take], part_names: Mapping[UUID, str],
) -> list[SectionVerdict]:  # fmt: skip
    """What is found in each take whose file is there; `heard_takes` are those that were heard while these rolled."""
    whole = Window(phrases[0].from_frame, phrases[-1].to_frame)
    known = [(take, found) for take in takes if (found := recordings.judged(take))]
    rows = judge([found for _, found in known], phrases, recordings.tempo)
    verdicts = []
    for (take, found), row in zip(known, rows, strict=True):
        timing = timing_of(found, whole, recordings.tempo)
        followed = [heard_takes[each] for each in take.heard if each in heard_takes]
        verdicts.append(
            SectionVerdict(
                take.id, row, timing,
                pitches_of(found.performance, whole, reference_hz=recordings.reference_hz),
                _cascade(timing, followed, whole, recordings, part_names),
            )
        )  # fmt: skip
    return verdicts


def _cascade(
    own: ClickTiming, followed: Sequence[Take], whole: Window, recordings: Recordings, part_names: Mapping[UUID, str]
) -> Followed | None:
    """The take that an overdub follows, if it follows one."""
    for take in followed:
        known = recordings.heard_out(take)
        found = follows(own.strokes, timing_of(known, whole, recordings.tempo).strokes) if known else None
        if found is not None:
            named = take_stem(part_names[take.part_id], take.number)
            return Followed(
                take.id,
                f"follows {named}, which is {found.heard_late_ms:.0f} ms late: this is {found.own_late_ms:.0f} ms late "
                "with it; play to the click, and turn that part down",
            )
    return None
