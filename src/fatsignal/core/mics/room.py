"""The room around loudspeaker and microphone: early reflections from image sources, and a diffuse tail.

References
----------
.. [1] J. B. Allen, D. A. Berkley, "Image method for efficiently simulating small-room acoustics", J. Acoust. Soc. Am.
   65(4), 1979.
.. [2] C. F. Eyring, "Reverberation time in dead rooms", J. Acoust. Soc. Am. 1(2), 1930: T60 = 0.161·V / (−S·ln(1−α)).
.. [3] H. Kuttruff, Room Acoustics, 5th ed., ch. 5: the diffuse field of a source against its direct sound,
   16π·r²/A of its level at r, and its decay.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.arrays import Complex, Real

# Octaves in which walls differ; between them their share of a wave is a line over the logarithm of frequency.
BAND_HZ: Real = np.array([63.0, 125.0, 250.0, 500.0, 1_000.0, 2_000.0, 4_000.0, 8_000.0])
# Walls in the order left, right, floor, ceiling, behind the loudspeaker, behind the microphone.
WALLS = 6
_ORDER = 4
# A reflection from behind a microphone passes its absorber twice; common practice, no source.
_ABSORBER_FACTOR = np.array([1.0, 0.9, 0.7, 0.45, 0.3, 0.2, 0.15, 0.15])


@dataclass(frozen=True, slots=True)
class Room:
    """A room with flat walls: width, height and depth, and what each wall takes of a wave's energy in `BAND_HZ`."""

    title: str
    size_m: tuple[float, float, float]
    absorption: tuple[tuple[float, ...], ...]

    @property
    def volume_m3(self) -> float:
        return math.prod(self.size_m)

    @property
    def walls_m2(self) -> Real:
        """Area of each wall, shape (walls,)."""
        width, height, depth = self.size_m
        return np.array([height * depth, height * depth, width * depth, width * depth, width * height, width * height])

    def reflected(self) -> Real:
        """Share of a wave's pressure that each wall gives back, shape (walls, bands)."""
        return np.asarray(np.sqrt(1.0 - np.array(self.absorption)))

    def mean_absorption(self) -> Real:
        """Share of the energy that is lost at a wall on average, shape (bands,)."""
        area = self.walls_m2
        return np.asarray(area @ np.array(self.absorption) / area.sum())

    def reverberation_s(self) -> Real:
        """Time in which the diffuse field falls by 60 dB, by Eyring [2], shape (bands,)."""
        return np.asarray(0.161 * self.volume_m3 / (-self.walls_m2.sum() * np.log(1.0 - self.mean_absorption())))


def _walls(
    side: tuple[float, ...], floor: tuple[float, ...], ceiling: tuple[float, ...]
) -> tuple[tuple[float, ...], ...]:
    return (side, side, floor, ceiling, side, side)


# Absorption of materials as handbooks list it, rounded; from memory.
_CARPET = (0.03, 0.05, 0.1, 0.25, 0.4, 0.5, 0.55, 0.6)
_BOARDS = (0.15, 0.14, 0.1, 0.07, 0.06, 0.06, 0.06, 0.06)
_PLASTER = (0.12, 0.1, 0.07, 0.05, 0.05, 0.05, 0.06, 0.07)
_FURNISHED = (0.2, 0.2, 0.22, 0.25, 0.28, 0.3, 0.3, 0.32)
_TREATED = (0.3, 0.45, 0.65, 0.75, 0.8, 0.8, 0.78, 0.75)

# None: nothing comes back, as out of doors.
ROOMS: dict[str, Room | None] = {
    "dry": None,
    "treated": Room("treated room", (4.2, 2.5, 3.6), _walls(_TREATED, _CARPET, _TREATED)),
    "living room": Room("living room", (4.8, 2.5, 5.6), _walls(_FURNISHED, _CARPET, _PLASTER)),
    "lively": Room("lively room", (6.5, 3.2, 8.0), _walls(_PLASTER, _BOARDS, _PLASTER)),
}


@dataclass(frozen=True, slots=True)
class Images:
    """Mirror images of a source: where each lies, how it is turned, and how often its sound met each wall.

    `place_m` has shape (images, 3), `mirrored` (images, 3) with −1 along an axis that is turned over, `met`
    (images, walls).
    """

    place_m: Real
    mirrored: Real
    met: NDArray[np.int64]


def images(room: Room, source_m: Real, *, order: int = _ORDER) -> Images:
    """Image sources of a shoebox up to so many reflections [1], the source itself left out.

    Coordinates run from the corner at the left, on the floor, behind the loudspeaker. What sounds stays where it is
    while a microphone is moved: its images are kept.
    """
    return _images(room, (float(source_m[0]), float(source_m[1]), float(source_m[2])), order)


@lru_cache(maxsize=64)
def _images(room: Room, source_m: tuple[float, float, float], order: int) -> Images:
    places, mirrors, meets = [], [], []
    span = range(-order, order + 1)
    for cell in ((i, j, k) for i in span for j in span for k in span):
        reflections = sum(abs(each) for each in cell)
        if not 0 < reflections <= order:
            continue
        place, mirror, met = np.empty(3), np.empty(3), np.zeros(WALLS, dtype=np.int64)
        for axis, (number, size_m) in enumerate(zip(cell, room.size_m, strict=True)):
            odd = number % 2
            place[axis] = number * size_m + (size_m - source_m[axis] if odd else source_m[axis])
            mirror[axis] = -1.0 if odd else 1.0
            # A cell at n lies behind |n| walls, of which the two of an axis take turns.
            near, far = 2 * axis, 2 * axis + 1
            met[far if number > 0 else near] += (abs(number) + 1) // 2
            met[near if number > 0 else far] += abs(number) // 2
        places.append(place)
        mirrors.append(mirror)
        meets.append(met)
    found = Images(np.array(places), np.array(mirrors), np.array(meets))
    for each in (found.place_m, found.mirrored, found.met):
        each.flags.writeable = False
    return found


def absorbed_behind(cos_angle: Real) -> Real:
    """What an absorber behind a microphone leaves of what comes from there, shape (..., bands)."""
    behind = np.clip(-cos_angle * 2.0, 0.0, 1.0)[..., None]
    return np.asarray(1.0 - behind * (1.0 - _ABSORBER_FACTOR))


def over_bands(values: Real, frequency_hz: Real) -> Real:
    """Values of `BAND_HZ`, shape (..., bands), at other frequencies: lines over the logarithm of frequency."""
    octaves = np.log2(np.maximum(frequency_hz, 1.0))
    flat = np.asarray(values).reshape(-1, len(BAND_HZ))
    lines = np.array([np.interp(octaves, np.log2(BAND_HZ), each) for each in flat])
    return lines.reshape(*np.asarray(values).shape[:-1], len(frequency_hz))


def spread_over(bands: Real, frequency_hz: Real) -> Complex:
    """The spectrum of impulses whose level differs from octave to octave.

    Parameters
    ----------
    bands : array, shape (bands, frames)
        Impulses, as each octave of `BAND_HZ` has them.
    frequency_hz : array, shape (frames // 2 + 1,)
        Those of the transform of `frames`.
    """
    shares = _shares(len(frequency_hz), float(frequency_hz[-1]))
    return np.asarray(np.einsum("bf,bf->f", shares, np.fft.rfft(bands, axis=-1)))


@lru_cache(maxsize=8)
def _shares(count: int, highest_hz: float) -> Real:
    """What each octave has of evenly spaced frequencies from 0 on, shape (bands, frequencies)."""
    return over_bands(np.eye(len(BAND_HZ)), np.linspace(0.0, highest_hz, count))


def diffuse_tail(
    room: Room, *, frames: int, rate_hz: int, from_s: float, seed: int, pressure_share: float, looks: Real
) -> Real:
    """Noise that decays as the room's octaves do, after the early reflections, against a source of 1 at one metre.

    The diffuse field at a place is a pressure and three components of a gradient that know nothing of each other, each
    with a third of its power; what a first-order capsule hears of it follows from how it is set and where it looks. So
    capsules at one place hear what they share of it alike.

    Parameters
    ----------
    from_s : float
        When it begins; it rises within some milliseconds.
    seed : int
        The same for the same place.

    Returns
    -------
    array, shape (bands, frames)
        As for `spread_over`.
    """
    time_s = np.arange(frames) / rate_hz
    field = np.random.default_rng(seed).standard_normal((4, frames)) / np.sqrt([[1.0], [3.0], [3.0], [3.0]])
    heard = pressure_share * field[0] + (1.0 - pressure_share) * (looks @ field[1:])
    rise = np.clip((time_s - from_s) / 0.005 + 0.5, 0.0, 1.0)
    lost = room.mean_absorption()
    # Level of the diffuse field against that of the source at one metre: 16π/A, with what is left after a first
    # reflection; spread over an exponential whose sum is that [3].
    level = 16 * math.pi * (1.0 - lost) / (room.walls_m2.sum() * lost)
    rate_s = 2 * math.log(1000.0) / room.reverberation_s()
    decay = np.exp(-rate_s[:, None] * time_s / 2)
    return np.asarray(np.sqrt(level * rate_s / rate_hz)[:, None] * decay * rise * heard)
