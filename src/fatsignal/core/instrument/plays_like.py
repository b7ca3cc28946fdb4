"""What voltage a DI of unknown gain stands for, from how it plays.

A player's loudest strokes come to about one and two thirds of what a single string gives that is plucked as hard as it
goes: in the simulated player's takes 1.0 to 2.8 times, chords more and single notes less (common practice of levels, no
source). So this is a guess of some five decibels either way, and is told as one.
"""

from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.core.tone.voltage import HIGHEST_FULL_SCALE_V, LOWEST_FULL_SCALE_V, UNKNOWN_FULL_SCALE_V

_PEAK_PER_STRING = 5 / 3


def likely_full_scale_v(peak_dbfs: float | None, *, string_volts: float) -> float:
    """The voltage of full scale for which a DI that peaks there plays like an instrument of `string_volts`."""
    if peak_dbfs is None or peak_dbfs < -90:
        return UNKNOWN_FULL_SCALE_V
    volts = _PEAK_PER_STRING * string_volts / 10 ** (peak_dbfs / 20)
    return round(min(max(volts, LOWEST_FULL_SCALE_V), HIGHEST_FULL_SCALE_V), 2)


def plays_like(full_scale_v: float, *, pickup: str, instrument: str) -> str:
    """That guess in words."""
    volts = f"{full_scale_v:.1f}" if full_scale_v < 100 else f"{full_scale_v:.0f}"
    passive = "" if pickup == "piezo" else "passive "
    name = INSTRUMENTS[instrument].name if instrument in INSTRUMENTS else instrument
    return f"plays like a {passive}{pickup} of a {name} at about {volts} V for full scale"
