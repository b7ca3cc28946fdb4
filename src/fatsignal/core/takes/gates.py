"""Gates over windows: what is heard of a live part where it is punched in, and of its takes where it is not."""

from collections.abc import Sequence

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.material.material import edge_fade
from fatsignal.core.takes.windows import Window


def opening(windows: Sequence[Window], span: Window, *, rate_hz: int) -> Samples:
    """How open a gate is at each frame of `span`, 0 to 1: open inside the windows, with short ramps at their edges.

    The ramp of an equal-power crossfade: the squares of this and of its counterpart, the gate of what lies outside, add
    up to one.
    """
    share = np.zeros(span.frames)
    for window in windows:
        half = edge_fade(window, rate_hz=rate_hz).frames // 2
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
