"""Delay and polarity between two recordings of one performance.

Two microphones on one source differ by a delay, and their cross-spectrum's phase is a straight line. A DI and a
miked amp differ by the amp, the loudspeaker and the microphone too, and the phase of those bends
the line: a plain correlation then reads too late and often upside down. But what they do is
nearly minimum phase, so it can be computed from the magnitude of the transfer that the two recordings
show, and taken off. What is left is the travel time and the sign.

References
----------
.. [1] C. H. Knapp, G. C. Carter, "The generalized correlation method for estimation of time delay",
   IEEE Trans. Acoust. Speech Signal Proc. 24(4), 1976.
.. [2] A. V. Oppenheim, R. W. Schafer, Discrete-Time Signal Processing, 3rd ed., ch. 13: minimum phase from the
   real cepstrum.
"""

from dataclasses import dataclass

import numpy as np
from scipy.signal import lfilter

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.clip import Samples, check_finite, check_rate
from fatsignal.core.timing.phase import laid_together, minimum_phase
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.errors import SignalError

_SEGMENT_S = 0.34
# Around the place that was found first.
_NEAR_S = 0.1
_PLAYED_DB = -40.0
_LONGEST_FRAMES = 1 << 22
_SMOOTHING_OCTAVES = 1 / 6
_DRIVEN_COHERENCE = 0.3


@dataclass(frozen=True, slots=True, kw_only=True)
class Alignment:
    """How OTHER lies against REFERENCE; positive `delay_samples`: OTHER is later."""

    delay_samples: float
    delay_ms: float
    path_difference_m: float
    polarity: int
    confidence: float


def align(reference: Samples, other: Samples, *, rate_hz: int, longest_delay_s: float = 10.0) -> Alignment:
    """Measure the delay of `other` against `reference`, to a fraction of a sample, and its polarity.

    First the place is found to some milliseconds, up to `longest_delay_s` or half of what was recorded away; then
    the delay is measured around that place.

    Parameters
    ----------
    reference, other : arrays, shape (frames,)
        Two recordings of one performance; the longer one is cut to the shorter.

    Returns
    -------
    Alignment
        `confidence` runs 0 to 1: how far the found peak stands out. Below 0.2, do not move anything.

    Raises
    ------
    SignalError
        If one of them is silent, not finite, or shorter than a tenth of a second.
    """
    check_rate(rate_hz)
    frames = min(len(reference), len(other))
    if frames < rate_hz // 10:
        raise SignalError(f"{frames} frames are too few to align; a tenth of a second is the least")
    check_finite(reference[:frames])
    check_finite(other[:frames])
    coarse = 0
    if frames > 4 * rate_hz // 10:
        reach = min(round(longest_delay_s * rate_hz), frames // 2)
        coarse = _coarse_delay(reference[:frames], other[:frames], rate_hz, reach)
    ref, oth = laid_together(reference[:frames], other[:frames], coarse)
    transfer, coherence = _transfer(ref, oth, rate_hz)
    if _mean_coherence(coherence, rate_hz) < _DRIVEN_COHERENCE:
        transfer, coherence = _through_drive(ref, oth, rate_hz)
    correlation = _sharpest(transfer, coherence, rate_hz)
    reach = min(round(_NEAR_S * rate_hz), len(correlation) // 2 - 1)
    window = np.concatenate((correlation[-reach:], correlation[: reach + 1]))
    at = int(np.argmax(np.abs(window)))
    polarity = 1 if window[at] > 0 else -1
    delay = at - reach + _peak_offset(polarity * window, at) + coarse
    distinct = np.abs(window).copy()
    near = round(0.0004 * rate_hz)
    distinct[max(0, at - near) : at + near + 1] = 0
    confidence = 1 - float(distinct.max(initial=0.0)) / float(np.abs(window[at]))
    return Alignment(
        delay_samples=float(delay),
        delay_ms=1000 * float(delay) / rate_hz,
        path_difference_m=float(delay) / rate_hz * speed_of_sound_m_s(),
        polarity=polarity,
        confidence=max(0.0, min(1.0, confidence)),
    )


def _coarse_delay(reference: Samples, other: Samples, rate_hz: int, reach: int) -> int:
    """Whole-sample delay, so that the segments below see the same notes.

    Several ways propose a place: the onsets' correlation (good for a played part, through any amp) and that of the
    phases (good for steady sound), each near and far. The place at which the two cohere best is taken.
    """
    cut = slice(-_LONGEST_FRAMES, None)
    size = 1 << (min(len(reference), _LONGEST_FRAMES) + reach).bit_length()

    def onset_strength(signal: Samples) -> Samples:
        smooth = np.convolve(np.abs(signal), np.hanning(65) / 32, mode="same")
        return np.asarray(np.maximum(np.diff(np.sqrt(smooth), prepend=0.0), 0.0))

    onsets = np.fft.rfft(onset_strength(other[cut]), size) * np.conj(np.fft.rfft(onset_strength(reference[cut]), size))
    cross = np.fft.rfft(other[cut], size) * np.conj(np.fft.rfft(reference[cut], size))
    # Bins far below the loudest hold nothing but noise, whose phase would count like a note's.
    power = np.abs(cross)
    phases = np.where(power > 1e-5 * power.max(), cross / np.maximum(power, 1e-30), 0.0)
    near = min(reach, round(_NEAR_S * rate_hz))
    places = {
        _strongest(np.abs(np.fft.irfft(spectrum)), within) for spectrum in (onsets, phases) for within in (near, reach)
    }

    def coherence_at(place: int) -> float:
        return _mean_coherence(_transfer(*laid_together(reference, other, place), rate_hz)[1], rate_hz)

    return max(sorted(places, key=abs), key=coherence_at)


def _strongest(correlation: Samples, reach: int) -> int:
    """Lag of the largest value within `reach` either way of zero."""
    window = np.concatenate((correlation[-reach:], correlation[: reach + 1]))
    return int(np.argmax(window)) - reach


def _transfer(reference: Samples, other: Samples, rate_hz: int) -> tuple[Complex, Real]:
    """Transfer reference -> other over the played parts, and the coherence at each bin."""
    segment = 1 << round(np.log2(_SEGMENT_S * rate_hz))
    while segment > len(reference) // 2 and segment > 1024:
        segment //= 2
    segment = min(segment, len(reference))
    starts = np.arange(0, len(reference) - segment + 1, max(1, segment // 2))
    energies = np.array([float(np.sum(np.square(reference[s : s + segment]))) for s in starts])
    if energies.max() <= 0 or not np.any(other):
        raise SignalError("one of the two is silent: there is nothing to align")
    played = starts[energies >= energies.max() * 10 ** (_PLAYED_DB / 10)]
    shape = np.hanning(segment)
    xx: Samples = np.zeros(segment + 1)
    yy: Samples = np.zeros(segment + 1)
    xy: Complex = np.zeros(segment + 1, dtype=np.complex128)
    for start in played:
        x = np.fft.rfft(shape * reference[start : start + segment], 2 * segment)
        y = np.fft.rfft(shape * other[start : start + segment], 2 * segment)
        # Every segment counts alike: a DI's first hard chord must not outweigh the rest.
        weight = 1.0 / max(float(np.sum(np.abs(x) ** 2)), 1e-30)
        xx += weight * np.abs(x) ** 2
        yy += weight * np.abs(y) ** 2
        xy += weight * np.conj(x) * y
    floor = 1e-12 * float(xx.max())
    coherence = np.abs(xy) ** 2 / np.maximum(xx * yy, 1e-30)
    # A single segment is always coherent with itself; what few segments pretend is taken off.
    bias = 1.0 / max(1, len(played))
    coherence = np.clip((coherence - bias) / max(1e-9, 1 - bias), 0, 1) if len(played) > 1 else coherence
    return np.asarray(xy / (xx + floor), dtype=np.complex128), np.asarray(coherence)


def _mean_coherence(coherence: Real, rate_hz: int) -> float:
    frequency_hz = np.arange(len(coherence)) * rate_hz / (2 * (len(coherence) - 1))
    return float(coherence[(frequency_hz > 80) & (frequency_hz < 6_000)].mean())


def _through_drive(reference: Samples, other: Samples, rate_hz: int) -> tuple[Complex, Real]:
    """The transfer after a rough model of a driven amp, the one of several that explains `other` best.

    A hard-driven amp is no linear filter; a high-pass and a soft clipper before the measurement
    leave a filter again, nearly. Both keep polarity and add no delay of their own.
    """
    best = _transfer(reference, other, rate_hz)
    for low_cut_hz in (None, 200.0, 600.0):
        lifted = reference
        if low_cut_hz:
            decay = float(np.exp(-2 * np.pi * low_cut_hz / rate_hz))
            lifted = lfilter([1.0, -1.0], [1.0, -decay], reference)
        lifted = lifted / np.sqrt(np.mean(np.square(lifted)))
        for drive in (1.0, 4.0, 16.0):
            tried = _transfer(np.tanh(drive * lifted), other, rate_hz)
            if _mean_coherence(tried[1], rate_hz) > _mean_coherence(best[1], rate_hz):
                best = tried
    return best


def _sharpest(transfer: Complex, coherence: Real, rate_hz: int) -> Samples:
    """Pulse at the delay: with the minimum phase taken off where that sharpens it, else as it is.

    Between two microphones there is hardly anything to take off, and estimating it from noise would
    only move the peak by some hundredths of a sample.
    """
    plain = _phase_response(transfer, coherence, rate_hz, excess_only=False)
    excess = _phase_response(transfer, coherence, rate_hz, excess_only=True)
    at_plain, at_excess = int(np.argmax(np.abs(plain))), int(np.argmax(np.abs(excess)))
    agree = abs(at_plain - at_excess) <= 1 and plain[at_plain] * excess[at_excess] > 0
    return plain if agree or abs(plain[at_plain]) > abs(excess[at_excess]) else excess


def _phase_response(transfer: Complex, coherence: Real, rate_hz: int, *, excess_only: bool) -> Samples:
    """Impulse response of the transfer's phase alone, or of that part of it that is not minimum phase."""
    bins = len(transfer)
    size = 2 * (bins - 1)
    frequency_hz = np.arange(bins) * rate_hz / size
    audible = (frequency_hz > 40) & (frequency_hz < 0.45 * rate_hz)
    weight = np.where(audible, coherence, 0.0)
    if not excess_only:
        return np.asarray(np.fft.irfft(weight * np.exp(1j * np.angle(transfer))))
    magnitude = _trusted_magnitude(np.abs(transfer), coherence, frequency_hz)
    excess = np.angle(transfer) - minimum_phase(np.log(magnitude))
    return np.asarray(np.fft.irfft(weight * np.exp(1j * excess)))


def _trusted_magnitude(magnitude: Samples, coherence: Real, frequency_hz: Real) -> Samples:
    """Magnitude smoothed over a sixth of an octave, weighted by coherence; where nothing is known it goes on."""
    octaves = np.log2(np.maximum(frequency_hz, frequency_hz[1]))
    grid = np.arange(np.log2(20.0), octaves[-1], 1 / 24)
    weight = coherence**2 + 1e-9
    # Sums over bins are differences of one running sum, so that wide smoothing costs nothing.
    running_weight = np.concatenate(([0.0], np.cumsum(weight)))
    running = np.concatenate(([0.0], np.cumsum(weight * np.log(np.maximum(magnitude, 1e-12)))))
    low = np.searchsorted(octaves, grid - _SMOOTHING_OCTAVES / 2)
    high = np.maximum(np.searchsorted(octaves, grid + _SMOOTHING_OCTAVES / 2), low + 1)
    total = running_weight[high] - running_weight[low]
    smooth = (running[high] - running[low]) / total
    known = total / (high - low) > 0.1
    if known.sum() >= 2:
        smooth = _continued(grid, grid[known], smooth[known])
    return np.asarray(np.exp(np.interp(octaves, grid, smooth)))


def _continued(grid: Samples, known: Samples, values: Samples) -> Samples:
    """Log magnitude over octaves; beyond what is known it goes on as steeply as it came, to 60 dB down.

    A loudspeaker goes on falling above what a DI excites, and that fall belongs to its phase below.
    """
    inside = np.interp(grid, known, values)
    edge = 12  # half an octave
    if len(known) < 2 * edge:
        return inside
    high_slope = min(0.0, (values[-1] - values[-1 - edge]) / (known[-1] - known[-1 - edge]))
    low_slope = max(0.0, (values[edge] - values[0]) / (known[edge] - known[0]))
    beyond = inside + high_slope * np.maximum(grid - known[-1], 0) + low_slope * np.minimum(grid - known[0], 0)
    return np.asarray(np.maximum(beyond, inside - np.log(1000.0)))


def _peak_offset(values: Samples, at: int) -> float:
    """Offset of the peak from its sample: the band-limited curve refined 64 times around it."""
    if at < 8 or at > len(values) - 9:
        return 0.0
    near = values[at - 8 : at + 9]
    position = np.linspace(-1.0, 1.0, 129)
    shape = np.sinc(position[:, None] - np.arange(-8, 9)[None, :])
    fine = shape @ near
    best = int(np.clip(np.argmax(fine), 1, len(position) - 2))
    left, middle, right = fine[best - 1 : best + 2]
    bend = left - 2 * middle + right
    shift = 0.5 * (left - right) / bend if bend else 0.0
    return float(position[best] + shift * (position[1] - position[0]))
