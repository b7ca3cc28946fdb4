"""The first comp: against trying every way, and against what a person would do."""

from itertools import pairwise, product
from uuid import UUID

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.comp.first_comp import CHANGE, HEARD_JOIN, OLDER, Change, PhraseOfTake, changes_of, first_comp


def phrase(number, fixes=0, looks=0, *says, starred=False, helped=0):
    found = ("clipped",) * fixes + ("late",) * looks + ("noisy",) * helped
    return PhraseOfTake(UUID(int=number), number, found, says, starred)


def numbers(choices):
    return [choice.take_id and choice.take_id.int for choice in choices]


def cost_of(phrases, way, heard=()):
    total = sum(
        each.cost + OLDER * rank
        for takes, number in zip(phrases, way, strict=True)
        for rank, each in enumerate(takes)
        if each.number == number
    )
    joins = sum(HEARD_JOIN for place, both in enumerate(pairwise(way), start=1) if (place, *both) in heard)
    return total + joins + CHANGE * sum(one != other for one, other in pairwise(way) if one and other)


@given(
    st.lists(st.lists(st.tuples(st.integers(0, 2), st.integers(0, 3)), min_size=3, max_size=3), min_size=1, max_size=5),
    st.sets(st.tuples(st.integers(1, 4), st.integers(1, 3), st.integers(1, 3)).filter(lambda each: each[1] != each[2])),
)
@settings(deadline=None)
def test_no_way_through_takes_and_phrases_is_better(found, heard):
    phrases = [[phrase(3 - rank, *each) for rank, each in enumerate(takes)] for takes in found]
    joins = {Change(place, UUID(int=one), UUID(int=other)) for place, one, other in heard}
    chosen = numbers(first_comp(phrases, heard=joins))
    least = min(cost_of(phrases, way, heard) for way in product((1, 2, 3), repeat=len(phrases)))
    assert cost_of(phrases, chosen, heard) == pytest.approx(least)


def test_where_a_join_would_be_heard_the_change_comes_elsewhere():
    clean, only_three, only_two = [phrase(3), phrase(2)], [phrase(3), phrase(2, 1)], [phrase(3, 1), phrase(2)]
    way = first_comp([only_three, clean, only_two])
    assert numbers(way) == [3, 3, 2]
    (change,) = changes_of([choice.take_id for choice in way])
    assert change == Change(2, UUID(int=3), UUID(int=2))
    assert numbers(first_comp([only_three, clean, only_two], heard={change})) == [3, 2, 2]


def test_what_can_be_helped_weighs_less_than_a_wrong_note():
    assert numbers(first_comp([[phrase(3, 0, 1), phrase(2, helped=1)]])) == [2]
    # Yet nobody is left for nothing: noise is a reason to go to a take that has none.
    assert numbers(first_comp([[phrase(3, helped=1), phrase(2)]])) == [2]


def test_a_mistake_is_left_for_another_take_and_of_equals_the_newest_goes_on():
    clean = [phrase(3), phrase(2), phrase(1)]
    assert numbers(first_comp([clean, clean, clean])) == [3, 3, 3]
    broken = [phrase(3, 1, 0, "note missing"), phrase(2), phrase(1)]
    assert numbers(first_comp([clean, broken, clean])) == [2, 2, 2]
    only_here = [phrase(3), phrase(2, 1, 0, "note missing"), phrase(1, 1, 0, "late 40 ms")]
    assert numbers(first_comp([only_here, broken, only_here])) == [3, 2, 3]
    # Where the other one gains hardly anything nothing is cut.
    liked = [phrase(3), phrase(2, starred=True)]
    assert numbers(first_comp([[phrase(3), phrase(2, 1)], liked])) == [3, 2]
    assert numbers(first_comp([[phrase(3), phrase(2)], liked])) == [2, 2]
    assert numbers(first_comp([[phrase(3, 0, 1), phrase(2)], [phrase(3), phrase(2)]])) == [2, 2]


def test_what_a_person_chose_stays_and_what_lies_beside_it_knows_it():
    clean = [phrase(3), phrase(2), phrase(1)]
    choices = first_comp([clean, clean, clean], {1: UUID(int=1)})
    assert numbers(choices) == [1, None, 1]
    assert numbers(first_comp([clean, clean], {0: None})) == [None, 3]


def test_a_phrase_that_nobody_plays_stays_empty_and_costs_no_join():
    assert numbers(first_comp([[phrase(2)], [], [phrase(1)]])) == [2, None, 1]
    assert first_comp([]) == []


def test_every_choice_says_why():
    (choice,) = first_comp(
        [[phrase(9, 0, 0, starred=True), phrase(7, 0, 1, "choked note"), phrase(6, 2, 0, "note missing"), phrase(5)]]
    )
    assert choice.why == "take 9: nothing found, starred; take 7: choked note; take 6: note missing"
    (only,) = first_comp([[phrase(4, 1, 0, "late 30 ms")]])
    assert only.why == "take 4: late 30 ms"
