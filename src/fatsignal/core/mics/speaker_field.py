"""What a microphone in front of a loudspeaker hears: the cone's surface summed point by point.

The pressure is the Rayleigh integral over the cone, so that nearness, off-centre loss of highs,
travel time and level over distance all come out of one formula and need no rules of their own.

References
----------
.. [1] L. E. Kinsler et al., Fundamentals of Acoustics, 4th ed., ch. 7: radiation of a baffled piston.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.compiled import njit
from fatsignal.core.mics.microphone import (
    MIC_KINDS,
    Complex,
    capsule_response,
    resonance,
)
from fatsignal.core.mics.speakers import SPEAKERS, Speaker
from fatsignal.core.units import speed_of_sound_m_s

_RINGS, _SPOKES = 22, 24
RESPONSE_S = 2048 / 48_000


@dataclass(frozen=True, slots=True)
class MicPosition:
    """Where a microphone stands: metres from the grille and from the cone's axis, degrees turned to it."""

    kind: str
    distance_m: float
    off_centre_m: float = 0.0
    angle_deg: float = 0.0


def cone_response(speaker: Speaker, frequency_hz: NDArray[np.float64]) -> Complex:
    """Acceleration of the cone over the amp's drive: resonance, break-up, coil, cabinet."""
    s = 1j * np.maximum(frequency_hz, 1e-3)
    f0 = speaker.resonance_hz
    response = s**2 / (s**2 + s * f0 / speaker.resonance_q + f0**2)
    for centre_hz, gain_db, q in speaker.break_up:
        response = response * resonance(frequency_hz, centre_hz, gain_db, q)
    cut = speaker.high_cut_hz
    # Fourth order, as two sections of a Butterworth.
    response = response * cut**4 / ((s**2 + 0.7654 * s * cut + cut**2) * (s**2 + 1.8478 * s * cut + cut**2))
    # A valve stage feeds current more than voltage: the coil's rising impedance lifts the highs.
    corner = speaker.coil_corner_hz
    response = response * (1 + s / corner) / (1 + s / (3.0 * corner))
    if speaker.open_back:
        # The back wave comes round the cabinet and takes the lows away below about 110 Hz.
        response = response * s / (s + 110.0)
    return np.asarray(response)


def field_response(
    speaker: Speaker, mic: MicPosition, frequency_hz: NDArray[np.float64], *, temperature_c: float = 20.0
) -> Complex:
    """Transfer from cone acceleration to the microphone, 1/m: travel time, level, pattern, off-centre loss.

    Far away on the axis it is ``exp(-jkr)/r``.
    """
    kind = MIC_KINDS[mic.kind]
    ring = (np.arange(_RINGS) + 0.5) / _RINGS * speaker.radius_m
    # The microphone stands in the plane of symmetry: what one half of the cone does, the other half does too.
    half = (np.arange(_SPOKES // 2) + 0.5) / _SPOKES * 2 * np.pi
    # Source points relative to the microphone, shape (rings, spokes); the cone's middle lies deeper than its edge.
    dx = ring[:, None] * np.cos(half) - mic.off_centre_m
    dy = ring[:, None] * np.sin(half)
    dz = -(mic.distance_m + speaker.depth_m * (1 - ring[:, None] / speaker.radius_m))
    distance = np.sqrt(dx**2 + dy**2 + dz**2)
    turn = math.radians(mic.angle_deg)
    # The axis points at the cone; a positive turn looks towards the centre.
    axis = (-math.sin(turn) * np.sign(mic.off_centre_m or 1.0), 0.0, -math.cos(turn))
    cos_angle = (dx * axis[0] + dz * axis[2]) / distance
    k = 2 * np.pi * frequency_hz / speed_of_sound_m_s(temperature_c)
    reach = speaker.radius_m * np.sqrt(1.0 / (1.0 + (frequency_hz / speaker.decoupling_hz) ** 2))
    weight = ring * np.exp(-((ring / np.maximum(reach, 0.02)[:, None]) ** 4))
    weight /= weight.sum(axis=1, keepdims=True)
    response = np.empty(len(frequency_hz), dtype=np.complex128)
    _add_up(k, weight, distance, cos_angle, kind.pressure_share, response)
    return response


@njit(cache=True, nogil=True)
def pattern_gain(pressure_share, cos_angle, wavenumber_distance=np.inf):
    """Sensitivity of a first-order capsule towards a point source against the plane wave from the front.

    `cos_angle` is the cosine between its axis and the direction of the source, `wavenumber_distance` is k·r of the
    source; one that is far away has no proximity effect.
    """
    gradient = (1.0 - pressure_share) * cos_angle
    return complex(pressure_share + gradient, -gradient / max(wavenumber_distance, 1e-6))


@njit(cache=True, nogil=True)
def _add_up(k, weight, distance, cos_angle, pressure_share, response):
    """Σ w g e^(−jkr)/r over the points, w shared out among those of a ring."""
    rings, spokes = distance.shape
    for line in range(len(k)):
        total = 0j
        for ring in range(rings):
            around = 0j
            for spoke in range(spokes):
                r = distance[ring, spoke]
                kr = k[line] * r
                gain = pattern_gain(pressure_share, cos_angle[ring, spoke], kr)
                around += gain * complex(math.cos(kr), -math.sin(kr)) / r
            total += weight[line, ring] / spokes * around
        response[line] = total


@lru_cache(maxsize=128)
def mic_impulse_response(
    speaker_name: str, mic: MicPosition, rate_hz: int, *, temperature_c: float = 20.0
) -> NDArray[np.float64]:
    """Impulse response from the amp's output to the microphone, travel time included.

    Returns
    -------
    array, shape (frames,)
        43 ms and the travel time; unity is the speaker's level at one metre.
    """
    speaker = SPEAKERS[speaker_name]
    travel_s = mic.distance_m / speed_of_sound_m_s(temperature_c)
    frames = 1 << math.ceil(math.log2((RESPONSE_S + travel_s) * rate_hz))
    frequency_hz: NDArray[np.float64] = np.asarray(np.fft.rfftfreq(2 * frames, 1 / rate_hz), dtype=np.float64)
    spectrum = (
        cone_response(speaker, frequency_hz)
        * field_response(speaker, mic, frequency_hz, temperature_c=temperature_c)
        * capsule_response(MIC_KINDS[mic.kind], frequency_hz)
    )
    response = np.fft.irfft(spectrum)[:frames]
    fade = frames // 4
    response[-fade:] *= 0.5 + 0.5 * np.cos(np.linspace(0, np.pi, fade))
    response.flags.writeable = False
    return response
