"""Many seeded takes with planted mistakes: what is found is right, and little is missed.

The bench counts the same over 200 takes, where every kind is to reach 0.9; over these few a little less is allowed.
"""

from collections import Counter

import numpy as np
import pytest

from bench.mistakes import PARTS, TEMPO, group, planted
from fatsignal.core.instrument.player import MistakeKind
from fatsignal.core.takes.windows import Window


def span_of(part):
    return Window(TEMPO.bar_frame(part.first_bar), TEMPO.bar_frame(part.first_bar + 8))


@pytest.mark.parametrize("part", PARTS, ids=lambda part: part.name)
def test_mistakes_are_planted_at_beats_of_their_own(part):
    made = planted(part, np.random.default_rng(4), span_of(part), 3)
    assert [len(mine) for mine in made] == [len(part.kinds)] * 3
    beats = [mistake.beat for mine in made for mistake in mine]
    assert len(set(beats)) == len(beats)
    assert all(span_of(part).from_frame <= TEMPO.quarter_frame(beat) < span_of(part).to_frame for beat in beats)


@pytest.mark.long
def test_precision_and_recall_over_many_takes():
    counts: Counter = Counter()
    for seed in range(10 * len(PARTS)):
        counts += group(PARTS[seed % len(PARTS)], 400 + seed)
    for kind in (kind for kind in MistakeKind if any(counted == kind for counted, _ in counts)):
        hit, missed, false = (counts[kind, what] for what in ("hit", "missed", "false"))
        assert hit + missed >= 3, kind
        assert hit / (hit + missed) >= 0.8, (kind, hit, missed)
        assert hit / (hit + false) >= 0.8, (kind, hit, false)
