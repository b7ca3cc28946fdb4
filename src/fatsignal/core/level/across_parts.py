"""The sounds of all parts of a song together: how their sum tilts, and which bumps several of them share."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.level.third_octaves import CENTRES_HZ, Band, tilt_db_per_octave

# A bump stands so far above what lies within an octave around it; below these frequencies it is the notes that are
# played, above them nothing a guitar has (common practice, no source).
BUMP_DB = 3.0
_LOWEST_HZ, _HIGHEST_HZ = 300.0, 10_000.0
_AROUND = 3


@dataclass(frozen=True, slots=True)
class SharedBump:
    """A third of an octave that stands out in several parts; `by_db` is the mean of how far."""

    centre_hz: float
    parts: list[str]
    by_db: float


@dataclass(frozen=True, slots=True)
class AcrossParts:
    """`together_db` is the sum of all at equal level, by thirds of an octave."""

    together_db: list[float]
    tilt_db_per_octave: float
    bumps: list[SharedBump]
    says: list[str]


def across_parts(thirds_db: Mapping[str, Sequence[float]]) -> AcrossParts:
    """Add up the spectra of parts, each by its name, levels by thirds of an octave from 20 Hz on; all of one length."""
    levels: Real = np.array([list(each) for each in thirds_db.values()])
    power = 10 ** (levels / 10)
    together = 10 * np.log10(np.maximum((power / power.sum(axis=1, keepdims=True)).mean(axis=0), 1e-20))
    centres = CENTRES_HZ[: levels.shape[1]]
    tilt = tilt_db_per_octave([Band(float(hz), float(db)) for hz, db in zip(centres, together, strict=True)])
    bumps = _shared(dict(zip(thirds_db, levels, strict=True)), centres)
    return AcrossParts([float(db) for db in together], tilt, bumps, [_says(bump) for bump in bumps])


def bumps_of(levels_db: Real, centres_hz: Real) -> dict[int, float]:
    """Places of the bands that stand out, and by how many dB."""
    found = {}
    for place, hz in enumerate(centres_hz):
        near = [at for at in range(place - _AROUND, place + _AROUND + 1) if at != place and 0 <= at < len(levels_db)]
        by_db = float(levels_db[place] - np.mean(levels_db[near]))
        highest = all(levels_db[place] >= levels_db[at] for at in near if abs(at - place) == 1)
        if _LOWEST_HZ <= hz <= _HIGHEST_HZ and by_db >= BUMP_DB and highest:
            found[place] = by_db
    return found


def _shared(levels_db: dict[str, Real], centres_hz: Real) -> list[SharedBump]:
    own = {name: bumps_of(levels, centres_hz) for name, levels in levels_db.items()}
    shared: list[SharedBump] = []
    taken: set[int] = set()
    counted = {
        place: [name for name in own if any(abs(at - place) <= 1 for at in own[name])]
        for place in range(len(centres_hz))
    }
    # Where most meet first; what lies beside it is the same bump.
    for place in sorted(counted, key=lambda at: (-len(counted[at]), at)):
        names = counted[place]
        if len(names) < 2 or any(abs(at - place) <= 2 for at in taken):
            continue
        taken.add(place)
        by_db = [max(db for at, db in own[name].items() if abs(at - place) <= 1) for name in names]
        shared.append(SharedBump(float(centres_hz[place]), names, float(np.mean(by_db))))
    return shared


def _says(bump: SharedBump) -> str:
    at = f"{bump.centre_hz / 1000:.1f} kHz" if bump.centre_hz >= 1_000 else f"{bump.centre_hz:.0f} Hz"
    many = {2: "two", 3: "three", 4: "four", 5: "five", 6: "six"}.get(len(bump.parts), str(len(bump.parts)))
    return f"{many} parts share a bump at {at}, {bump.by_db:.0f} dB: place one of them differently"
