"""What of a tone is no partial of what went in, though it should be: aliases."""

from fatsignal.core.clip import in_one
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.voltage import UNKNOWN_FULL_SCALE_V
from tests.signals import FS, inharmonic_db, sine

# What moves or rings puts partials of its own beside a steady tone.
_MOVING = {"chorus", "flanger", "phaser", "tremolo", "echo", "reverb", "spring", "wah"}


def alias_db(tone: Tone, *, peak_v: float = 1.5) -> float:
    """The largest, against the fundamental: of 4186 Hz, a piano's highest note, at 1.5 V, more than pickups give."""
    still = tone.model_copy(update={"blocks": [block for block in tone.blocks if block.kind not in _MOVING]})
    out = ToneChain(still, rate_hz=FS).process(sine(4186.0, peak=peak_v / UNKNOWN_FULL_SCALE_V, seconds=1.5))
    return inharmonic_db(in_one(out)[FS // 2 :], 4186.0)
