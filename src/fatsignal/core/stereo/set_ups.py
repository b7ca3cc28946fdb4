"""Stereo set-ups of two microphones, by the trade's names, with what each makes of where a source stands.

References
----------
.. [1] M. Williams, "Unified theory of microphone systems for stereophonic sound recording", AES 82nd Convention,
   preprint 2466, 1987: the recording angle is where level and time together put a source fully to one side; 15 dB alone
   do.
.. [2] A. D. Blumlein, British Patent 394325, 1931: crossed figure-8 capsules at 90°.
.. [3] E. R. Madsen, 1957, and the French and Dutch broadcasters' pairs, 17 cm and 110°, 30 cm and 90°, as
   F. Rumsey, T. McCormick, Sound and Recording, 7th ed., ch. 16 lists them; from memory.
.. [4] H. Wittek, G. Theile, "The recording angle - based on localisation curves", AES 112th Convention, paper 5568,
   2002: a level shifts the image between loudspeakers by 7.5 % a dB and a time by 13 % a tenth of a millisecond, up to
   three quarters of the way; from there on by less.
"""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.mics.directivity import pattern_gain
from fatsignal.core.mics.microphone import PATTERNS
from fatsignal.core.mics.place import MicPlace
from fatsignal.core.units import speed_of_sound_m_s

# Share of the way to one side that a level and a time difference are heard as [4].
_SIDE_PER_DB, _SIDE_PER_MS = 0.075, 1.3
_STRAIGHT, _ALL = 0.75, 15 * _SIDE_PER_DB
# A source that is beside the pair's middle by more than this is behind it.
_WIDEST_DEG = 90.0


@dataclass(frozen=True, slots=True)
class PairSetUp:
    """Two microphones as they are put up: apart in metres, turned apart in degrees, of which patterns.

    `mid_side`: the first looks straight on, the second, a figure-8, to the left, and left and right are decoded.
    """

    name: str
    apart_m: float
    angle_deg: float
    patterns: tuple[float, float]
    mid_side: bool = False
    source: str = "common practice, no source"

    def places(
        self, *, distance_m: float, off_centre_m: float = 0.0, height_m: float = 0.0
    ) -> tuple[MicPlace, MicPlace]:
        """Left and right (or mid and side) at a place, looking at what sounds."""
        if self.mid_side:
            middle = MicPlace(distance_m, off_centre_m, height_m)
            # The side's front looks to the left of whoever stands at the microphones.
            return middle, MicPlace(distance_m, off_centre_m, height_m, turned_deg=-90.0)
        half = self.apart_m / 2
        return (
            MicPlace(distance_m, off_centre_m - half, height_m, turned_deg=-self.angle_deg / 2),
            MicPlace(distance_m, off_centre_m + half, height_m, turned_deg=self.angle_deg / 2),
        )


_CARDIOID, _EIGHT, _OMNI = PATTERNS["cardioid"], PATTERNS["figure-8"], PATTERNS["omni"]

SET_UPS: dict[str, PairSetUp] = {
    each.name: each
    for each in (
        PairSetUp("XY 90°", 0.0, 90.0, (_CARDIOID, _CARDIOID)),
        PairSetUp("XY 120°", 0.0, 120.0, (_CARDIOID, _CARDIOID)),
        PairSetUp("Blumlein pair", 0.0, 90.0, (_EIGHT, _EIGHT), source="Blumlein 1931"),
        PairSetUp("mid-side", 0.0, 90.0, (_CARDIOID, _EIGHT), mid_side=True, source="Blumlein 1931"),
        PairSetUp("ORTF", 0.17, 110.0, (_CARDIOID, _CARDIOID), source="Rumsey and McCormick, ch. 16"),
        PairSetUp("NOS", 0.3, 90.0, (_CARDIOID, _CARDIOID), source="Rumsey and McCormick, ch. 16"),
        PairSetUp("DIN", 0.2, 90.0, (_CARDIOID, _CARDIOID), source="Rumsey and McCormick, ch. 16"),
        PairSetUp("spaced pair 40 cm", 0.4, 0.0, (_OMNI, _OMNI)),
        PairSetUp("spaced pair 60 cm", 0.6, 0.0, (_OMNI, _OMNI)),
    )
}


@dataclass(frozen=True, slots=True)
class PairHeard:
    """What a far source is heard as: right over left in dB, right later in ms, and its place, −1 left to 1 right."""

    angle_deg: Real
    level_difference_db: Real
    time_difference_ms: Real
    side: Real
    mono_loss_db: Real


def pair_heard(set_up: PairSetUp, angle_deg: Real, *, temperature_c: float = 20.0) -> PairHeard:
    """Of a source far away, at angles to the right of the pair's middle, shape (angles,)."""
    turn = np.radians(angle_deg)
    first, second = _gains(set_up, turn)
    late_ms = -1000 * set_up.apart_m * np.sin(turn) / speed_of_sound_m_s(temperature_c)
    level_db = 20 * np.log10(np.maximum(np.abs(second), 1e-6) / np.maximum(np.abs(first), 1e-6))
    side = _side(_SIDE_PER_DB * level_db - _SIDE_PER_MS * late_ms)
    # Of one source whose times differ, mono keeps the power on average over frequency; of coincident ones the sum.
    summed = (first + second) ** 2 / 4 if set_up.apart_m == 0 else (first**2 + second**2) / 4
    lost_db = -10 * np.log10(np.maximum(2 * summed / np.maximum(first**2 + second**2, 1e-12), 1e-12))
    return PairHeard(np.asarray(angle_deg), level_db, late_ms, np.asarray(side), np.maximum(lost_db, 0.0))


def recording_angle_deg(set_up: PairSetUp) -> float:
    """Half the angle within which sources are heard between the loudspeakers: from it on they lie fully to one side."""
    angles = np.arange(0.0, _WIDEST_DEG + 0.05, 0.1)
    side = pair_heard(set_up, angles).side
    beyond = np.flatnonzero(side >= 1.0 - 1e-9)
    return float(angles[beyond[0]]) if len(beyond) else _WIDEST_DEG


def _side(shift: Real) -> Real:
    """How far to one side: as the differences say up to three quarters, all the way where a level alone does it."""
    flatter = _STRAIGHT + (1 - _STRAIGHT) * (np.abs(shift) - _STRAIGHT) / (_ALL - _STRAIGHT)
    return np.asarray(np.sign(shift) * np.minimum(np.where(np.abs(shift) < _STRAIGHT, np.abs(shift), flatter), 1.0))


def _gains(set_up: PairSetUp, turn: Real) -> tuple[Real, Real]:
    if set_up.mid_side:
        middle = _heard(set_up.patterns[0], turn)
        side = _heard(set_up.patterns[1], turn + math.pi / 2)
        return middle + side, middle - side
    half = math.radians(set_up.angle_deg) / 2
    return _heard(set_up.patterns[0], turn + half), _heard(set_up.patterns[1], turn - half)


def _heard(share: float, off_axis: Real) -> Real:
    return np.asarray(pattern_gain(share, np.cos(off_axis)).real)


# Microphones of different sources stand at least so many times as far from each other as from what they are for
# (common practice, no source): a leak is then about 9.5 dB down, 20·log10(3).
THREE_TO_ONE = 3.0


def three_to_one(distances_m: list[float], apart_m: float) -> float | None:
    """How many times as far microphones of different sources stand from each other as from their own."""
    nearest = max(distances_m, default=0.0)
    return apart_m / nearest if nearest > 0 else None
