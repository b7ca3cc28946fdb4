"""Sections of a song: what is allowed, and what moves when they are resized or put into another order."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise
from uuid import UUID

from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import MeterChange, TempoChange, TempoMap
from fatsignal.errors import InvalidSetting

LONGEST_SECTION_BARS = 1_000


@dataclass(frozen=True, slots=True)
class SongSection:
    """A named range of bars; `phrase_bars` is how long its phrases are."""

    id: UUID
    name: str
    first_bar: int
    bars: int
    phrase_bars: int

    @property
    def end_bar(self) -> int:
        """The first bar after it."""
        return self.first_bar + self.bars


@dataclass(frozen=True, slots=True)
class Span:
    """What stays together when a song is rearranged: a section and the bars up to the next one."""

    old_bar: int
    new_bar: int
    old_bars: int
    new_bars: int

    @property
    def kept_bars(self) -> int:
        return min(self.old_bars, self.new_bars)


def check_sections(sections: Sequence[SongSection], *, song_bars: int) -> None:
    """Refuse sections that overlap, run past the song's end, or cannot be played.

    Raises
    ------
    InvalidSetting
        With the two sections, or the bars, that do not fit.
    """
    for section in sections:
        if not section.name.strip():
            raise InvalidSetting(f"the section at bar {section.first_bar} has no name: give it one")
        if not 1 <= section.bars <= LONGEST_SECTION_BARS:
            raise InvalidSetting(f"{section.name} has {section.bars} bars: 1 to {LONGEST_SECTION_BARS} are possible")
        if not 1 <= section.phrase_bars <= section.bars:
            raise InvalidSetting(
                f"a phrase of {section.phrase_bars} bars does not fit into {section.name}, which has {section.bars}"
            )
        if section.first_bar < 1:
            raise InvalidSetting(f"{section.name} begins at bar {section.first_bar}: the first bar is 1")
        if section.end_bar - 1 > song_bars:
            raise InvalidSetting(
                f"{section.name} runs to bar {section.end_bar - 1}, past the song's end at bar {song_bars}: "
                "make the song longer, or the section shorter"
            )
    for before, after in pairwise(sections):
        if after.first_bar < before.end_bar:
            raise InvalidSetting(
                f"{before.name} and {after.name} overlap: {before.name} ends with bar {before.end_bar - 1}, "
                f"{after.name} begins at bar {after.first_bar}"
            )


def laid_out(sections: Sequence[SongSection], *, first_bar: int = 1) -> list[SongSection]:
    """The sections one after the other, in the order given."""
    placed = []
    for section in sections:
        placed.append(replace(section, first_bar=first_bar))
        first_bar += section.bars
    return placed


def what_changed(old: Sequence[SongSection], new: Sequence[SongSection]) -> str:
    """What a change of sections did, in words."""
    before, after = {section.id: section for section in old}, {section.id: section for section in new}
    removed = [section.name for section in old if section.id not in after]
    added = [section.name for section in new if section.id not in before]
    if removed or added:
        names, did = (removed, "removed") if removed else (added, "added")
        return f"{', '.join(names)} {did}"
    renamed = [section for section in new if before[section.id].name != section.name.strip()]
    if renamed:
        return f"{before[renamed[0].id].name} renamed to {renamed[0].name.strip()}"
    resized = [section.name for section in new if before[section.id].bars != section.bars]
    if resized:
        return f"length of {', '.join(resized)} changed"
    if [section.id for section in old] != [section.id for section in new]:
        return "sections put into another order"
    phrases = [section.name for section in new if before[section.id].phrase_bars != section.phrase_bars]
    return f"phrases of {', '.join(phrases)} changed" if phrases else "sections changed"


def spans_between(old: Sequence[SongSection], new: Sequence[SongSection]) -> list[Span]:
    """Where each section that is in both goes; the bars between a section and the next one go with it."""
    ends_old = {s.id: (old[i + 1].first_bar if i + 1 < len(old) else s.end_bar) for i, s in enumerate(old)}
    ends_new = {s.id: (new[i + 1].first_bar if i + 1 < len(new) else s.end_bar) for i, s in enumerate(new)}
    before = {section.id: section for section in old}
    return [
        Span(
            before[section.id].first_bar, section.first_bar,
            ends_old[section.id] - before[section.id].first_bar, ends_new[section.id] - section.first_bar,
        )
        for section in new
        if section.id in before
    ]  # fmt: skip


def rearranged_tempo(tempo: TempoMap, spans: Sequence[Span]) -> TempoMap:
    """The map with every span's tempo and meter where the span went; other bars go on as the bars before them.

    Raises
    ------
    InvalidSetting
        If a ramp crosses the edge of a span: it would lead to another tempo than the one it was set to.
    """
    moving = [span for span in spans if span.old_bar != span.new_bar or span.old_bars != span.new_bars]
    if not moving:
        return tempo
    for ramp, target in zip(tempo.tempos, tempo.tempos[1:], strict=False):
        for span in moving:
            end = span.old_bar + span.old_bars
            if ramp.ramp and span.old_bar <= ramp.bar < end and target.bar >= span.old_bar + span.kept_bars:
                raise InvalidSetting(
                    f"the ramp from bar {ramp.bar} leads out of its section: "
                    "end it inside, or remove it, then move the section"
                )
    tempos: dict[int, TempoChange] = {1: tempo.tempos[0]}
    meters: dict[int, MeterChange] = {1: tempo.meters[0]}
    for span in sorted(spans, key=lambda span: span.new_bar):
        inside = range(span.old_bar, span.old_bar + span.kept_bars)
        begins = _in_force(tempo.tempos, span.old_bar)
        tempos[span.new_bar] = replace(begins, bar=span.new_bar, bpm=_exact_bpm(tempo, span.old_bar, begins))
        meters[span.new_bar] = replace(tempo.meter_at(span.old_bar), bar=span.new_bar)
        for change in tempo.tempos:
            if change.bar in inside:
                tempos[change.bar - span.old_bar + span.new_bar] = replace(
                    change, bar=change.bar - span.old_bar + span.new_bar
                )
        for meter in tempo.meters:
            if meter.bar in inside:
                meters[meter.bar - span.old_bar + span.new_bar] = replace(
                    meter, bar=meter.bar - span.old_bar + span.new_bar
                )
    return TempoMap(
        tempo.rate_hz,
        tuple(_without_repeats([tempos[bar] for bar in sorted(tempos)])),
        tuple(_without_repeated_meters([meters[bar] for bar in sorted(meters)])),
        tempo.bar_one_frame,
    )


def moved_frames(old: TempoMap, new: TempoMap, spans: Sequence[Span], window: Window) -> int | None:
    """Frames by which what lies in `window` moves with its span; 0 where it stays, None where it lies across two.

    An edge may hang over by a quarter of a bar: a last chord that rings on belongs to its section.
    """
    window_from, window_to = window
    for span in spans:
        start, end = old.bar_frame(span.old_bar), old.bar_frame(span.old_bar + span.old_bars)
        slack = (old.bar_frame(span.old_bar + 1) - start) // 4
        if start - slack <= window_from and window_to <= end + slack:
            return new.bar_frame(span.new_bar) - start
    touches = [
        span
        for span in spans
        if old.bar_frame(span.old_bar) < window_to and old.bar_frame(span.old_bar + span.old_bars) > window_from
    ]
    shifts = {new.bar_frame(span.new_bar) - old.bar_frame(span.old_bar) for span in touches}
    return (shifts.pop() if shifts else 0) if len(shifts) <= 1 else None


def _in_force(tempos: Sequence[TempoChange], bar: int) -> TempoChange:
    return next(change for change in reversed(tempos) if change.bar <= max(1, bar))


def _exact_bpm(tempo: TempoMap, bar: int, change: TempoChange) -> Fraction:
    """The tempo at a bar: that of its change, or the place within a ramp, which is then steady from there on."""
    if not change.ramp or change.bar == bar:
        return change.bpm
    return Fraction(tempo.bpm_at(bar)).limit_denominator(1_000_000)


def _without_repeats(changes: list[TempoChange]) -> list[TempoChange]:
    kept: list[TempoChange] = []
    for change in changes:
        last = kept[-1] if kept else None
        if last and last.bpm == change.bpm and not last.ramp and not change.ramp:
            continue
        kept.append(change)
    return kept


def _without_repeated_meters(meters: list[MeterChange]) -> list[MeterChange]:
    kept: list[MeterChange] = []
    for meter in meters:
        if not kept or (kept[-1].beats, kept[-1].unit) != (meter.beats, meter.unit):
            kept.append(meter)
    return kept
