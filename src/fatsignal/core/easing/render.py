"""An eased take's sound: attacks copied to the sample, what rings between them stretched and tuned, the same for all
channels.
"""

from itertools import pairwise

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.easing.easing import ATTACK_S, BEFORE_S, EasedStroke, Easing
from fatsignal.core.easing.splices import stretched, tuned

# A note that is tuned goes over from its attack in that time.
_TUNED_S = 0.01


def eased(take: Real, easing: Easing, *, rate_hz: int) -> Real:
    """What an easing makes of a take.

    Parameters
    ----------
    take : array, shape (channels, easing.changes.frames)
        What it changes.

    Returns
    -------
    array, shape (channels, easing.sounds.frames)
    """
    start = easing.changes.from_frame
    before, attack = round(BEFORE_S * rate_hz), round(ATTACK_S * rate_hz)
    out = np.empty((len(take), easing.sounds.frames))
    # Up to the first ring, and from the last attack on, it is the take.
    first, last = easing.strokes[0].take_frame + attack - start, easing.strokes[-1].take_frame - before - start
    out[:, :first] = take[:, :first]
    out[:, last + easing.later :] = take[:, last:]
    for one, other in pairwise(easing.strokes):
        begins, ends = one.take_frame + attack - start, other.take_frame - before - start
        to_begin, to_end = begins + one.by_frames, ends + other.by_frames
        out[:, to_begin:to_end] = _rings(take, begins, ends, to_end - to_begin, one, rate_hz)
        attack_ends = other.take_frame + attack - start
        if other is not easing.strokes[-1]:
            out[:, to_end : attack_ends + other.by_frames] = take[:, ends:attack_ends]
    return out


def _rings(take: Real, begins: int, ends: int, frames: int, stroke: EasedStroke, rate_hz: int) -> Real:
    """What rings after a stroke, as long and as high as it shall be."""
    ring = take[:, begins:ends]
    if not stroke.cents:
        return stretched(ring, frames, rate_hz=rate_hz)
    out = stretched(tuned(take, begins, ends, stroke.cents), frames, rate_hz=rate_hz)
    fade = min(round(_TUNED_S * rate_hz), frames // 4)
    share = np.arange(fade) / fade
    out[:, :fade] = (1 - share) * take[:, begins : begins + fade] + share * out[:, :fade]
    # And into the attack that follows.
    out[:, -fade:] = share[::-1] * out[:, -fade:] + (1 - share[::-1]) * take[:, ends - fade : ends]
    return out
