"""What rings made longer or shorter, and tuned: by leaving out or repeating periods, never by taking spectra apart.

A string that rings is nearly periodic. It is read on from another place that looks like this one, over all channels at
once, and the two are faded over each other: pitch, timbre and the delays between channels are those of the recording.
Over the fractions of a second between two strokes this measures better than a phase vocoder, whose window is as long
as the note (`bench/easing.py`).

References
----------
.. [1] W. Verhelst, M. Roelands, "An overlap-add technique based on waveform similarity (WSOLA) for high quality
   time-scale modification of speech", ICASSP 1993.
"""

import math

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.material.reader import LEAST_ALIKE, crossfaded

# A splice fades over so long, and looks for its like so far around: half a period of a low B string (30.9 Hz) and more.
_FADE_S, _AROUND_S = 0.03, 0.018
# A splice leaves out or repeats about so much.
_AT_ONCE_S = 0.03
# Into what follows it goes over in that time: an attack comes, which hides it.
_ENDS_S = 0.008
_QUIET = 1e-9
# Between samples is read by so many of them on either side, under a Kaiser window (−90 dB beside its band).
_TAPS, _KAISER = 32, 9.0


def stretched(ring: Real, frames: int, *, rate_hz: int) -> Real:
    """What rings, so many frames long; its first and last samples are those that were given.

    Parameters
    ----------
    ring : array, shape (channels, frames_given)

    Returns
    -------
    array, shape (channels, frames)
    """
    given = ring.shape[1]
    if frames == given:
        return ring.copy()
    longer = frames - given
    loud = np.sqrt(np.mean(np.square(ring), axis=1, keepdims=True))
    alike = ring / np.maximum(loud, _QUIET)
    out = np.empty((len(ring), frames))
    # Sample n of what comes out is read at n + offset. At the end that has to be given − frames.
    at, offset = 0, 0
    for place, fade, wanted in _splices(given, frames, rate_hz):
        found = _like(alike, place, offset, fade, wanted, _room(place, fade, given, wanted, rate_hz))
        if found == offset:
            continue
        out[:, at:place] = ring[:, at + offset : place + offset]
        out[:, place : place + fade] = _faded(
            ring[:, place + offset : place + offset + fade], ring[:, place + found : place + found + fade]
        )
        at, offset = place + fade, found
    # It goes on until it ends, or until there is no more of it, and over into the last of what was given.
    last = min(frames, given - offset)
    if last < longer:
        # Too short to have a pitch that could be kept.
        places = np.linspace(0, given - 1, frames)
        return np.array([np.interp(places, np.arange(given), channel) for channel in ring])
    fade = min(round(_ENDS_S * rate_hz), last - at, last - max(0, longer))
    out[:, at:last] = ring[:, at + offset : last + offset]
    if fade > 1 and offset != -longer:
        out[:, last - fade : last] = _faded(out[:, last - fade : last], ring[:, last - fade - longer : last - longer])
    out[:, last:] = ring[:, last - longer :]
    return out


def tuned(sound: Real, begins: int, ends: int, cents: float) -> Real:
    """Frames [begins, ends) of a sound so many cents higher, and so much shorter: read at another speed.

    Parameters
    ----------
    sound : array, shape (channels, frames)
        With 32 frames before what is wanted and after it.

    Returns
    -------
    array, shape (channels, (ends − begins) / 2**(cents/1200))
    """
    faster = 2 ** (cents / 1200)
    at = begins + faster * np.arange(round((ends - begins) / faster))
    whole = np.floor(at).astype(np.int64)
    taps = np.arange(1 - _TAPS, 1 + _TAPS)
    away = (at - whole)[:, None] - taps
    cutoff = min(1.0, 1.0 / faster)
    weights = cutoff * np.sinc(cutoff * away) * np.i0(_KAISER * np.sqrt(np.maximum(1 - (away / _TAPS) ** 2, 0.0)))
    weights /= np.i0(_KAISER)
    reach = whole[:, None] + taps
    return np.array([np.einsum("ij,ij->i", channel[reach], weights) for channel in sound])


def _splices(given: int, frames: int, rate_hz: int) -> list[tuple[int, int, int]]:
    """Of each splice where it lies in what comes out, how long its fade is, and the offset that is wanted after it."""
    longer = frames - given
    most = max(1, round(abs(longer) / (_AT_ONCE_S * rate_hz)))
    # Where there is less than a period to leave out, what rings just ends sooner.
    fade = min(round(_FADE_S * rate_hz), given // 4, frames // 4)
    room = frames - fade - round(_ENDS_S * rate_hz)
    if fade < 2 or room < fade:
        return []
    number = max(1, min(most, room // (2 * fade)))
    return [(round((each + 0.5) * room / number), fade, -longer * (each + 1) // number) for each in range(number)]


def _room(place: int, fade: int, given: int, wanted: int, rate_hz: int) -> tuple[int, int]:
    """From which to which offset it may be read after a splice: near the wanted one, and where there is sound."""
    around, ends = round(_AROUND_S * rate_hz), round(_ENDS_S * rate_hz)
    return max(wanted - around, -place), min(wanted + around, given - place - fade - ends)


def _like(alike: Real, place: int, offset: int, fade: int, wanted: int, room: tuple[int, int]) -> int:
    """The offset at which it is read on so that it goes on most alike, over all channels."""
    now = alike[:, place + offset : place + offset + fade]
    low, high = room
    if now.shape[1] < fade or low > high:
        return offset
    there = alike[:, place + low : place + high + fade]
    likeness = sum(np.correlate(theirs, ours, "valid") for theirs, ours in zip(there, now, strict=True))
    power = np.concatenate((np.zeros((len(there), 1)), np.cumsum(np.square(there), axis=1)), axis=1)
    powers = np.sum(power[:, fade:] - power[:, :-fade], axis=0)
    score = likeness / np.sqrt(np.maximum(powers * np.sum(np.square(now)), _QUIET))
    # Of places that are as like, and in silence, the one that is wanted.
    score -= 1e-3 * np.abs(np.arange(low, high + 1) - wanted) / max(1, high - low)
    return low + int(np.argmax(score))


def _faded(closes: Real, opens: Real) -> Real:
    """One over into the other, channel by channel as alike as they are."""
    share = np.linspace(0.0, 1.0, closes.shape[1])
    out = np.empty_like(closes)
    for channel, (ours, theirs) in enumerate(zip(closes, opens, strict=True)):
        power = math.sqrt(float(ours @ ours) * float(theirs @ theirs))
        same = float(np.clip(ours @ theirs / power, LEAST_ALIKE, 1.0)) if power > _QUIET else 1.0
        out[channel] = crossfaded(ours, theirs, share, same)
    return out
