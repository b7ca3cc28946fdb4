"""Bringing a tone's balance to another's: bands of an equaliser that fill the difference, as far as they should.

The difference is taken in thirds of an octave, their loudness aside, smoothed over neighbours, and limited: what needs
more than some decibels is another amp or another place of the microphone, and is told instead.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares

from fatsignal.core.amp.filters import response_db
from fatsignal.core.amp.matched_sections import prototype_db
from fatsignal.core.arrays import Real
from fatsignal.core.level.loudness import k_weighting
from fatsignal.core.tone.blocks.equaliser import Band
from fatsignal.core.tone.document import Tone, parse_tone
from fatsignal.core.tone.tone_distance import BANDS_HZ

MOST_DB = 9.0
# Of a trim.
LEAST_DB, MOST_TRIM_DB = -60.0, 40.0
# Under this a listener hears no difference in balance (common practice, no source).
_NEAR_DB = 1.5
_K_RATE_HZ = 48_000
_SHAPES = (
    ("low_shelf", 110.0), ("peak", 190.0), ("peak", 380.0), ("peak", 800.0), ("peak", 1_700.0), ("peak", 3_200.0),
    ("high_shelf", 5_500.0),
)  # fmt: skip
# How far a band may move from where it begins, as a ratio; its Q; what a decibel of gain costs beside a decibel off.
_MOVES, _LEAST_Q, _MOST_Q, _COST = 1.45, 0.5, 2.5, 0.06


@dataclass(frozen=True, slots=True)
class Matched:
    """`bands` bring the tone to what was wanted but for `left_db`, over `BANDS_HZ`; above 0 it has too little."""

    bands: tuple[Band, ...]
    left_db: Real

    @property
    def says(self) -> str:
        """How near it comes, and where it could not."""
        off = float(np.mean(np.abs(self.left_db)))
        worst = int(np.argmax(np.abs(self.left_db)))
        told = f"within {off:.1f} dB on average from 80 Hz to 8 kHz"
        if abs(self.left_db[worst]) < _NEAR_DB:
            return told
        much = "too little" if self.left_db[worst] > 0 else "too much"
        return f"{told}; around {_hz(BANDS_HZ[worst])} it has {abs(self.left_db[worst]):.1f} dB {much} still"


def matched(tone: Tone, bands: Sequence[Band], *, gain_db: float) -> Tone:
    """The tone with these bands, and so much louder: before what stands at its end to set the level.

    Raises
    ------
    ToneRefused
        If the tone has no room for another block.
    """
    document = tone.model_dump(mode="json")
    blocks = document["blocks"]
    at = len(blocks)
    while at and blocks[at - 1]["kind"] in ("trim", "limiter"):
        at -= 1
    if bands:
        blocks.insert(at, {"kind": "equaliser", "bands": [band.model_dump(mode="json") for band in bands]})
    trim = next((block for block in blocks[at:] if block["kind"] == "trim" and not block["bypassed"]), None)
    if trim is not None:
        trim["gain_db"] = round(min(max(trim["gain_db"] + gain_db, LEAST_DB), MOST_TRIM_DB), 1)
    elif abs(gain_db) >= 0.1:
        blocks.append({"kind": "trim", "gain_db": round(min(max(gain_db, LEAST_DB), MOST_TRIM_DB), 1)})
    return parse_tone(document)


def matching_bands(beside_db: Real) -> Matched:
    """The bands for a tone whose thirds of an octave lie `beside_db` of those wanted: shape of `BANDS_HZ`, dB."""
    wanted_db = -np.asarray(beside_db, dtype=np.float64)
    padded = np.pad(wanted_db, 1, mode="edge")
    smooth = 0.25 * padded[:-2] + 0.5 * padded[1:-1] + 0.25 * padded[2:]
    # The middle is 0, as that of the differences is.
    aimed = np.clip(smooth - np.median(smooth), -MOST_DB, MOST_DB)
    places = np.array([hz for _, hz in _SHAPES])
    count = len(_SHAPES)
    begin = np.concatenate((np.zeros(count), np.zeros(count), np.zeros(count)))
    highest = np.concatenate((np.full(count, MOST_DB), np.full(count, np.log(_MOVES)), np.ones(count)))

    def bands_of(values: Real) -> list[tuple[str, float, float, float]]:
        gains, moves, widths = values[:count], values[count : 2 * count], values[2 * count :]
        middle, span = np.log(_LEAST_Q * _MOST_Q) / 2, np.log(_MOST_Q / _LEAST_Q) / 2
        return [
            (
                shape, float(place * np.exp(move)), float(gain),
                float(np.exp(middle + span * width)) if shape == "peak" else 0.7071,
            )
            for (shape, _), place, gain, move, width in zip(_SHAPES, places, gains, moves, widths, strict=True)
        ]  # fmt: skip

    def off(values: Real) -> Real:
        found = _response(bands_of(values))
        return np.concatenate((found - np.median(found) - aimed, _COST * values[:count], 0.05 * values[count:]))

    solved = least_squares(off, begin, bounds=(-highest, highest), max_nfev=60).x
    bands = tuple(
        Band(shape=shape, frequency_hz=round(hz), gain_db=round(gain, 1), q=round(q, 2))
        for shape, hz, gain, q in bands_of(solved)
        if abs(gain) >= 0.25
    )
    reached = _response([(band.shape, band.frequency_hz, band.gain_db, band.q) for band in bands])
    left = wanted_db - reached
    return Matched(bands, left - np.median(left))


def louder_db(levels_db: Real, bands: Sequence[Band]) -> float:
    """By how much bands make a sound louder whose thirds of an octave have these levels, K-weighted (ITU-R BS.1770)."""
    frequency_hz = np.array(BANDS_HZ)
    weighted = np.asarray(levels_db, dtype=np.float64)
    for section in k_weighting(_K_RATE_HZ):
        weighted = weighted + response_db(section[:3], section[3:], frequency_hz, _K_RATE_HZ)
    turned = weighted + _response([(band.shape, band.frequency_hz, band.gain_db, band.q) for band in bands])
    return float(10 * np.log10(np.sum(10 ** (turned / 10)) / np.sum(10 ** (weighted / 10))))


def _response(bands: Sequence[tuple[str, float, float, float]]) -> Real:
    frequency_hz = np.array(BANDS_HZ)
    total = np.zeros(len(frequency_hz))
    for shape, hz, gain_db, q in bands:
        total += prototype_db(shape, frequency_hz=hz, gain_db=gain_db, q=q, at_hz=frequency_hz)
    return total


def _hz(hz: float) -> str:
    return f"{hz / 1000:.1f} kHz" if hz >= 1000 else f"{hz:.0f} Hz"
