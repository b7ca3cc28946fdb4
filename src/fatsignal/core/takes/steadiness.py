"""How a phrase as a whole lies against the click: behind or ahead, dragging or rushing."""

import math

from fatsignal.core.takes.click_timing import ClickTiming
from fatsignal.core.takes.findings import Finding, Kind, in_words
from fatsignal.core.takes.windows import Window

# Felt by most players as off the beat as a whole; common practice, no source.
_BEHIND_MS, _DRIFT_MS = 25.0, 30.0
_FEWEST_STROKES = 6
# Of a phrase that lies off as a whole so many strokes do, each by at least this share of the mean; and no phrase lies
# so far off: then another grid was meant.
_MOST_SHARE, _OFF_SHARE, _FARTHEST_MS = 0.8, 0.4, 55.0
# A slope counts when it is so many times its own standard error.
_SURE = 3.0


def steadiness(timing: ClickTiming, phrase: Window) -> list[Finding]:
    """What to say of a phrase's strokes against the click; nothing where there are too few of them."""
    strokes = len(timing.strokes)
    if strokes < _FEWEST_STROKES:
        return []
    found = []
    off = [stroke.ms / timing.mean_ms for stroke in timing.strokes] if timing.mean_ms else []
    together = sum(share >= _OFF_SHARE for share in off) >= _MOST_SHARE * strokes
    if _BEHIND_MS <= abs(timing.mean_ms) <= _FARTHEST_MS and together:
        found.append(_of_all("behind" if timing.mean_ms > 0 else "ahead", timing.mean_ms, phrase))
    # Of n strokes spread evenly, the line's rise over the whole length has this standard error.
    error_ms = timing.spread_ms * math.sqrt(12 / strokes)
    if abs(timing.drift_ms) >= max(_DRIFT_MS, _SURE * error_ms):
        found.append(_of_all("drags" if timing.drift_ms > 0 else "rushes", timing.drift_ms, phrase))
    return found


def _of_all(kind: Kind, ms: float, phrase: Window) -> Finding:
    return Finding(kind, phrase.from_frame, round(ms, 1), in_words(kind, ms), phrase.to_frame)
