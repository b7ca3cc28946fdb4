"""A first comp of some sections, from what was found in the takes."""

from collections.abc import Mapping, Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any
from uuid import UUID

from fatsignal.acts.comp.edit import Editing, editing
from fatsignal.core.comp.comp import performance
from fatsignal.core.comp.edits import use_take
from fatsignal.core.comp.first_comp import PhraseOfTake, first_comp
from fatsignal.core.comp.pieces import within
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting
from fatsignal.store.database import Connection


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
        for span, choice in zip(spans, first_comp(found, given), strict=True):
            if choice.take_id is not None:
                of.comp = use_take(
                    of.comp, of.take(choice.take_id), span, of.newest_first, within=of.sections_of(span),
                    rate_hz=of.session.rate_hz, why=choice.why,
                )  # fmt: skip


def _played_at(of: Editing, judged_takes: Sequence[Mapping[str, Any]], place: int) -> list[PhraseOfTake]:
    """Takes that play a phrase and may be used there, the newest first, with what was found in it."""
    ratings = {take.take_id: take.rating for take in of.newest_first}
    found = []
    for take in judged_takes:
        take_id, cell = UUID(take["take_id"]), take["cells"][place]
        if not cell["played"] or ratings.get(take_id, "struck") == "struck":
            continue
        verdicts = [each["verdict"] for each in cell["findings"]]
        found.append(
            PhraseOfTake(
                take_id, of.numbers[take_id], verdicts.count("fix"), verdicts.count("look"),
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
