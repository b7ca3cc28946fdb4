"""A first comp of some sections, from what was found in the takes."""

import asyncio
from collections.abc import Mapping, Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any
from uuid import UUID

from fatsignal.acts.comp.edit import Editing, editing
from fatsignal.acts.comp.joins import both_sides, points_between, sounds_of_pieces
from fatsignal.core.comp.comp import performance
from fatsignal.core.comp.edits import use_take
from fatsignal.core.comp.first_comp import Change, PhraseChoice, PhraseOfTake, changes_of, first_comp
from fatsignal.core.comp.pieces import CompPiece, within
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store.database import Connection

# So many joins are looked at, the rest counts as clean: a person waits for it.
_MOST_JOINS = 12


async def propose(
    conn: Connection, part_id: UUID, judged: Sequence[Mapping[str, Any]], sessions_folder: Path, *, only_missing: bool
) -> None:
    """A first comp of some sections, as they were judged (`acts.judged_section.judged`); what a person chose stays."""
    whole: list[Window] = []

    def says(of: Editing) -> str:
        return f"{of.part.name}: first comp of {of.in_bars(Window(whole[0].from_frame, whole[-1].to_frame))}"

    async with editing(conn, part_id, sessions_folder, kind="first comp", says=says) as of:
        tempo = of.session.tempo
        spans, found = [], []
        for section in judged:
            end = of.sections[UUID(section["section_id"])].to_frame
            firsts = [cell["first_bar"] for take in section["takes"][:1] for cell in take["cells"]]
            edges = [*(tempo.bar_frame(bar) for bar in firsts), end]
            spans += [Window(*edge) for edge in pairwise(edges)]
            found += [_played_at(of, section["takes"], place) for place in range(len(firsts))]
        if not spans:
            raise InvalidSetting("no take plays there yet: roll one first")
        whole += spans
        of.touched = of.sections_of(Window(spans[0].from_frame, spans[-1].to_frame))
        given = _given(of, spans, only_missing=only_missing)
        for span, choice in zip(spans, await _best_way(conn, of, spans, found, given, sessions_folder), strict=True):
            if choice.take_id is not None:
                of.comp = use_take(
                    of.comp, of.take(choice.take_id), span, of.newest_first, within=of.sections_of(span),
                    rate_hz=of.session.rate_hz, why=choice.why,
                )  # fmt: skip


async def _best_way(
    conn: Connection, of: Editing, spans: Sequence[Window], found: Sequence[Sequence[PhraseOfTake]],
    given: Mapping[int, UUID | None], sessions_folder: Path,
) -> list[PhraseChoice]:  # fmt: skip
    """The best choice with the joins that it would have: those on the way are measured, until all of
    them are known or enough were looked at.
    """
    take_ids = {each.take_id for takes in found for each in takes} | {each for each in given.values() if each}
    known = {take.take_id: take for take in of.newest_first}
    whole = [CompPiece(take_id=each, take_frame=0, place=Window(0, 1)) for each in take_ids if each in known]
    sounds = await sounds_of_pieces(conn, tuple(whole), sessions_folder)
    looked, heard = set[Change](), set[Change]()
    while True:
        choices = first_comp(found, given, heard)
        way = [given.get(place, choice.take_id) for place, choice in enumerate(choices)]
        fresh = [each for each in changes_of(way) if each not in looked and {each.before, each.after} <= known.keys()]
        fresh = fresh[: _MOST_JOINS - len(looked)]
        if not fresh:
            return choices
        looked |= set(fresh)
        heard |= set(await asyncio.to_thread(_heard, fresh, known, spans, sounds, of.session.rate_hz))


def _heard(
    changes: Sequence[Change], takes: Mapping[UUID, Played], spans: Sequence[Window],
    sounds: Mapping[UUID, MaterialOnDisk], rate_hz: int,
) -> list[Change]:  # fmt: skip
    """Those of some changes whose best join may be heard."""
    found = []
    for change in changes:
        before, after = (
            CompPiece(take_id=take_id, take_frame=place.from_frame - takes[take_id].begins, place=place)
            for take_id, place in ((change.before, spans[change.place - 1]), (change.after, spans[change.place]))
        )
        if before.place.to_frame != after.place.from_frame:
            continue
        sides = both_sides((before, after), 1, sounds, rate_hz)
        if sides is not None and points_between(sides, after.place.from_frame, rate_hz)[0].verdict == "look":
            found.append(change)
    return found


def _played_at(of: Editing, judged_takes: Sequence[Mapping[str, Any]], place: int) -> list[PhraseOfTake]:
    """Takes that play a phrase and may be used there, the newest first, with what was found in it."""
    ratings = {take.take_id: take.rating for take in of.newest_first}
    found = []
    for take in judged_takes:
        take_id, cell = UUID(take["take_id"]), take["cells"][place]
        if not cell["played"] or ratings.get(take_id, "struck") == "struck":
            continue
        found.append(
            PhraseOfTake(
                take_id, of.numbers[take_id], tuple(each["kind"] for each in cell["findings"]),
                tuple(each["says"] for each in cell["marks"]), ratings[take_id] == "starred",
            )
        )  # fmt: skip
    return found


def _given(of: Editing, spans: Sequence[Window], *, only_missing: bool) -> dict[int, UUID | None]:
    """What of the phrases is not chosen anew: what a person chose; or, where only holes are filled, all that sounds."""
    sounding = performance(of.comp, of.newest_first)
    given: dict[int, UUID | None] = {}
    for place, span in enumerate(spans):
        here = within(sounding, span)
        mine = [piece for piece in here if piece.by_hand or only_missing]
        if 2 * sum(piece.place.frames for piece in mine) > span.frames:
            given[place] = max(mine, key=lambda piece: piece.place.frames).take_id
    return given
