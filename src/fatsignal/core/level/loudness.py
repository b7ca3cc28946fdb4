"""Loudness, so that two sounds are judged at the same level."""

import math

import numba
import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Clip, Samples

OFFSET_DB = -0.691  # eq. 2: takes back the weighting's gain at 997 Hz
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0
_BLOCK_S, _STEP_S = 0.4, 0.1


def k_weighting(rate_hz: int) -> NDArray[np.float64]:
    """Second-order sections of the K weighting at any rate.

    The recommendation prints coefficients for 48 kHz only. They are a high shelf and a
    high-pass in the bilinear form whose analogue parameters below give those digits back; at
    another rate the same parameters are warped to that rate. The RLB section's numerator is
    printed unnormalised (1, −2, 1), and is so at every rate.

    References
    ----------
    .. [1] ITU-R BS.1770-5, Annex 1, tables 1 and 2.
    .. [2] Parameters solved from those tables (as published by B. De Man, 2014).
    """
    # Shelf: f0, Q and gain solved from table 1.
    shelf_k = math.tan(math.pi * 1681.974450955533 / rate_hz)
    shelf_q, v_h = 0.7071752369554196, 10 ** (3.999843853973347 / 20)
    v_b = v_h**0.4996667741545416
    a0 = 1 + shelf_k / shelf_q + shelf_k**2
    shelf = [
        (v_h + v_b * shelf_k / shelf_q + shelf_k**2) / a0,
        2 * (shelf_k**2 - v_h) / a0,
        (v_h - v_b * shelf_k / shelf_q + shelf_k**2) / a0,
        1.0,
        2 * (shelf_k**2 - 1) / a0,
        (1 - shelf_k / shelf_q + shelf_k**2) / a0,
    ]
    pass_k = math.tan(math.pi * 38.13547087602444 / rate_hz)
    pass_q = 0.5003270373238773
    a0 = 1 + pass_k / pass_q + pass_k**2
    high_pass = [1.0, -2.0, 1.0, 1.0, 2 * (pass_k**2 - 1) / a0, (1 - pass_k / pass_q + pass_k**2) / a0]
    return np.array([shelf, high_pass])


def integrated_loudness_lufs(clip: Clip) -> float:
    """Gated programme loudness of a clip of one or two channels; ``-inf`` if nothing is above −70 LUFS.

    More than two channels are taken as so many front channels, weight 1.0. A clip shorter than
    one 400 ms block is measured as one ungated block, so that short notes have a loudness too.

    References
    ----------
    .. [1] ITU-R BS.1770-5 (2023), Annex 1, eqs. 1 to 7.
    """
    power = block_powers(clip)
    loudness = OFFSET_DB + 10 * np.log10(np.maximum(power, 1e-30))
    above = loudness > ABSOLUTE_GATE_LUFS
    if not above.any():
        return -math.inf
    relative_gate = OFFSET_DB + 10 * math.log10(float(power[above].mean())) + RELATIVE_GATE_LU
    gated = power[above & (loudness > relative_gate)]
    return OFFSET_DB + 10 * math.log10(float(gated.mean()))


def block_powers(clip: Clip) -> Samples:
    """K-weighted mean squares of 400 ms blocks every 100 ms, channels summed; shape (blocks,)."""
    if clip.frames == 0:
        return np.zeros(1)
    block = round(_BLOCK_S * clip.rate_hz)
    if clip.frames < block:
        return _weighted_energy(clip, np.array([0, clip.frames])) / clip.frames
    count = int((clip.duration_s - _BLOCK_S) / _STEP_S + 1e-9) + 1
    starts = np.round(np.arange(count) * _STEP_S * clip.rate_hz).astype(np.int64)
    starts = starts[starts + block <= clip.frames]
    # Every piece between two edges is added up once, then the pieces to blocks.
    edges = np.unique(np.concatenate((starts, starts + block)))
    energy = np.concatenate(([0.0], np.cumsum(_weighted_energy(clip, edges))))
    return np.asarray(energy[np.searchsorted(edges, starts + block)] - energy[np.searchsorted(edges, starts)]) / block


def _weighted_energy(clip: Clip, edges: NDArray[np.int64]) -> Samples:
    """Sum of squares of all channels, K-weighted, between neighbouring edges."""
    energy = np.zeros(len(edges) - 1)
    _add_weighted_energy(clip.samples, k_weighting(clip.rate_hz), edges, energy)
    return energy


@numba.njit(cache=True, nogil=True, fastmath={"contract"})
def _add_weighted_energy(samples, sections, edges, energy):
    """Filter every channel by two second-order sections, from the first edge on.

    They are in transposed direct form II with the output put into its own states, so that a state waits for nothing
    but the one before it: what each sample needs is not much, but waiting for the last one took twice as long.
    """
    b00, b01, b02, _, a01, a02 = sections[0]
    b10, b11, b12, _, a11, a12 = sections[1]
    c01, c02, c11, c12 = b01 - a01 * b00, b02 - a02 * b00, b11 - a11 * b10, b12 - a12 * b10
    for channel in range(samples.shape[1]):
        s0 = s1 = t0 = t1 = 0.0
        for piece in range(len(energy)):
            total = 0.0
            for frame in range(edges[piece], edges[piece + 1]):
                x = samples[frame, channel]
                y = b00 * x + s0
                s0, s1 = (c01 * x + s1) - a01 * s0, c02 * x - a02 * s0
                z = b10 * y + t0
                t0, t1 = (c11 * y + t1) - a11 * t0, c12 * y - a12 * t0
                total += z * z
            energy[piece] += total
