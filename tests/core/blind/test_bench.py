"""The blind bench, against scipy's binomial test and by trying it on people who hear nothing."""

import itertools
import random
from collections import Counter

import pytest
from scipy import stats

from fatsignal.core.blind.bench import (
    Round,
    binomial_tail,
    chance_of_favourite,
    deal,
    rounds_needed,
    tally,
)
from fatsignal.errors import InvalidSetting


@pytest.mark.parametrize(
    ("most", "rounds", "share"), [(9, 10, 0.5), (5, 10, 0.5), (7, 12, 1 / 3), (0, 4, 0.25), (6, 6, 1 / 9)]
)
def test_tails_are_those_of_the_exact_binomial_test(most, rounds, share):
    expected = stats.binomtest(most, rounds, share, alternative="greater").pvalue
    assert binomial_tail(most, rounds, share) == pytest.approx(expected, rel=1e-12)
    assert binomial_tail(most, rounds, share) == pytest.approx(stats.binom.sf(most - 1, rounds, share), rel=1e-9)


@pytest.mark.parametrize("sounds", [2, 3, 5, 9])
def test_who_hears_nothing_is_believed_in_one_of_twenty_tests_at_most(sounds):
    listener, believed = random.Random(sounds), 0
    names = [str(number) for number in range(sounds)]
    for _ in range(600):
        rounds = [Round(tuple(names), listener.choice(names)) for _ in range(12)]
        believed += tally(names, rounds).sure
    assert believed / 600 < 0.065


@pytest.mark.parametrize("sounds", range(2, 10))
def test_as_many_rounds_as_needed_and_no_fewer(sounds):
    needed = rounds_needed(sounds)
    assert chance_of_favourite(needed, needed, sounds) < 0.05 <= chance_of_favourite(needed - 1, needed - 1, sounds)


def test_letters_are_dealt_evenly_and_the_same_again():
    sounds = ["one", "two", "three"]
    dealt = [deal(sounds, seed=7, number=number) for number in range(6000)]
    assert dealt == [
        deal(reversed_, seed=7, number=n) for n, reversed_ in enumerate(itertools.repeat(sounds[::-1], 6000))
    ]
    counted = Counter(dealt)
    assert len(counted) == 6
    # Each order in a sixth, within five standard deviations.
    assert all(abs(count - 1000) < 5 * 29 for count in counted.values())
    assert deal(sounds, seed=7, number=0) != deal(sounds, seed=7, number=1) or dealt[1] != dealt[2]


def test_the_tally_in_words():
    def rounds(*chosen):
        return [Round(("a", "b"), each) for each in chosen]

    assert tally("ab", []).says == "nothing was chosen yet"
    assert tally("ab", rounds("a", "a", None)).says == "too few rounds to tell: 6 are the least with 2 sounds"
    even = tally("ab", rounds(*"ababababab"))
    assert (even.favourite, even.sure) == (None, False)
    assert even.says == "no better than chance: 5 of 10 comes about in 100 of 100 such tests by itself"
    clear = tally("ab", rounds(*"aaaaaaaaba"))
    assert (clear.favourite, clear.sure, clear.counts) == ("a", True, (("a", 9), ("b", 1)))
    assert clear.says == "a real preference: chance alone gives 9 of 10 in 2 of 100 such tests"
    assert "in less than 1 of 100" in tally("ab", rounds(*"a" * 10)).says


@pytest.mark.parametrize(
    ("sounds", "sentence"),
    [(["a"], "one sound cannot"), ([str(n) for n in range(10)], "two to nine"), (["a", "a"], "twice")],
)
def test_what_cannot_be_compared_is_said(sounds, sentence):
    with pytest.raises(InvalidSetting, match=sentence):
        deal(sounds, seed=1, number=0)
