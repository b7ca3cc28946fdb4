"""Noise between the notes: what is left where others are silent."""

from collections.abc import Sequence

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.takes.findings import Finding, in_words
from fatsignal.core.takes.notes import ENVELOPE_S, TakeAnalysis
from fatsignal.core.takes.stroke_alignment import FEWEST_TAKES
from fatsignal.core.takes.windows import Window

# Of the moments of a phrase so many are looked at: its quietest tenth, by its loudest one.
_QUIETEST_SHARE = 0.1
# A rest lies so far below the playing in most takes; without one nothing can be said.
_REST_DB = 30.0
_LOUDER_DB = 12.0
# What lies deeper is not heard after any amp; common practice, no source.
_SILENT_DBFS = -78.0


def rest_dbfs(playing: TakeAnalysis, from_frame: int, to_frame: int) -> float:
    """Level of a take in the quietest tenth of a stretch of its file."""
    hop = playing.rate_hz * ENVELOPE_S
    piece = playing.envelope_db[max(0, round(from_frame / hop)) : max(1, round(to_frame / hop))]
    return float(np.quantile(piece, _QUIETEST_SHARE)) if len(piece) else -np.inf


def noisy_rests(rests_dbfs: Sequence[float], levels_dbfs: Samples, phrase: Window) -> list[list[Finding]]:
    """For each take whether its rests in a phrase are louder than those of the others, against its own playing.

    With fewer than three takes nothing can be said.
    """
    if len(rests_dbfs) < FEWEST_TAKES:
        return [[] for _ in rests_dbfs]
    below = levels_dbfs - np.array(rests_dbfs)
    found: list[list[Finding]] = []
    for index, (rest, own) in enumerate(zip(rests_dbfs, below, strict=True)):
        others = float(np.median(np.delete(below, index)))
        louder = others - float(own)
        loud = others >= _REST_DB and louder >= _LOUDER_DB and rest >= _SILENT_DBFS
        words = in_words("noisy", louder)
        found.append([Finding("noisy", phrase.from_frame, round(louder, 1), words, phrase.to_frame)] if loud else [])
    return found
