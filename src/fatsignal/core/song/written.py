"""Written notes of a song that is rearranged: they go with their section, and come back with it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from uuid import UUID

from fatsignal.core.instrument.player import Note
from fatsignal.core.song.sections import SongSection
from fatsignal.core.timing.tempo import TempoMap


@dataclass(frozen=True, slots=True)
class CutNote:
    """A note whose bar is gone: `offset` quarters after the beginning of its section."""

    section_id: UUID
    offset: Fraction
    note: Note


@dataclass(frozen=True, slots=True)
class _Stretch:
    """From a section's beginning to the next one's, quarters."""

    section_id: UUID
    start: Fraction
    end: Fraction


def carried(
    notes: Sequence[Note], cut: Sequence[CutNote], old_tempo: TempoMap, new_tempo: TempoMap,
    old: Sequence[SongSection], new: Sequence[SongSection],
) -> tuple[list[Note], list[CutNote]]:  # fmt: skip
    """Notes where their sections went, and those whose bars are gone; what was cut before comes back where it can.

    A note before the first section, or after the last one, stays in its bar.
    """
    before, after = _stretches(old, old_tempo), {stretch.section_id: stretch for stretch in _stretches(new, new_tempo)}
    kept, homeless = [], list(cut)
    for note in notes:
        home = next((stretch for stretch in before if stretch.start <= note.beat < stretch.end), None)
        if home is None:
            kept.append(note)
        else:
            homeless.append(CutNote(home.section_id, note.beat - home.start, note))
    gone = []
    for entry in homeless:
        target = after.get(entry.section_id)
        if target is None or target.start + entry.offset >= target.end:
            gone.append(entry)
        else:
            kept.append(replace(entry.note, beat=target.start + entry.offset))
    return sorted(kept, key=lambda note: (note.beat, note.string)), gone


def _stretches(sections: Sequence[SongSection], tempo: TempoMap) -> list[_Stretch]:
    ends = [*(section.first_bar for section in sections[1:]), sections[-1].end_bar if sections else 1]
    return [
        _Stretch(section.id, tempo.bar_quarter(section.first_bar), tempo.bar_quarter(end))
        for section, end in zip(sections, ends, strict=False)
    ]
