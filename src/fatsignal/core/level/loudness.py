"""Loudness, so that two sounds are judged at the same level."""

import math

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.clip import Clip, Samples
from fatsignal.core.compiled import njit

OFFSET_DB = -0.691  # eq. 2: takes back the weighting's gain at 997 Hz
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU = -10.0
_BLOCK_S, _STEP_S = 0.4, 0.1


def k_weighting(rate_hz: int) -> Real:
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
    return gated_loudness_lufs(block_powers(clip))


def ungated_loudness_lufs(clip: Clip) -> float:
    """Loudness of the mean of a clip's 400 ms blocks, no gate applied; ``-inf`` where it is silent (eqs. 1 to 3)."""
    power = float(block_powers(clip).mean())
    return OFFSET_DB + 10 * math.log10(power) if power > 0 else -math.inf


def gated_loudness_lufs(power: Samples) -> float:
    """The loudness of 400 ms blocks of these powers (eqs. 4 to 7)."""
    loudness = OFFSET_DB + 10 * np.log10(np.maximum(power, 1e-30))
    above = loudness > ABSOLUTE_GATE_LUFS
    if not above.any():
        return -math.inf
    relative_gate = OFFSET_DB + 10 * math.log10(float(power[above].mean())) + RELATIVE_GATE_LU
    gated = power[above & (loudness > relative_gate)]
    return OFFSET_DB + 10 * math.log10(float(gated.mean()))


def block_powers(clip: Clip) -> Samples:
    """K-weighted mean squares of 400 ms blocks every 100 ms, channels summed; shape (blocks,)."""
    meter = LoudnessMeter(rate_hz=clip.rate_hz, channels=clip.channels, most_frames=clip.frames)
    meter.push(clip.samples)
    return meter.block_powers()


class LoudnessMeter:
    """Powers of the blocks of a sound that comes piece by piece; `most_frames` is how long it may become."""

    def __init__(self, *, rate_hz: int, channels: int = 1, most_frames: int) -> None:
        self._rate_hz, self._frames = rate_hz, 0
        self._block = round(_BLOCK_S * rate_hz)
        count = max(0, int((most_frames / rate_hz - _BLOCK_S) / _STEP_S + 1e-9) + 1) if most_frames else 0
        starts = np.round(np.arange(count) * _STEP_S * rate_hz).astype(np.int64)
        self._starts = starts[starts + self._block <= most_frames]
        # Every piece between two edges is added up once, then the pieces to blocks. Less than a block is one piece.
        edges = np.concatenate((self._starts, self._starts + self._block))
        self._edges = np.unique(edges if len(edges) else np.array([0, most_frames], dtype=np.int64))
        self._energy = np.zeros(max(1, len(self._edges) - 1))
        self._sections = k_weighting(rate_hz)
        self._states = np.zeros((channels, 4))
        self._piece = 0

    def push(self, samples: Samples) -> None:
        """The next frames, shape (frames, channels)."""
        if len(samples):
            self._piece = _add_weighted_energy(
                np.ascontiguousarray(samples), self._sections, self._states, self._edges, self._energy, self._frames,
                self._piece,
            )  # fmt: skip
            self._frames += len(samples)

    def block_powers(self) -> Samples:
        """Of all that came, shape (blocks,)."""
        if self._frames == 0:
            return np.zeros(1)
        starts = self._starts[self._starts + self._block <= self._frames]
        if not len(starts):
            return np.array([float(self._energy.sum()) / self._frames])
        energy = np.concatenate(([0.0], np.cumsum(self._energy)))
        ends = energy[np.searchsorted(self._edges, starts + self._block)]
        return np.asarray(ends - energy[np.searchsorted(self._edges, starts)]) / self._block


@njit(cache=True, nogil=True, fastmath={"contract"})
def _add_weighted_energy(samples, sections, states, edges, energy, first_frame, first_piece):
    """Filter every channel by two second-order sections and add up the squares between edges; the piece come to.

    They are in transposed direct form II with the output put into its own states, so that a state waits for nothing
    but the one before it: what each sample needs is not much, but waiting for the last one took twice as long.
    """
    b00, b01, b02, _, a01, a02 = sections[0]
    b10, b11, b12, _, a11, a12 = sections[1]
    c01, c02, c11, c12 = b01 - a01 * b00, b02 - a02 * b00, b11 - a11 * b10, b12 - a12 * b10
    end = first_frame + len(samples)
    last = first_piece
    for channel in range(samples.shape[1]):
        s0, s1, t0, t1 = states[channel]
        piece, frame = first_piece, first_frame
        while frame < end and piece < len(energy):
            stop = min(end, edges[piece + 1])
            total = 0.0
            for index in range(frame - first_frame, stop - first_frame):
                x = samples[index, channel]
                y = b00 * x + s0
                s0, s1 = (c01 * x + s1) - a01 * s0, c02 * x - a02 * s0
                z = b10 * y + t0
                t0, t1 = (c11 * y + t1) - a11 * t0, c12 * y - a12 * t0
                total += z * z
            energy[piece] += total
            frame = stop
            if stop == edges[piece + 1]:
                piece += 1
        states[channel] = s0, s1, t0, t1
        last = piece
    return last
