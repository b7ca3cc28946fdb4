"""Where notes begin: spectral flux to find them, the rise of the energy to place them.

References
----------
.. [1] S. Dixon, "Onset detection revisited", DAFx 2006.
.. [2] S. Böck, G. Widmer, "Maximum filter vibrato suppression for onset detection", DAFx 2013: the flux against a
   maximum over neighbouring bands a few frames earlier, and the picking of peaks.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, uniform_filter1d
from scipy.signal import stft
from scipy.sparse import csr_array

from fatsignal.core.clip import Samples
from fatsignal.core.mono_sound import MonoSound

_WINDOW_S, _HOP_S = 0.043, 0.010
_BANDS_PER_OCTAVE, _LOWEST_HZ, _HIGHEST_HZ = 12, 50.0, 12_000.0
# Magnitudes below this share of the loudest are as good as silence: log(1 + λ·X).
_COMPRESSION = 800.0
_LAG_FRAMES = 2
_PEAK_S, _MEAN_S, _AFTER_S, _APART_S = 0.03, 0.10, 0.07, 0.05
_THRESHOLD = 0.08
_FINE_S, _LOOK_S = 0.002, 0.04
# Frames of 10 ms that are looked at together.
STRETCH_FRAMES = 2_048

Frames = NDArray[np.int64]


def onset_strength(sound: MonoSound) -> tuple[Samples, int]:
    """Novelty of each 10 ms frame, shape (frames,), and the hop in samples; frame k is centred on sample k·hop.

    It is gone through in stretches of some seconds; of all of it only the bands are kept, 140 MB for an hour.
    """
    rate_hz = sound.rate_hz
    hop = round(_HOP_S * rate_hz)
    window = 1 << round(np.log2(_WINDOW_S * rate_hz))
    count = -(-max(sound.frames, window) // hop) + 1
    of_bins = _bands(window, rate_hz)
    bands = np.empty((of_bins.shape[0], count), dtype=np.float32)
    for first in range(0, count, STRETCH_FRAMES):
        stop = min(first + STRETCH_FRAMES, count)
        samples = sound.read(first * hop - window // 2, (stop - first - 1) * hop + window)
        # Single precision is enough for where a note begins, and takes half the time.
        _, _, spectrum = stft(
            samples.astype(np.float32), rate_hz, nperseg=window, noverlap=window - hop, boundary=None, padded=False
        )
        bands[:, first:stop] = of_bins @ np.abs(spectrum)
    loudest = float(np.percentile(bands.max(axis=0), 99.5))
    flux = np.zeros(count)
    if loudest <= 0:
        return flux, hop
    for first in range(_LAG_FRAMES, count, STRETCH_FRAMES):
        stop = min(first + STRETCH_FRAMES, count)
        level = np.log10(1 + _COMPRESSION * bands[:, first - _LAG_FRAMES : stop].astype(np.float64) / loudest)
        # Against the maximum of neighbouring bands: a pitch that wavers is no new note.
        before = maximum_filter1d(level[:, :-_LAG_FRAMES], 3, axis=0)
        flux[first:stop] = np.maximum(level[:, _LAG_FRAMES:] - before, 0).mean(axis=0)
    return flux, hop


def find_onsets(sound: MonoSound, *, threshold: float = _THRESHOLD, strength: Samples | None = None) -> Frames:
    """Samples at which notes begin, rising; `strength` where it is known already."""
    rate_hz = sound.rate_hz
    hop = round(_HOP_S * rate_hz)
    if strength is None:
        strength, hop = onset_strength(sound)
    places = pick_peaks(strength, hop_s=hop / rate_hz, threshold=threshold)
    refined = [_steepest(sound, int(place) * hop) for place in places]
    apart = round(_APART_S * rate_hz)
    kept: list[int] = []
    for at in sorted(refined):
        if not kept or at - kept[-1] >= apart:
            kept.append(at)
    return np.array(kept, dtype=np.int64)


def pick_peaks(strength: Samples, *, hop_s: float, threshold: float = _THRESHOLD) -> Frames:
    """Frames that are the largest of their surroundings and stand above their mean."""
    around = 2 * round(_PEAK_S / hop_s) + 1
    span = round((_MEAN_S + _AFTER_S) / hop_s) | 1
    highest = maximum_filter1d(strength, around)
    mean = uniform_filter1d(strength, span)
    peaks = np.flatnonzero((strength == highest) & (strength >= mean + threshold))
    apart = round(_APART_S / hop_s)
    kept: list[int] = []
    for at in peaks:
        if not kept or at - kept[-1] >= apart:
            kept.append(int(at))
    return np.array(kept, dtype=np.int64)


def _steepest(sound: MonoSound, near: int) -> int:
    """The beginning of the steepest rise of the energy around a coarse onset."""
    fine, look = max(1, round(_FINE_S * sound.rate_hz)), round(_LOOK_S * sound.rate_hz)
    start = max(0, near - look)
    piece = sound.read(start, max(0, min(near + look, sound.frames) - start))
    whole = len(piece) // fine
    if whole < 6:
        return near
    energy = np.sqrt(np.mean(np.square(piece[: whole * fine].reshape(whole, fine)), axis=1))
    # Each step against the mean of what came shortly before: a low string's own swing is no attack.
    summed = np.concatenate(([0.0], np.cumsum(energy)))
    k = np.arange(whole)
    first = np.maximum(0, k - 5)
    before = (summed[k] - summed[first]) / np.maximum(k - first, 1)
    floor = 0.02 * float(energy.max()) + 1e-9
    rise = np.log((energy + floor) / (before + floor))
    at = int(np.argmax(rise[1:])) + 1
    return start + at * fine


@lru_cache(maxsize=8)
def _bands(window: int, rate_hz: int) -> csr_array:
    """Triangular bands a semitone wide, each summing to one; shape (bands, bins)."""
    frequency_hz = np.fft.rfftfreq(window, 1 / rate_hz)
    highest = min(_HIGHEST_HZ, 0.45 * rate_hz)
    count = int(_BANDS_PER_OCTAVE * np.log2(highest / _LOWEST_HZ))
    centres = _LOWEST_HZ * 2 ** (np.arange(count + 2) / _BANDS_PER_OCTAVE)
    bins = np.unique(np.rint(centres * window / rate_hz).astype(int))
    filters = np.zeros((len(bins) - 2, len(frequency_hz)))
    for row, (low, centre, high) in enumerate(zip(bins, bins[1:], bins[2:], strict=False)):
        filters[row, low : centre + 1] = np.linspace(0, 1, centre - low + 1)
        filters[row, centre : high + 1] = np.linspace(1, 0, high - centre + 1)
        filters[row] /= filters[row].sum()
    return csr_array(filters)
