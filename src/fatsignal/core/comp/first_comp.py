"""A first comp: of every phrase the take that was played best, staying in a take where another gains nothing.

The best path through takes × phrases (dynamic programming): what was found in a phrase costs, and so does every change
of take, more where its join may be heard. What a person chose stays, and what follows it is chosen knowing it.

A join is dear to measure, and most are never made: `first_comp` counts one that was not measured as clean, and whoever
asks measures those on the best way and asks again, as long as a person may wait (`acts/comp/propose.py`).

References
----------
.. [1] R. Bellman, Dynamic Programming (1957): the best path to a state is the best over those to the states before it.
"""

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from uuid import UUID

from fatsignal.core.takes.findings import Kind, verdict_of

# What is to fix weighs three that are to look at. How loud or noisy a passage is can be helped, a wrong note cannot; to
# leave a take and come back to it costs about that. A join that may be heard is nearly a wrong note (common practice,
# no source).
FIX, LOOK, HELPED, CHANGE, HEARD_JOIN = 3.0, 1.0, 0.5, 0.2, 0.7
_CAN_BE_HELPED: frozenset[Kind] = frozenset({"quiet", "loud", "noisy", "bleed"})
# A person liked a starred take; of equals the newer one, as everywhere.
STAR, OLDER = 0.75, 0.01


@dataclass(frozen=True, slots=True)
class PhraseOfTake:
    """What was found in one phrase of a take, and the words of the worst."""

    take_id: UUID
    number: int
    found: tuple[Kind, ...]
    says: tuple[str, ...] = ()
    starred: bool = False

    @property
    def cost(self) -> float:
        return sum(_weight(kind) for kind in self.found) - STAR * self.starred


@dataclass(frozen=True, slots=True)
class Change:
    """One take goes over into another where the phrase at `place` begins."""

    place: int
    before: UUID
    after: UUID


@dataclass(frozen=True, slots=True)
class PhraseChoice:
    """A take for a phrase, and why in words; None where nobody plays it, or where a person has chosen."""

    take_id: UUID | None
    why: str = ""


def first_comp(
    phrases: Sequence[Sequence[PhraseOfTake]], chosen: Mapping[int, UUID | None] | None = None,
    heard: Collection[Change] = (),
) -> list[PhraseChoice]:  # fmt: skip
    """Choose a take for every phrase.

    Parameters
    ----------
    phrases
        In the order of the song, of each the takes that play all of it and may be used, the newest first.
    chosen : mapping, optional
        By the phrase's place what is settled there already: a take, or None for a hole. It is not chosen anew.
    heard
        Changes whose joins may be heard.
    """
    given = dict(chosen or {})
    # Of every take that a phrase may end with: the cost of the best way there, and the way.
    best: dict[UUID | None, tuple[float, tuple[UUID | None, ...]]] = {None: (0.0, ())}
    for place, takes in enumerate(phrases):
        if place in given:
            ends: dict[UUID | None, float] = {given[place]: 0.0}
        else:
            ends = {take.take_id: take.cost + OLDER * rank for rank, take in enumerate(takes)} or {None: 0.0}
        best = {end: _best_way(best, end, cost, place, heard) for end, cost in ends.items()}
    _, way = min(best.values(), key=lambda found: found[0])
    return [
        PhraseChoice(None) if place in given or take_id is None else PhraseChoice(take_id, _why(takes, take_id))
        for place, (takes, take_id) in enumerate(zip(phrases, way, strict=True))
    ]


def changes_of(way: Sequence[UUID | None]) -> list[Change]:
    """Where a way through the phrases leaves a take for another; into a hole and out of it nothing is joined."""
    return [
        Change(place, before, after)
        for place, (before, after) in enumerate(pairwise(way), start=1)
        if before is not None and after is not None and before != after
    ]


def _weight(kind: Kind) -> float:
    if verdict_of(kind) == "fix":
        return FIX
    return HELPED if kind in _CAN_BE_HELPED else LOOK


def _best_way(
    best: Mapping[UUID | None, tuple[float, tuple[UUID | None, ...]]],
    end: UUID | None,
    cost: float,
    place: int,
    heard: Collection[Change],
) -> tuple[float, tuple[UUID | None, ...]]:
    found: tuple[float, tuple[UUID | None, ...]] = (math.inf, ())
    for before, (so_far, way) in best.items():
        # Into a hole and out of it nothing is joined.
        changes = 0.0
        if before is not None and end is not None and before != end:
            changes = CHANGE + (HEARD_JOIN if heard and Change(place, before, end) in heard else 0.0)
        if so_far + changes + cost < found[0]:
            found = (so_far + changes + cost, (*way, end))
    return found


def _why(takes: Sequence[PhraseOfTake], take_id: UUID) -> str:
    """What was found in the one that was chosen, and in the two next best that have something."""
    mine = next(take for take in takes if take.take_id == take_id)
    others = sorted((take for take in takes if take is not mine and take.says), key=lambda take: take.cost)[:2]
    said = [f"take {take.number}: {', '.join(take.says) or 'nothing found'}" for take in (mine, *others)]
    if mine.starred:
        said[0] += ", starred"
    return "; ".join(said)
