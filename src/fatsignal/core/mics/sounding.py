"""What stands before the microphones: loudspeakers in their cabinets, and an acoustic guitar, each as radiators.

A radiator is a disc of some size at some place of the front, which moves as its drive tells. A cabinet has one for each
cone, all driven alike; a guitar one for each region of its top, its hole and its strings, each driven in its own way.
Curves are of common practice, no source, where none is named.

References
----------
.. [1] N. H. Fletcher, T. D. Rossing, The Physics of Musical Instruments, 2nd ed., ch. 9: a guitar's air and top
   resonances near 100 and 200 Hz, between which hole and top move against each other; the top's dipole near 400 Hz.
"""

from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.mics.microphone import resonance

# The bridge's saddle to the nut of a usual steel-string guitar; its 12th fret halves it (geometry of the octave).
_SCALE_M = 0.645
_HOLE_TO_BRIDGE_M = 0.155


@dataclass(frozen=True, slots=True)
class Cone:
    """A loudspeaker.

    `decoupling_hz` is where the outer cone stops following: above it the radiating radius shrinks.
    """

    radius_m: float
    depth_m: float
    resonance_hz: float
    resonance_q: float
    decoupling_hz: float
    break_up: tuple[tuple[float, float, float], ...]  # (Hz, dB, Q)
    high_cut_hz: float
    open_back: bool
    coil_corner_hz: float

    def coil_lift(self, frequency_hz: Real) -> Complex:
        """What a valve stage, which feeds current more than voltage, adds into the coil's rising impedance."""
        s = 1j * np.maximum(frequency_hz, 1e-3)
        return np.asarray((1 + s / self.coil_corner_hz) / (1 + s / (3.0 * self.coil_corner_hz)))

    def drive(self, frequency_hz: Real) -> Complex:
        """Acceleration of the cone over the amp's drive: resonance, break-up, coil, cabinet."""
        s = 1j * np.maximum(frequency_hz, 1e-3)
        f0 = self.resonance_hz
        response = s**2 / (s**2 + s * f0 / self.resonance_q + f0**2)
        for centre_hz, gain_db, q in self.break_up:
            response = response * resonance(frequency_hz, centre_hz, gain_db, q)
        cut = self.high_cut_hz
        # Fourth order, as two sections of a Butterworth.
        response = response * cut**4 / ((s**2 + 0.7654 * s * cut + cut**2) * (s**2 + 1.8478 * s * cut + cut**2))
        response = response * self.coil_lift(frequency_hz)
        if self.open_back:
            # The back wave comes round the cabinet and takes the lows away below about 110 Hz.
            response = response * s / (s + 110.0)
        return np.asarray(response)


@dataclass(frozen=True, slots=True)
class Region:
    """A part of a guitar that radiates: a mode (Hz, Q) of some gain; where it has none, all between two cuts."""

    radius_m: float
    gain: float
    mode_hz: float | None = None
    mode_q: float = 1.0
    low_cut_hz: float = 30.0
    high_cut_hz: float = 16_000.0
    depth_m: float = 0.0
    decoupling_hz: float = 3_000.0

    def drive(self, frequency_hz: Real) -> Complex:
        """Acceleration of the region over the strings' force."""
        s = 1j * np.maximum(frequency_hz, 1e-3)
        if self.mode_hz is not None:
            # Acceleration of a mode: a band pass of second order; above its mode it goes on falling.
            wide = s * self.mode_hz / self.mode_q
            return np.asarray(self.gain * wide / (s**2 + wide + self.mode_hz**2))
        low = s**2 / (s**2 + 1.4 * s * self.low_cut_hz + self.low_cut_hz**2)
        return np.asarray(self.gain * low * self.high_cut_hz / (s + self.high_cut_hz))


@dataclass(frozen=True, slots=True)
class Radiator:
    """A disc at a place of the front, metres to the right and up of the middle."""

    x_m: float
    y_m: float
    disc: "Disc"


@dataclass(frozen=True, slots=True)
class Together:
    """Several radiators as one disc, for whoever is far from all of them."""

    radiators: tuple[Radiator, ...]
    radius_m: float = 0.1
    depth_m: float = 0.0
    decoupling_hz: float = 900.0

    def drive(self, frequency_hz: Real) -> Complex:
        """The sum of what they give off."""
        return np.asarray(np.sum([each.disc.drive(frequency_hz) for each in self.radiators], axis=0))


Disc = Cone | Region | Together


@dataclass(frozen=True, slots=True)
class Point:
    """What a place is measured from: the middle of a cone, a landmark of a guitar."""

    name: str
    x_m: float = 0.0
    y_m: float = 0.0


@dataclass(frozen=True, slots=True)
class Sounding:
    """A cabinet or an instrument: what radiates, what places are measured from, its outside for the plan."""

    title: str
    radiators: tuple[Radiator, ...]
    points: tuple[Point, ...]
    width_m: float
    height_m: float
    depth_m: float
    # From its middle to the floor, where it stands or is held as usual.
    above_floor_m: float

    @property
    def is_guitar(self) -> bool:
        return any(isinstance(radiator.disc, Region) for radiator in self.radiators)

    @property
    def to_the_room(self) -> tuple[Radiator, ...]:
        """What the walls hear: every cone; of a guitar, which is far from them, all regions as one disc."""
        return (Radiator(0.0, 0.0, Together(self.radiators)),) if self.is_guitar else self.radiators

    def point(self, name: str) -> Point:
        """The point of a name; the first where there is no such one."""
        return next((point for point in self.points if point.name == name), self.points[0])


_TWELVE_OPEN = Cone(
    0.13, 0.045, 82.0, 1.1, 1_100.0,
    ((420.0, -2.5, 1.2), (1_450.0, 2.0, 1.6), (2_600.0, 5.0, 1.7), (3_900.0, -3.0, 4.0), (4_500.0, 3.0, 3.0)),
    5_300.0, True, 1_900.0,
)  # fmt: skip
_TWELVE_CLOSED = Cone(
    0.13, 0.045, 108.0, 1.5, 1_000.0,
    ((180.0, 1.5, 1.2), (480.0, -4.0, 1.0), (1_700.0, 1.0, 2.0), (2_900.0, 4.5, 1.5), (3_600.0, 2.5, 4.0)),
    4_900.0, False, 1_700.0,
)  # fmt: skip
_EIGHT_OPEN = Cone(
    0.08, 0.03, 125.0, 1.3, 1_700.0,
    ((650.0, -2.0, 1.2), (2_300.0, 3.0, 1.5), (3_800.0, 5.0, 2.0), (5_600.0, -2.5, 4.0)), 6_600.0, True, 2_800.0,
)  # fmt: skip
_TEN_OPEN = Cone(
    0.105, 0.038, 98.0, 1.2, 1_300.0,
    ((520.0, -2.0, 1.2), (1_800.0, 2.5, 1.6), (3_100.0, 5.0, 1.8), (4_700.0, -2.0, 4.0)), 5_800.0, True, 2_200.0,
)  # fmt: skip
_TEN_BASS = Cone(
    0.105, 0.04, 62.0, 0.9, 1_200.0, ((300.0, -1.5, 1.0), (1_900.0, 3.0, 1.5), (2_900.0, 2.5, 2.5)), 4_600.0, False,
    1_600.0,
)  # fmt: skip
_FIFTEEN_BASS = Cone(
    0.165, 0.06, 48.0, 0.9, 800.0, ((250.0, -1.5, 1.0), (1_500.0, 2.5, 1.5), (2_400.0, 2.0, 2.5)), 3_600.0, False,
    1_200.0,
)  # fmt: skip


def _one(title: str, cone: Cone, size_m: tuple[float, float, float]) -> Sounding:
    width, height, depth = size_m
    return Sounding(title, (Radiator(0.0, 0.0, cone),), (Point("cone"),), width, height, depth, height / 2)


def _cones(
    title: str, cone: Cone, places: dict[str, tuple[float, float]], size_m: tuple[float, float, float]
) -> Sounding:
    width, height, depth = size_m
    points = tuple(Point(name, *place) for name, place in places.items())
    radiators = tuple(Radiator(*place, cone) for place in places.values())
    return Sounding(title, radiators, points, width, height, depth, height / 2)


def _four(apart_m: float) -> dict[str, tuple[float, float]]:
    half = apart_m / 2
    return {
        "upper left cone": (-half, half), "upper right cone": (half, half),
        "lower left cone": (-half, -half), "lower right cone": (half, -half),
    }  # fmt: skip


def _eight(apart_m: float) -> dict[str, tuple[float, float]]:
    half = apart_m / 2
    rows = {"top": 3 * half, "upper": half, "lower": -half, "bottom": -3 * half}
    sides = {"left": -half, "right": half}
    return {f"{row} {side} cone": (x, y) for row, y in rows.items() for side, x in sides.items()}


_BRIDGE_X_M = -_HOLE_TO_BRIDGE_M
_TWELFTH_X_M = _BRIDGE_X_M + _SCALE_M / 2
_HEAD_X_M = _BRIDGE_X_M + _SCALE_M + 0.09

_GUITAR = Sounding(
    "acoustic guitar",
    (
        # Air through the hole, and the top: between their resonances they move against each other.
        Radiator(0.0, 0.0, Region(0.05, 1.9, mode_hz=100.0, mode_q=6.0)),
        Radiator(_BRIDGE_X_M + 0.02, 0.0, Region(0.15, 1.6, mode_hz=198.0, mode_q=7.0)),
        # The top's dipole: its halves above and below the bridge.
        Radiator(_BRIDGE_X_M + 0.02, 0.09, Region(0.08, 0.55, mode_hz=390.0, mode_q=9.0)),
        Radiator(_BRIDGE_X_M + 0.02, -0.09, Region(0.08, -0.55, mode_hz=390.0, mode_q=9.0)),
        # The plate's many higher modes, around the bridge.
        Radiator(_BRIDGE_X_M, 0.0, Region(0.1, 0.75, low_cut_hz=320.0, high_cut_hz=3_200.0, decoupling_hz=900.0)),
        # What the strings give off themselves, and the neck with them: thin and bright.
        Radiator(_TWELFTH_X_M, 0.0, Region(0.03, 0.6, low_cut_hz=1_500.0, high_cut_hz=13_000.0)),
        Radiator(_HEAD_X_M - 0.12, 0.0, Region(0.02, 0.22, low_cut_hz=900.0, high_cut_hz=9_000.0)),
    ),
    (
        Point("12th fret", _TWELFTH_X_M), Point("sound hole"), Point("bridge", _BRIDGE_X_M),
        Point("headstock", _HEAD_X_M),
    ),
    1.02, 0.4, 0.11, 0.75,
)  # fmt: skip

SOUNDING: dict[str, Sounding] = {
    "1x8 open": _one("1×8, open", _EIGHT_OPEN, (0.34, 0.34, 0.2)),
    "1x10 open": _one("1×10, open", _TEN_OPEN, (0.45, 0.42, 0.24)),
    "1x12 open": _one("1×12, open", _TWELVE_OPEN, (0.5, 0.46, 0.26)),
    "1x12 closed": _one("1×12, closed", _TWELVE_CLOSED, (0.5, 0.46, 0.3)),
    "2x12 open": _cones(
        "2×12, open", _TWELVE_OPEN, {"left cone": (-0.16, 0.0), "right cone": (0.16, 0.0)}, (0.68, 0.5, 0.27)
    ),
    "4x10 bass": _cones("4×10, bass", _TEN_BASS, _four(0.27), (0.6, 0.62, 0.42)),
    "4x12 closed": _cones("4×12, closed", _TWELVE_CLOSED, _four(0.34), (0.75, 0.75, 0.36)),
    "8x10 bass": _cones("8×10, bass", _TEN_BASS, _eight(0.27), (0.66, 1.22, 0.41)),
    "1x15 bass": _one("1×15, bass", _FIFTEEN_BASS, (0.6, 0.62, 0.42)),
    "acoustic body": _GUITAR,
}


def cone_of(cabinet: str) -> Cone:
    """The loudspeaker of a cabinet; all of its cones are alike."""
    disc = SOUNDING[cabinet].radiators[0].disc
    assert isinstance(disc, Cone), "a guitar has none"
    return disc
