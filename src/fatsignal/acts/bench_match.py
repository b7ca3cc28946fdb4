"""Matching: a tone on the bench is brought to the balance and the level of another sound there."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from fatsignal.core.tone.document import Tone
from fatsignal.errors import InvalidSetting


def turned_to(own: Mapping[str, Any], other: Mapping[str, Any]) -> tuple[Callable[[Tone], Tone], str]:
    """What turns a tone that was measured as `own` to what was measured as `other` (`bench_measure.measured`), and how
    near it comes, in words.

    Raises
    ------
    InvalidSetting
        If one of both is silent.
    """
    from fatsignal.core.tone.matching import louder_db, matched, matching_bands
    from fatsignal.core.tone.tone_distance import levels_beside_db

    if own["loudness_lufs"] is None or other["loudness_lufs"] is None:
        raise InvalidSetting("one of both is silent over these bars: choose bars in which both sound")
    found = matching_bands(levels_beside_db(np.array(own["thirds_db"]), np.array(other["thirds_db"])))
    # The bands change the loudness too.
    gain_db = float(other["loudness_lufs"] - own["loudness_lufs"]) - louder_db(np.array(own["thirds_db"]), found.bands)
    return lambda tone: matched(tone, found.bands, gain_db=gain_db), found.says
