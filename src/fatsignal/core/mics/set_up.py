"""A microphone before something that sounds: all that its sound follows from."""

from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.mics.microphone import MIC_KINDS, MicKind
from fatsignal.core.mics.place import MicPlace
from fatsignal.core.mics.sounding import SOUNDING, Sounding
from fatsignal.core.units import speed_of_sound_m_s


@dataclass(frozen=True, slots=True)
class MicSetUp:
    """A microphone before something that sounds: kind, place and all that its sound follows from.

    `point` is what its place is measured from; empty, the first of what sounds. `pattern` is the share of pressure of
    one that can be switched.
    """

    sounding: str
    kind: str
    place: MicPlace
    point: str = ""
    pattern: float | None = None
    room: str = "dry"
    absorber: bool = False
    temperature_c: float = 20.0

    @property
    def front(self) -> Sounding:
        return SOUNDING[self.sounding]

    @property
    def mic(self) -> MicKind:
        return MIC_KINDS[self.kind]

    @property
    def share(self) -> float:
        return self.mic.share(self.pattern)

    @property
    def capsule_m(self) -> Real:
        """Place of the capsule before the middle of the front, shape (3,)."""
        at = self.front.point(self.point)
        return np.asarray(self.place.position_m + np.array([at.x_m, at.y_m, 0.0]))

    @property
    def travel_s(self) -> float:
        """From the nearest radiator's middle to the capsule."""
        from_m = [np.array([each.x_m, each.y_m, 0.0]) for each in self.front.radiators]
        nearest_m = min(float(np.linalg.norm(self.capsule_m - each)) for each in from_m)
        return nearest_m / speed_of_sound_m_s(self.temperature_c)
