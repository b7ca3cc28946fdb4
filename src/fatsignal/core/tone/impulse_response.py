"""An impulse response of one's own, made ready to be convolved with: trimmed, brought to a rate, levelled.

A response is what a click of 1 becomes in something linear: a cabinet, a room, a body. Recorded ones differ in rate and
level, begin after some silence, and end in noise.
"""

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

import numpy as np

from fatsignal.core.clip import Samples

LONGEST_S = 2.0
# The sound begins where it is first so far below its peak, and ends where it is so far below it for good.
_BEGINS_DB, _ENDS_DB = -40.0, -80.0
# Of what comes before its beginning so much is left: what a band-limited click rings before itself.
_LEAD_S = 6 / 48_000
# The share of a response that is faded out where it is cut, as half a cosine.
_FADED_SHARE = 0.1
# Level is the mean power over these octaves, which hold nearly all that a guitar's or a bass's cabinet gives.
_LEVEL_HZ = (90.0, 5_600.0)
_LEVEL_POINTS = 400
# Attenuation beyond the band of a change of rate: 120 dB (Kaiser 1974: beta = 0.1102 (A − 8.7)).
_KAISER_BETA = 12.3
# What that filter reaches back, in frames of the slower rate, and some more for a frame to lie on.
_ROOM_FRAMES = 32

Side = Literal["both sides", "mixed to one", "left only", "right only"]


@dataclass(frozen=True, slots=True)
class Response:
    """A response at its own rate, shape (frames, channels), one channel or two."""

    rate_hz: int
    samples: Samples


@dataclass(frozen=True, slots=True)
class Prepared:
    """A response for each channel that comes out, shape (frames,) each, and by how many frames it is late.

    `own_level_db` is what it had before it was levelled.
    """

    channels: tuple[Samples, ...]
    lead_frames: int
    own_level_db: float


def prepared(
    response: Response, *, rate_hz: int, side: Side, trimmed: bool, minimum_phase: bool, longest_s: float,
) -> Prepared:  # fmt: skip
    """Make a response ready for a rate: its mean level from 90 Hz to 5.6 kHz, over its channels, is 0 dB then.

    Parameters
    ----------
    trimmed : whether silence before its beginning is taken off; without, it is late as the file is.
    minimum_phase : each channel as early as its magnitudes allow, which differ by less than 0.1 dB.
    longest_s : it is cut there, with a fade.
    """
    samples = _of_sides(response.samples, side)
    begins, ends = bounds(samples)
    lead = min(begins, round(_LEAD_S * response.rate_hz)) if trimmed else 0
    cut = samples[begins - lead if trimmed else 0 : ends]
    ratio = Fraction(rate_hz, response.rate_hz)
    room = _room_before(lead, ratio)
    at_rate = [_at_rate(cut[:, channel], ratio, room) for channel in range(cut.shape[1])]
    lead_frames = round((lead + room) * ratio)
    if minimum_phase:
        at_rate, lead_frames = [as_minimum_phase(each) for each in at_rate], 0
    kept = [_shortened(each, round(longest_s * rate_hz)) for each in at_rate]
    level = math.sqrt(np.mean([_mean_power(each, rate_hz) for each in kept]))
    if level <= 0:
        level = 1.0
    return Prepared(tuple(each / level for each in kept), lead_frames, 20 * math.log10(level))


def bounds(samples: Samples) -> tuple[int, int]:
    """The first frame of a response's sound, and the one after its last; all of it where it is silent."""
    loud = np.abs(samples).max(axis=1)
    peak = float(loud.max(initial=0.0))
    if peak == 0:
        return 0, len(samples)
    begins = int(np.argmax(loud >= peak * 10 ** (_BEGINS_DB / 20)))
    ends = len(loud) - int(np.argmax(loud[::-1] >= peak * 10 ** (_ENDS_DB / 20)))
    return begins, ends


def as_minimum_phase(response: Samples) -> Samples:
    """What has the same magnitudes and comes as early as it can, as long as `response`, shape (frames,).

    By the cepstrum: its part before time zero is folded over to the part after it (Oppenheim and Schafer,
    "Discrete-Time Signal Processing", chapter 13).
    """
    # Deep notches ring long in the cepstrum: much room keeps them from coming round.
    size = 1 << math.ceil(math.log2(8 * max(2, len(response))))
    magnitudes = np.abs(np.fft.rfft(response, size))
    floor = magnitudes.max(initial=0.0) * 1e-6
    if floor == 0:
        return response
    cepstrum = np.fft.irfft(np.log(np.maximum(magnitudes, floor)), size)
    cepstrum[1 : size // 2] *= 2
    cepstrum[size // 2 + 1 :] = 0
    return np.asarray(np.fft.irfft(np.exp(np.fft.rfft(cepstrum)), size)[: len(response)])


def _of_sides(samples: Samples, side: Side) -> Samples:
    if samples.shape[1] == 1 or side == "both sides":
        return samples
    if side == "mixed to one":
        return np.asarray(samples.mean(axis=1, keepdims=True))
    return samples[:, :1] if side == "left only" else samples[:, 1:2]


def _room_before(lead: int, ratio: Fraction) -> int:
    """How many frames of silence go before a response whose rate is changed, so that nothing of what a band-limited
    click rings before itself is cut off: so many that its beginning lies on a frame again, or nearly.
    """
    if ratio == 1:
        return 0
    most = min(ratio.denominator, _ROOM_FRAMES)
    off = {
        room: abs((lead + room) * ratio - round((lead + room) * ratio))
        for room in range(_ROOM_FRAMES, _ROOM_FRAMES + most)
    }
    return min(off, key=off.__getitem__)


def _at_rate(response: Samples, ratio: Fraction, room: int) -> Samples:
    """A response of shape (frames,) at another rate, `room` frames of its own later; as loud as it was."""
    if ratio == 1:
        return np.array(response, dtype=np.float64)
    from scipy.signal import resample_poly

    padded = np.concatenate((np.zeros(room), response, np.zeros(room)))
    changed = resample_poly(padded, ratio.numerator, ratio.denominator, window=("kaiser", _KAISER_BETA))
    # A sum over more frames must not be louder.
    return np.asarray(changed / float(ratio), dtype=np.float64)


def _shortened(response: Samples, frames: int) -> Samples:
    if len(response) <= frames:
        return response
    short = response[: max(1, frames)].copy()
    faded = max(1, round(_FADED_SHARE * len(short)))
    short[-faded:] *= 0.5 + 0.5 * np.cos(np.pi * (np.arange(faded) + 1) / faded)
    return short


def _mean_power(response: Samples, rate_hz: int) -> float:
    """Mean of the squared magnitude over the octaves of `_LEVEL_HZ`, evenly over the logarithm of frequency."""
    size = 1 << max(14, math.ceil(math.log2(max(2, len(response)))))
    power = np.abs(np.fft.rfft(response, size)) ** 2
    at_hz = np.geomspace(*_LEVEL_HZ, _LEVEL_POINTS)
    return float(np.mean(np.interp(at_hz, np.fft.rfftfreq(size, 1 / rate_hz), power)))
