"""What a microphone makes of a drive: direct sound, room and capsule, as an impulse response and over frequency."""

import math
import zlib
from functools import lru_cache

import numpy as np
from scipy.fft import next_fast_len
from scipy.special import j1

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.compiled import njit
from fatsignal.core.mics.directivity import disc_directivity, pattern_gain
from fatsignal.core.mics.field import direct_sound
from fatsignal.core.mics.microphone import capsule_response
from fatsignal.core.mics.room import (
    BAND_HZ,
    ROOMS,
    Room,
    absorbed_behind,
    diffuse_tail,
    images,
    over_bands,
    spread_over,
)
from fatsignal.core.mics.set_up import MicSetUp
from fatsignal.core.mics.sounding import Disc, Radiator
from fatsignal.core.units import speed_of_sound_m_s

RESPONSE_S = 2048 / 48_000
# Of a room: its early reflections, and as much of its tail as a trial is judged by.
ROOM_S = 0.35
# Where loudspeaker or player stand: so far before the wall behind them, and not in the middle of the room.
_BEFORE_WALL_M, _ACROSS = 0.9, 0.42
_TAPS = 16


def mic_spectrum(heard: MicSetUp, frequency_hz: Real) -> Complex:
    """Direct sound and first reflections over any rising frequencies: what a plan shows while a microphone is moved."""
    direct = direct_sound(
        heard.front, heard.mic, heard.place, frequency_hz, point=heard.point, pattern=heard.pattern,
        temperature_c=heard.temperature_c,
    )  # fmt: skip
    room = ROOMS[heard.room]
    if room is not None:
        speed_m_s = speed_of_sound_m_s(heard.temperature_c)
        for radiator in heard.front.to_the_room:
            away_m, levels = _reflections(heard, room, radiator, order=1)
            drive = radiator.disc.drive(frequency_hz)
            turn = np.exp(-2j * np.pi * frequency_hz * away_m[:, None] / speed_m_s)
            direct = direct + drive * np.sum(over_bands(levels, frequency_hz) * turn, axis=0)
    return direct * capsule_response(heard.mic, frequency_hz)


@lru_cache(maxsize=128)
def mic_impulse_response(heard: MicSetUp, rate_hz: int) -> Real:
    """Impulse response from the drive (an amp's output, a guitar's strings) to the microphone, travel time included.

    Returns
    -------
    array, shape (frames,)
        43 ms and the travel time, or a third of a second in a room; unity is a cone's level at one metre.
    """
    room = ROOMS[heard.room]
    if room is None:
        frames = 1 << math.ceil(math.log2((RESPONSE_S + heard.travel_s) * rate_hz))
        size = 2 * frames
    else:
        frames = math.ceil((ROOM_S + heard.travel_s) * rate_hz)
        size = next_fast_len(frames + round(RESPONSE_S * rate_hz), real=True)
        size += size % 2
    frequency_hz: Real = np.asarray(np.fft.rfftfreq(size, 1 / rate_hz), dtype=np.float64)
    spectrum = direct_sound(
        heard.front, heard.mic, heard.place, frequency_hz, point=heard.point, pattern=heard.pattern,
        temperature_c=heard.temperature_c,
    )  # fmt: skip
    if room is not None:
        spectrum = spectrum + _room_spectrum(heard, room, frequency_hz, rate_hz)
    response = np.fft.irfft(spectrum * capsule_response(heard.mic, frequency_hz), size)[:frames]
    fade = frames // 4
    response[-fade:] *= 0.5 + 0.5 * np.cos(np.linspace(0, np.pi, fade))
    response.flags.writeable = False
    return response


def _room_spectrum(heard: MicSetUp, room: Room, frequency_hz: Real, rate_hz: int) -> Complex:
    """All that comes back from the walls, over the transform's frequencies, drives included."""
    frames = 2 * (len(frequency_hz) - 1)
    speed_m_s = speed_of_sound_m_s(heard.temperature_c)
    total = np.zeros(len(frequency_hz), dtype=np.complex128)
    spared: dict[Disc, Real] = {}
    latest_s = 0.0
    for radiator in heard.front.to_the_room:
        away_m, levels = _reflections(heard, room, radiator)
        bands = spared.setdefault(radiator.disc, np.zeros((len(BAND_HZ), frames)))
        _add_impulses(away_m / speed_m_s * rate_hz, levels, bands)
        latest_s = max(latest_s, float(np.median(away_m)) / speed_m_s)
    tail = diffuse_tail(
        room, frames=frames, rate_hz=rate_hz, from_s=latest_s, pressure_share=heard.share, looks=heard.place.looks,
        seed=zlib.crc32(np.round(heard.capsule_m, 3).tobytes()),
    )  # fmt: skip
    for disc, bands in spared.items():
        alike = sum(radiator.disc == disc for radiator in heard.front.to_the_room)
        # What beams gives off less to the room than its level on the axis tells.
        bands += math.sqrt(alike) * tail / np.sqrt(_directivity_factor(_reach_m(disc, BAND_HZ)))[:, None]
        total += disc.drive(frequency_hz) * spread_over(bands, frequency_hz)
    return total


def _reflections(heard: MicSetUp, room: Room, radiator: Radiator, *, order: int | None = None) -> tuple[Real, Real]:
    """Every image's distance, shape (images,), and its level in each octave, shape (images, bands)."""
    width_m = room.size_m[0]
    middle_m = np.array([_ACROSS * width_m, heard.front.above_floor_m, _BEFORE_WALL_M])
    # A cone is deeper than the grille: its sound comes from half-way.
    source_m = middle_m + np.array([radiator.x_m, radiator.y_m, -radiator.disc.depth_m / 2])
    found = images(room, source_m) if order is None else images(room, source_m, order=order)
    towards = found.place_m - (middle_m + heard.capsule_m)
    away_m = np.linalg.norm(towards, axis=1)
    cos_mic = towards @ heard.place.looks / away_m
    sin_mic = np.sqrt(np.maximum(0.0, 1 - cos_mic**2))
    # Where it leaves the radiator, turned back from the mirror; the front looks along z.
    cos_out = -towards[:, 2] * found.mirrored[:, 2] / away_m
    sin_out = np.sqrt(np.maximum(0.0, 1 - cos_out**2))
    temperature = {"temperature_c": heard.temperature_c}
    levels = np.prod(room.reflected()[None] ** found.met[..., None], axis=1) / away_m[:, None]
    levels *= disc_directivity(_reach_m(radiator.disc, BAND_HZ), BAND_HZ, sin_out[:, None], **temperature)
    levels *= disc_directivity(heard.mic.diaphragm_m, BAND_HZ, sin_mic[:, None], **temperature)
    levels *= pattern_gain(heard.share, cos_mic).real[:, None]
    # Backwards goes what is longer than the front is wide; common practice, no source.
    shaded = 1.0 / np.sqrt(1.0 + (BAND_HZ / (343.0 / (np.pi * heard.front.width_m))) ** 2)
    levels *= np.where(cos_out[:, None] < 0, 1.0 + cos_out[:, None] * (1.0 - shaded), 1.0)
    if heard.absorber:
        levels *= absorbed_behind(cos_mic)
    return np.asarray(away_m), np.asarray(levels)


def _reach_m(disc: Disc, frequency_hz: Real) -> Real:
    """Radius that still moves at a frequency."""
    return np.asarray(disc.radius_m / np.sqrt(1.0 + (frequency_hz / disc.decoupling_hz) ** 2))


def _directivity_factor(radius_m: Real) -> Real:
    """Of a baffled piston, (ka)²/(1 − J1(2ka)/ka) (Kinsler et al., ch. 7), over that of one that is small."""
    ka = np.maximum(2 * np.pi * BAND_HZ * radius_m / speed_of_sound_m_s(), 1e-3)
    return np.asarray(ka**2 / (1 - j1(2 * ka) / ka) / 2)


@njit(cache=True, nogil=True)
def _add_impulses(at, levels, bands):
    """Band-limited impulses at places between frames: a sinc under a Hann window of 16 frames."""
    for each in range(len(at)):
        first = math.floor(at[each]) - _TAPS // 2 + 1
        for tap in range(_TAPS):
            frame = first + tap
            if 0 <= frame < bands.shape[1]:
                x = frame - at[each]
                sinc = 1.0 if abs(x) < 1e-9 else math.sin(math.pi * x) / (math.pi * x)
                window = 0.5 + 0.5 * math.cos(2 * math.pi * x / _TAPS)
                for band in range(bands.shape[0]):
                    bands[band, frame] += levels[each, band] * sinc * window
