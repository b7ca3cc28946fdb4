"""The blind bench: sounds under neutral letters, as many rounds as wanted, the tally, and what it is worth.

Whatever can be compared (placements, takes, comps, tones, prints) is compared here; who calls says what the sounds
are. In every round the letters are dealt anew, so that a letter says nothing of the round before.

References
----------
.. [1] The exact binomial test: C. J. Clopper, E. S. Pearson, "The use of confidence or fiducial limits illustrated in
   the case of the binomial", Biometrika 26(4), 1934.
"""

import math
import random
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from fatsignal.errors import InvalidSetting

LETTERS = "ABCDEFGHI"
FEWEST, MOST = 2, len(LETTERS)
# Choices that chance makes more often than once in twenty say nothing; common practice, no source.
SURE = 0.05


@dataclass(frozen=True, slots=True)
class Round:
    """What was behind the letters, first to last, and which sound was chosen; None while it is listened to."""

    dealt: tuple[str, ...]
    chosen: str | None = None


@dataclass(frozen=True, slots=True)
class Tally:
    """How often each sound was chosen, most first; `chance` is how often chance alone makes a favourite so clear."""

    counts: tuple[tuple[str, int], ...]
    rounds: int
    favourite: str | None
    chance: float
    says: str

    @property
    def sure(self) -> bool:
        return self.favourite is not None and self.chance < SURE


def deal(sounds: Sequence[str], *, seed: int, number: int) -> tuple[str, ...]:
    """The order of the sounds behind the letters in a round, counted from 0; the same for the same seed.

    Raises
    ------
    InvalidSetting
        If there are fewer than two or more than nine of them, or one is there twice.
    """
    if not FEWEST <= len(sounds) <= MOST:
        there = "one sound" if len(sounds) == 1 else f"{len(sounds)} sounds"
        raise InvalidSetting(f"{there} cannot be compared blind: choose two to nine")
    if len(set(sounds)) < len(sounds):
        raise InvalidSetting("one sound is there twice: choose different ones")
    order = sorted(sounds)
    random.Random(f"{seed} {number}").shuffle(order)
    return tuple(order)


def tally(sounds: Sequence[str], rounds: Sequence[Round]) -> Tally:
    """What the rounds that were decided say, in a sentence for the player."""
    decided = [each.chosen for each in rounds if each.chosen is not None]
    counted = Counter(decided)
    counts = tuple(sorted(((sound, counted[sound]) for sound in sounds), key=lambda entry: -entry[1]))
    if not decided:
        return Tally(counts, 0, None, 1.0, "nothing was chosen yet")
    most = counts[0][1]
    ahead = [sound for sound, count in counts if count == most]
    chance = chance_of_favourite(most, len(decided), len(sounds))
    favourite = ahead[0] if len(ahead) == 1 else None
    return Tally(counts, len(decided), favourite, chance, _says(most, len(decided), len(sounds), favourite, chance))


def chance_of_favourite(most: int, rounds: int, sounds: int) -> float:
    """How likely it is that somebody who hears no difference chooses any of the sounds `most` times or more.

    Each by itself has the exact binomial tail [1]; there are so many of them to become the favourite (Bonferroni).
    """
    return min(1.0, sounds * binomial_tail(most, rounds, 1 / sounds))


def binomial_tail(least: int, trials: int, probability: float) -> float:
    """Probability of `least` or more successes, summed exactly."""
    return min(
        1.0,
        math.fsum(
            math.comb(trials, count) * probability**count * (1 - probability) ** (trials - count)
            for count in range(max(0, least), trials + 1)
        ),
    )


def rounds_needed(sounds: int) -> int:
    """The fewest rounds after which somebody who always chooses the same sound is believed."""
    rounds = 1
    while chance_of_favourite(rounds, rounds, sounds) >= SURE:
        rounds += 1
    return rounds


def _says(most: int, rounds: int, sounds: int, favourite: str | None, chance: float) -> str:
    of = f"{most} of {rounds}"
    if rounds < rounds_needed(sounds):
        return f"too few rounds to tell: {rounds_needed(sounds)} are the least with {sounds} sounds"
    if favourite is None or chance >= SURE:
        return f"no better than chance: {of} comes about in {100 * chance:.0f} of 100 such tests by itself"
    rare = f"{100 * chance:.0f} of 100" if chance >= 0.01 else "less than 1 of 100"
    return f"a real preference: chance alone gives {of} in {rare} such tests"
