"""How a phrase as a whole lies against the click: behind or ahead, dragging or rushing."""

import math

from fatsignal.core.takes.click_timing import ClickTiming
from fatsignal.core.takes.findings import Finding, Kind, in_words
from fatsignal.core.takes.windows import Window

# Felt by most players as off the beat as a whole; common practice, no source.
_BEHIND_MS, _DRIFT_MS = 25.0, 25.0
_FEWEST_STROKES = 6
# A slope counts when it is so many times its own standard error.
_SURE = 3.0


def steadiness(timing: ClickTiming, phrase: Window) -> list[Finding]:
    """What to say of a phrase's strokes against the click; nothing where there are too few of them."""
    strokes = len(timing.strokes)
    if strokes < _FEWEST_STROKES:
        return []
    found = []
    if abs(timing.mean_ms) >= _BEHIND_MS:
        found.append(_of_all("behind" if timing.mean_ms > 0 else "ahead", timing.mean_ms, phrase))
    # Of n strokes spread evenly, the line's rise over the whole length has this standard error.
    error_ms = timing.spread_ms * math.sqrt(12 / strokes)
    if abs(timing.drift_ms) >= max(_DRIFT_MS, _SURE * error_ms):
        found.append(_of_all("drags" if timing.drift_ms > 0 else "rushes", timing.drift_ms, phrase))
    return found


def _of_all(kind: Kind, ms: float, phrase: Window) -> Finding:
    return Finding(kind, phrase.from_frame, round(ms, 1), in_words(kind, ms), phrase.to_frame)
