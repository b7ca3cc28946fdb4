"""Loading what tones run with before one is heard: what is loaded in a roll holds it up."""

import numpy as np

from fatsignal.core.tone.blocks import KINDS
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone

# A partition of the longest convolution, and what comes after it.
_FRAMES = 1024


def warm_chains(*, rate_hz: int) -> None:
    """Some frames of silence through every kind of block."""
    tone = Tone(name="warm", blocks=[kind.example() for kind in KINDS])
    ToneChain(tone, rate_hz=rate_hz).process(np.zeros(_FRAMES))
