"""What is heard of a part that has many takes: at every place the newest that is used there."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.takes.sheet import Played
from fatsignal.core.takes.windows import Window, joined

# Punched-in audio meets what was there before over this time, half of it on either side of the edge.
CROSSFADE_S = 0.01


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of the song that one take plays."""

    take_id: UUID
    span: Window


def layered(takes: Sequence[Played]) -> list[Piece]:
    """Pieces in the order of the song, without overlap; `takes` are given from the newest on."""
    taken: tuple[Window, ...] = ()
    pieces: list[Piece] = []
    for take in takes:
        for window in joined(take.windows):
            pieces += [Piece(take.take_id, free) for free in _without(window, taken)]
        taken = joined([*taken, *take.windows])
    return sorted(pieces, key=lambda piece: piece.span)


def _without(window: Window, taken: Sequence[Window]) -> list[Window]:
    left, at = [], window.from_frame
    for other in taken:
        if other.to_frame <= at or other.from_frame >= window.to_frame:
            continue
        if other.from_frame > at:
            left.append(Window(at, other.from_frame))
        at = max(at, other.to_frame)
    if at < window.to_frame:
        left.append(Window(at, window.to_frame))
    return left


def opening(windows: Sequence[Window], span: Window, *, rate_hz: int) -> Samples:
    """How open a gate is at each frame of `span`, 0 to 1: open inside the windows, with short ramps at their edges.

    The ramp of an equal-power crossfade: the squares of this and of its counterpart, the gate of what lies outside, add
    up to one.
    """
    share = np.zeros(span.frames)
    for window in windows:
        half = max(1, min(round(CROSSFADE_S * rate_hz / 2), window.frames // 2))
        edges = [window.from_frame - half, window.from_frame + half, window.to_frame - half, window.to_frame + half]
        # Most spans of a live block are far from any edge.
        if edges[1] <= span.from_frame and span.to_frame <= edges[2] + 1:
            return np.ones(span.frames)
        if edges[0] < span.to_frame and span.from_frame < edges[3]:
            frames = np.arange(span.from_frame, span.to_frame)
            share = np.maximum(share, np.interp(frames, edges, [0.0, 1.0, 1.0, 0.0]))
    return np.sin(share * (np.pi / 2))


def closing(windows: Sequence[Window], span: Window, *, rate_hz: int) -> Samples:
    """The counterpart of `opening`: how open the gate is for what lies outside the windows."""
    return np.sqrt(np.maximum(0.0, 1 - opening(windows, span, rate_hz=rate_hz) ** 2))
