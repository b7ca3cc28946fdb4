"""The room, against pyroomacoustics (image sources) and formulas."""

import numpy as np
import pytest

from fatsignal.core.mics.place import MicPlace
from fatsignal.core.mics.response import mic_impulse_response, mic_spectrum
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
from fatsignal.core.units import speed_of_sound_m_s
from tests.signals import FS

SHOEBOX = Room("test", (4.0, 2.5, 5.0), tuple((each,) * 8 for each in (0.1, 0.2, 0.3, 0.4, 0.15, 0.25)))
SOURCE = np.array([1.7, 0.4, 0.9])


@pytest.mark.parametrize("order", [1, 2, 4])
def test_images_lie_where_a_reference_library_has_them(order):
    """pyroomacoustics, image sources of the same shoebox with a material for each wall."""
    import pyroomacoustics as pra

    energy = dict(
        zip(("west", "east", "floor", "ceiling", "south", "north"), (a[0] for a in SHOEBOX.absorption), strict=True)
    )
    # There z runs upwards: x, y, z here are its x, z, y.
    width, height, depth = SHOEBOX.size_m
    room = pra.ShoeBox(
        [width, depth, height], fs=FS, max_order=order,
        materials={wall: pra.Material(share) for wall, share in energy.items()}, air_absorption=False,
    )  # fmt: skip
    room.add_source(SOURCE[[0, 2, 1]])
    room.add_microphone([2.2, 3.0, 1.1])
    room.image_source_model()
    theirs = room.sources[0]
    found = images(SHOEBOX, SOURCE, order=order)
    levels = np.prod(SHOEBOX.reflected()[None] ** found.met[..., None], axis=1)[:, 3]

    def sorted_rows(places, values):
        rows = np.column_stack((places, values))
        return rows[np.lexsort(np.round(rows, 6).T[::-1])]

    expected = sorted_rows(theirs.images.T[:, [0, 2, 1]], np.atleast_2d(theirs.damping)[0])
    ours = sorted_rows(np.vstack((found.place_m, SOURCE)), np.append(levels, 1.0))
    np.testing.assert_allclose(ours, expected, atol=1e-6)


def test_the_time_of_reverberation_is_eyrings():
    """T60 = 0.161·V/(−S·ln(1−α)) (Eyring 1930), by hand: 50 m³, 85 m², α of 0.2 all round."""
    room = Room("test", (4.0, 2.5, 5.0), ((0.2,) * 8,) * 6)
    assert room.reverberation_s() == pytest.approx([0.161 * 50 / (85 * 0.22314)] * 8, rel=1e-4)


def test_the_tail_falls_by_60_db_in_its_time_and_is_as_loud_as_a_diffuse_field():
    """Kuttruff, ch. 5: 16π·(1−α)/(S·α) of the source's level at one metre, all of it together."""
    room = Room("test", (6.0, 3.0, 7.0), ((0.12,) * 8,) * 6)
    tail = diffuse_tail(
        room, frames=2 * FS, rate_hz=FS, from_s=-1.0, seed=3, pressure_share=1.0, looks=np.array([0, 0, -1.0])
    )
    energy = np.cumsum(tail[0, ::-1] ** 2)[::-1]
    fall_db = 10 * np.log10(energy / energy[0])
    t60_s = room.reverberation_s()[0]
    assert np.interp(-20, fall_db[::-1], np.arange(len(fall_db))[::-1]) / FS == pytest.approx(t60_s / 3, rel=0.05)
    assert energy[0] == pytest.approx(16 * np.pi * 0.88 / (room.walls_m2.sum() * 0.12), rel=0.05)


def test_what_a_capsule_hears_of_a_diffuse_field():
    """a² + (1−a)²/3 (mean of a first-order pattern over the sphere): a cardioid and a figure-8 hear a third."""
    room = ROOMS["lively"]
    power = [
        np.mean(
            diffuse_tail(
                room, frames=FS, rate_hz=FS, from_s=0, seed=4, pressure_share=share, looks=np.array([0.6, 0, -0.8])
            )
            ** 2
        )
        for share in (1.0, 0.5, 0.0)
    ]
    assert power[1] / power[0] == pytest.approx(1 / 3, rel=0.1)
    assert power[2] / power[0] == pytest.approx(1 / 3, rel=0.1)


def test_bands_together_are_the_impulse_itself():
    """What is alike in every octave is not coloured."""
    impulses = np.zeros((8, 1024))
    impulses[:, 100] = 1.0
    spectrum = spread_over(impulses, np.fft.rfftfreq(1024, 1 / FS))
    np.testing.assert_allclose(np.fft.irfft(spectrum), impulses[0], atol=1e-12)
    assert over_bands(np.arange(8.0), np.array([125.0, 2000.0, 20_000.0])) == pytest.approx([1.0, 5.0, 7.0])


def test_the_floor_combs_where_its_path_says(monkeypatch):
    """A notch at c/(2Δd) (formula): 1 m before a low cabinet the floor's path is longer by 10 cm."""
    away = (1 - 1e-9,) * 8
    monkeypatch.setitem(ROOMS, "lively", Room("a floor", (6.0, 3.0, 8.0), (away, away, (0.02,) * 8, away, away, away)))
    heard = MicSetUp("1x12 open", "pressure", MicPlace(1.0), room="lively")
    height = 0.23
    longer = np.hypot(1.0, 2 * height) - 1.0
    notch_hz = speed_of_sound_m_s() / (2 * longer)
    frequency_hz = np.geomspace(notch_hz / 1.5, notch_hz * 1.5, 200)
    dry = mic_spectrum(MicSetUp("1x12 open", "pressure", MicPlace(1.0)), frequency_hz)
    combed = np.abs(mic_spectrum(heard, frequency_hz) / dry)
    # A cone has some centimetres of depth, and is deeper for highs: the notch lies where its middle says, nearly.
    assert frequency_hz[np.argmin(combed)] == pytest.approx(notch_hz, rel=0.12)


def test_an_absorber_behind_takes_from_what_comes_from_behind_and_nothing_from_the_front():
    factors = absorbed_behind(np.array([1.0, 0.0, -1.0]))
    np.testing.assert_array_equal(factors[:2], 1.0)
    assert factors[2, BAND_HZ > 1500].max() <= 0.2

    def after_the_direct_sound(absorber):
        heard = MicSetUp("1x12 open", "pressure", MicPlace(1.0), room="lively", absorber=absorber)
        return np.sum(np.square(mic_impulse_response(heard, FS)[400:2000]))

    open_, covered = after_the_direct_sound(False), after_the_direct_sound(True)
    assert covered < 0.95 * open_


def test_coincident_capsules_hear_one_room_and_distant_ones_their_own():
    def tail(place):
        return mic_impulse_response(MicSetUp("1x12 open", "condenser", place, room="lively"), FS)[6000:14000]

    left, right = MicPlace(1.0, turned_deg=-45), MicPlace(1.0, turned_deg=45)
    away = MicPlace(1.0, 0.5, turned_deg=45)
    together, apart = (np.corrcoef(tail(left), tail(other))[0, 1] for other in (right, away))
    assert together > 0.4
    assert abs(apart) < 0.2


def test_two_cones_fill_the_room_with_twice_the_power():
    def late(front):
        return np.sum(
            np.square(mic_impulse_response(MicSetUp(front, "pressure", MicPlace(1.0), room="lively"), FS)[4000:])
        )

    assert late("2x12 open") / late("1x12 open") == pytest.approx(2, rel=0.4)
