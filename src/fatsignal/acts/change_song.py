"""Changing a song's tempo, or its sections, without losing what was recorded to it."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from uuid import UUID

from pydantic import TypeAdapter

from fatsignal.core.comp.comp import rearranged
from fatsignal.core.instrument.player import Note
from fatsignal.core.song.sections import (
    SongSection,
    Span,
    check_sections,
    laid_out,
    moved_frames,
    rearranged_tempo,
    spans_between,
)
from fatsignal.core.song.written import CutNote, carried
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import LEAD_IN_BARS, LONGEST_SONG_BARS, TempoMap
from fatsignal.errors import ConfirmationRequired, InvalidSetting
from fatsignal.store import backings, comps, parts, sections, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take

_NOTE: TypeAdapter[Note] = TypeAdapter(Note)
_NOTES: TypeAdapter[list[Note]] = TypeAdapter(list[Note])


@dataclass(frozen=True, slots=True)
class Rearranged:
    """How many takes went with their section, and which stayed because they lie across an edge that moved."""

    moved_takes: int
    stayed_takes: list[str]


async def change_tempo(
    conn: Connection, session: Session, wanted: TempoMap, *, song_bars: int, audio_stays: bool
) -> None:
    """Give a session another tempo map. What was recorded keeps its place in samples, if the person agrees.

    Without audio, bar 1 is placed anew so that the lead-in has its bars; with audio it stays where it is.

    Raises
    ------
    ConfirmationRequired
        If bars would move under recorded audio and `audio_stays` is false.
    InvalidSetting
        If a section or a change would lie past the song's end.
    """
    if not 1 <= song_bars <= LONGEST_SONG_BARS:
        raise InvalidSetting(f"a song of {song_bars} bars is not possible: 1 to {LONGEST_SONG_BARS}")
    last = max(wanted.tempos[-1].bar, wanted.meters[-1].bar)
    if last > song_bars:
        raise InvalidSetting(
            f"a change stands at bar {last}, past the song's end at bar {song_bars}: make the song longer"
        )
    check_sections([section.in_song for section in await sections.list_sections(conn, session.id)], song_bars=song_bars)
    old = session.tempo
    recorded = await takes.list_kept(conn, session.id)
    tracks = await backings.list_backings(conn, session.id)
    if not recorded and not tracks:
        new = wanted.moved_to(0)
        new = wanted.moved_to(-new.bar_frame(1 - LEAD_IN_BARS))
    else:
        new = wanted.moved_to(old.bar_one_frame)
        off = 0 if audio_stays else sum(_lies_elsewhere(take, old, new) for take in recorded)
        if off:
            said = "one take" if off == 1 else f"{off} takes"
            raise ConfirmationRequired(
                f"bars would move under {said}: audio stays where it is in samples, so it will lie on other bars; "
                "agree, or keep the tempo"
            )
    await sessions.set_tempo(conn, session.id, tempo=new, song_bars=song_bars)


def _lies_elsewhere(take: Take, old: TempoMap, new: TempoMap) -> bool:
    """Whether a take's window would begin or end in another place of the song."""
    return any(old.place_at(frame) != new.place_at(frame) for frame in take.used)


async def change_sections(
    conn: Connection, session: Session, wanted: Sequence[SongSection], *, one_after_the_other: bool,
    agreed: bool = False,
) -> Rearranged:  # fmt: skip
    """Give a session other sections; what belongs to one that moves goes with it: tempo, takes, written notes.

    The takes of a section that is removed go into the bin, if the person agrees.

    Parameters
    ----------
    one_after_the_other : bool
        Lay them out in the order given, without gaps, and make the song as long as they need.

    Raises
    ------
    ConfirmationRequired
        If takes would go into the bin with their section and `agreed` is false.
    InvalidSetting
        If sections overlap, run past the song's end, or a ramp would lead out of a section that moves.
    """
    old = [section.in_song for section in await sections.list_sections(conn, session.id)]
    new, song_bars = list(wanted), session.song_bars
    if one_after_the_other:
        new = laid_out(new, first_bar=min((section.first_bar for section in old), default=1))
        song_bars = max(song_bars, new[-1].end_bar - 1) if new else song_bars
    else:
        new.sort(key=lambda section: section.first_bar)
    new = [replace(section, name=section.name.strip()) for section in new]
    if len({section.id for section in new}) < len(new):
        raise InvalidSetting("a section stands twice in the list: leave one of them out")
    check_sections(new, song_bars=song_bars)
    binned = await _bin_with_sections(conn, session, old, new, agreed=agreed)
    spans = spans_between(old, new)
    tempo = rearranged_tempo(session.tempo, spans)
    result = await _move_takes(conn, session, tempo, spans, binned)
    await _move_comps(conn, session, tempo, spans, [each for each in old if each.id not in {kept.id for kept in new}])
    await _move_notes(conn, session, tempo, old, new)
    await sections.replace_sections(conn, session.id, new)
    if tempo != session.tempo or song_bars != session.song_bars:
        await sessions.set_tempo(conn, session.id, tempo=tempo, song_bars=song_bars)
    return result


async def _bin_with_sections(
    conn: Connection, session: Session, old: Sequence[SongSection], new: Sequence[SongSection], *, agreed: bool
) -> set[UUID]:
    """Takes that lie in a section that is removed go where it goes: else they would lie in another one's bars."""
    kept, binned = {section.id for section in new}, set()
    takes_kept = await takes.list_kept(conn, session.id)
    for section in old:
        if section.id in kept:
            continue
        start, end = session.tempo.bar_frame(section.first_bar), session.tempo.bar_frame(section.end_bar)
        own = [take for take in takes_kept if start <= (take.used.from_frame + take.used.to_frame) // 2 < end]
        if own and not agreed:
            said = "a take, which goes" if len(own) == 1 else f"{len(own)} takes, which go"
            raise ConfirmationRequired(f"{section.name} holds {said} into the bin with it; undo brings all of it back")
        for take in own:
            await takes.set_binned(conn, take.id, binned=True)
            binned.add(take.id)
    return binned


async def _move_takes(
    conn: Connection, session: Session, new: TempoMap, spans: Sequence[Span], gone: Collection[UUID]
) -> Rearranged:
    moves, stayed = {}, []
    names = {part.id: part.name for part in await parts.list_parts(conn, session.id)}
    for take in await takes.list_takes(conn, session.id):
        if take.id in gone:
            # It keeps the place that it had, and comes back to it.
            continue
        by = moved_frames(session.tempo, new, spans, take.used)
        if by is None:
            stayed.append(f"{names[take.part_id]} {take.number:02d}")
        elif by:
            moves[take.id] = by
    await takes.move_takes(conn, moves)
    return Rearranged(len(moves), stayed)


async def _move_comps(
    conn: Connection, session: Session, new: TempoMap, spans: Sequence[Span], removed: Sequence[SongSection]
) -> None:
    """What was settled of a section goes with it, in every version."""
    old = session.tempo
    moves = [
        (Window(start, old.bar_frame(span.old_bar + span.kept_bars)), new.bar_frame(span.new_bar) - start)
        for span in spans
        for start in [old.bar_frame(span.old_bar)]
    ]
    gone = [Window(old.bar_frame(each.first_bar), old.bar_frame(each.end_bar)) for each in removed]
    if not gone and not any(by for _, by in moves):
        return
    for each in await comps.all_of_session(conn, session.id):
        await comps.set_comp(conn, each.id, rearranged(each.comp, moves, gone=gone))


async def _move_notes(
    conn: Connection, session: Session, tempo: TempoMap, old: Sequence[SongSection], new: Sequence[SongSection]
) -> None:
    for part in await parts.list_parts(conn, session.id):
        if not part.written and not part.cut:
            continue
        notes = _NOTES.validate_python(part.written)
        cut = [CutNote(UUID(c["section"]), Fraction(c["offset"]), _NOTE.validate_python(c["note"])) for c in part.cut]
        kept, gone = carried(notes, cut, session.tempo, tempo, old, new)
        await parts.set_written(
            conn, part.id, _NOTES.dump_python(kept, mode="json"),
            cut=[
                {"section": str(c.section_id), "offset": str(c.offset), "note": _NOTE.dump_python(c.note, mode="json")}
                for c in gone
            ],
        )  # fmt: skip
