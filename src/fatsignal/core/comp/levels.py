"""Pieces of a comp that drop or jump beside their neighbours, as the ear has it, against how the passage goes.

At every border the loudness of the second after is held against that of the second before, in the comp and in the
takes that were recorded there: a passage that grows louder in all takes is meant to. Which of two neighbours is off
follows from the whole row of pieces: most of what sounds is right.

References
----------
.. [1] ITU-R BS.1770-5: the loudness that is compared, ungated, of one second.
"""

from collections.abc import Sequence
from itertools import pairwise

# The ear notices less than this in music only in direct comparison; common practice, no source.
OFF_DB = 1.5
SECOND_S = 1.0
# Softer than this is a rest or a tail: its loudness says nothing of how it was played.
_SILENT_LUFS = -60.0
# So many takes have to be there for what they do at a border to be how the passage goes.
FEWEST_TAKES = 2


def step_db(before_lufs: float, after_lufs: float) -> float | None:
    """By how much the second after is louder; None where one of them is silent."""
    return None if min(before_lufs, after_lufs) < _SILENT_LUFS else after_lufs - before_lufs


def excess_db(step: float | None, of_takes: Sequence[float | None]) -> float | None:
    """What of a step in the comp is not how the passage goes in the takes; None where they do not say."""
    known = sorted(each for each in of_takes if each is not None)
    if step is None or len(known) < FEWEST_TAKES:
        return None
    half = len(known) // 2
    middle = known[half] if len(known) % 2 else (known[half - 1] + known[half]) / 2
    return step - middle


def offsets_db(seconds: Sequence[float], excess: Sequence[float | None]) -> list[float | None]:
    """By how much each piece is louder than the row that it stands in.

    Parameters
    ----------
    seconds : one for each piece
        How long it sounds.
    excess : one for each border
        As `excess_db` has it; None parts the row.

    Returns
    -------
    one for each piece; None where neither of its borders says anything.
    """
    found: list[float | None] = [None] * len(seconds)
    start = 0
    for number, step in enumerate([*excess, None], start=1):
        if step is not None:
            continue
        row = [0.0]
        for one in excess[start : number - 1]:
            row.append(row[-1] + (one or 0.0))
        if len(row) > 1:
            right = _weighted_middle(row, seconds[start:number])
            found[start:number] = [each - right for each in row]
        start = number
    return found


def in_words(off_db: float) -> str:
    """An offset that is to be told."""
    way = "louder" if off_db > 0 else "quieter"
    return f"{abs(off_db):.1f} dB {way} than its neighbours, against how the takes go here"


def _weighted_middle(values: Sequence[float], weights: Sequence[float]) -> float:
    """The value with as much weight below it as above it."""
    ordered = sorted(zip(values, weights, strict=True))
    left, whole = 0.0, sum(weights)
    for (value, weight), (following, _) in pairwise([*ordered, ordered[-1]]):
        left += weight
        if left == whole / 2:
            return (value + following) / 2
        if left > whole / 2:
            return value
    return ordered[-1][0]
