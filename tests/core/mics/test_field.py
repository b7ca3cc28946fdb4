"""Direct sound before a loudspeaker and a guitar, against formulas of Kinsler et al. and of Beranek and Mellow."""

import numpy as np
import pytest
from scipy.special import j1

from fatsignal.core.mics.directivity import disc_directivity, pattern_gain
from fatsignal.core.mics.field import direct_sound
from fatsignal.core.mics.microphone import MIC_KINDS, MicKind, parse_pattern, pattern_name, resonance
from fatsignal.core.mics.place import MicPlace
from fatsignal.core.mics.response import mic_impulse_response, mic_spectrum
from fatsignal.core.mics.set_up import MicSetUp
from fatsignal.core.mics.sounding import SOUNDING, Point, Radiator, Sounding
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.errors import InvalidSetting
from tests.signals import FS


class Piston:
    """A flat disc that moves as a whole, whatever the frequency."""

    depth_m, decoupling_hz = 0.0, 1e12

    def __init__(self, radius_m: float = 0.13) -> None:
        self.radius_m = radius_m

    def drive(self, frequency_hz):
        return np.ones(len(frequency_hz), dtype=complex)


def before(*places, radius_m=0.13):
    piston = Piston(radius_m)
    return Sounding("test", tuple(Radiator(*place, piston) for place in places), (Point("cone"),), 0.5, 0.5, 0.3, 0.5)


OMNI = MicKind("point", 1.0, 1.0, 1e3, 0.0, 1e6, 1.0, 1.0)
EIGHT = MicKind("point", 0.0, 1.0, 1e3, 0.0, 1e6, 1.0, 1.0)


@pytest.mark.parametrize(
    ("name", "angle_deg", "expected"),
    [
        ("cardioid", 0, 1.0), ("cardioid", 90, 0.5), ("cardioid", 180, 0.0), ("figure-8", 90, 0.0), ("omni", 137, 1.0),
        ("figure-8", 180, -1.0), ("hypercardioid", 180, -0.5), ("hypercardioid", 109.47, 0.0),
        ("wide cardioid", 180, 0.4),
    ],
)  # fmt: skip
def test_first_order_patterns(name, angle_deg, expected):
    """a + (1−a)·cosθ (formula): a cardioid is −6.02 dB at 90° and silent at 180°."""
    share = parse_pattern(name)
    assert pattern_name(share) == name
    assert pattern_gain(share, np.cos(np.radians(angle_deg))) == pytest.approx(expected, abs=2e-4)


def test_patterns_between_and_what_is_none():
    assert pattern_name(parse_pattern("0.6")) == "between wide cardioid and cardioid"
    for typed in ("kidney", "1.2", "-0.1", "nan", ""):
        with pytest.raises(InvalidSetting, match="is no pattern: choose omni"):
            parse_pattern(typed)


@pytest.mark.parametrize("kr", [0.1, 0.5, 2.0])
def test_proximity_of_a_gradient_capsule(kr):
    """sqrt(1 + 1/(kr)²) over the plane wave (Beranek and Mellow, ch. 5), of a point source."""
    distance, source = 0.2, before((0.0, 0.0), radius_m=1e-4)
    frequency_hz = np.array([kr * speed_of_sound_m_s() / (2 * np.pi * distance)])
    near, plain = (direct_sound(source, kind, MicPlace(distance), frequency_hz)[0] for kind in (EIGHT, OMNI))
    assert abs(near / plain) == pytest.approx(np.sqrt(1 + 1 / kr**2), rel=1e-3)
    # Its phase too: 1 + 1/(jkr).
    assert near / plain == pytest.approx(1 - 1j / kr, rel=1e-2)
    assert abs(pattern_gain(0.0, 1.0, kr)) == pytest.approx(np.sqrt(1 + 1 / kr**2), rel=1e-9)


def test_level_falls_6_02_db_a_doubling_and_the_wave_comes_in_time():
    """Spherical spreading and 343.2 m/s (formulas), ten cone radii and more away."""
    frequency_hz = np.array([200.0])
    near, far = (direct_sound(before((0.0, 0.0)), OMNI, MicPlace(distance), frequency_hz)[0] for distance in (2.0, 4.0))
    assert 20 * np.log10(abs(near) / abs(far)) == pytest.approx(6.02, abs=0.03)
    expected = -2 * np.pi * 200 * 2.0 / speed_of_sound_m_s()
    assert np.angle(near * np.exp(-1j * expected)) == pytest.approx(0.0, abs=0.01)


@pytest.mark.parametrize("distance_m", [0.05, 0.3, 1.0])
def test_on_the_axis_of_a_piston_the_near_field_is_the_integral_over_its_rings(distance_m):
    """Kinsler et al., ch. 7: on the axis all points of a ring are equally far, and the integral is one over rings."""
    frequency_hz = np.array([300.0, 1_000.0, 2_500.0])
    heard = direct_sound(before((0.0, 0.0)), OMNI, MicPlace(distance_m), frequency_hz)
    k = 2 * np.pi * frequency_hz / speed_of_sound_m_s()
    # Our disc moves less at its edge; ten thousand rings of it.
    ring = (np.arange(10_000) + 0.5) / 10_000 * 0.13
    weight = ring * np.exp(-((ring / 0.13) ** 4))
    r = np.hypot(ring, distance_m)
    exact = (weight / r * np.exp(-1j * k[:, None] * r)).sum(axis=1) / weight.sum()
    np.testing.assert_allclose(20 * np.log10(np.abs(heard / exact)), 0.0, atol=0.1)
    np.testing.assert_allclose(np.angle(heard / exact), 0.0, atol=0.03)


def test_a_piston_beams_as_a_piston():
    """2·J1(x)/x at ka·sinθ (Kinsler et al., ch. 7): its first null at 3.832."""
    k = 2 * np.pi * 2000 / speed_of_sound_m_s()
    angle = np.arcsin(3.832 / (k * 0.13))
    frequency_hz = np.array([2000.0])
    on_axis = direct_sound(before((0.0, 0.0)), OMNI, MicPlace(8.0), frequency_hz)[0]
    aside = MicPlace(8.0 * np.cos(angle), 8.0 * np.sin(angle))
    off_axis = direct_sound(before((0.0, 0.0)), OMNI, aside, frequency_hz)[0]
    # Our cone's edge is soft, a piston's hard: the null is filled a little.
    assert 20 * np.log10(abs(off_axis) / abs(on_axis)) < -15
    above = MicPlace(8.0 * np.cos(angle), 0.0, 8.0 * np.sin(angle))
    assert direct_sound(before((0.0, 0.0)), OMNI, above, frequency_hz)[0] == pytest.approx(off_axis, rel=1e-6)
    angles = np.sin(np.linspace(0.01, 1.5, 30))
    for sin in angles:
        assert disc_directivity(0.13, 2000.0, sin) == pytest.approx(2 * j1(k * 0.13 * sin) / (k * 0.13 * sin), rel=1e-9)
    assert disc_directivity(0.13, 2000.0, 3.832 / (k * 0.13)) == pytest.approx(0.0, abs=1e-3)


def test_two_cones_cancel_where_their_paths_differ_by_half_a_wave():
    """Notches at c/(2Δd) (formula)."""
    apart, aside = 0.34, 0.6
    source, place = before((-0.17, 0.0), (0.17, 0.0), radius_m=1e-4), MicPlace(1.5, aside)
    paths = [np.hypot(aside - x, 1.5) for x in (-apart / 2, apart / 2)]
    notch_hz = speed_of_sound_m_s() / (2 * abs(paths[0] - paths[1]))
    heard = np.abs(direct_sound(source, OMNI, place, np.array([notch_hz, 2 * notch_hz])))
    assert heard[0] < 0.1 * heard[1]


def test_cones_lie_where_their_names_say():
    for front in SOUNDING.values():
        for point in front.points:
            for word, side in (("left", -point.x_m), ("right", point.x_m), ("upper", point.y_m), ("lower", -point.y_m)):
                assert side > 0 or word not in point.name, (front.title, point)
        if not front.is_guitar:
            assert [(each.x_m, each.y_m) for each in front.points] == [(r.x_m, r.y_m) for r in front.radiators]


def test_few_frequencies_tell_what_many_do():
    """What is computed between grid points is what is computed at them."""
    place = MicPlace(0.05, 0.06, 0.04, 20, -10)
    for front in ("1x12 open", "4x12 closed", "acoustic body"):
        many = np.fft.rfftfreq(8192, 1 / FS)
        dense = direct_sound(SOUNDING[front], MIC_KINDS["ribbon"], place, many)
        few = np.arange(40, 3400, 97)
        exact = direct_sound(SOUNDING[front], MIC_KINDS["ribbon"], place, many[few])
        np.testing.assert_allclose(dense[few], exact, rtol=0.02, atol=2e-3 * np.abs(exact).max())


def band_db(heard, low_hz, high_hz):
    frequency_hz = np.geomspace(low_hz, high_hz, 40)
    return 10 * np.log10(np.mean(np.abs(mic_spectrum(heard, frequency_hz)) ** 2))


@pytest.mark.parametrize("front", ["1x10 open", "1x12 open", "4x12 closed", "1x15 bass"])
def test_off_centre_is_darker(front):
    """Common practice, no source: the brighter microphone stands on the centre."""
    bright = [
        band_db(heard, 2500, 6000) - band_db(heard, 200, 500)
        for heard in (MicSetUp(front, "coil", MicPlace(0.05, *aside)) for aside in ((), (0.09,), (0.0, 0.09)))
    ]
    assert bright[0] - bright[1] > 2.0
    assert bright[0] - bright[2] > 2.0


@pytest.mark.parametrize("kind", ["coil", "condenser", "large condenser"])
def test_turned_away_it_hears_less_of_the_highest(kind):
    """Common practice, no source; it follows from the size of the diaphragm."""
    straight, turned = (
        band_db(heard, 6000, 10_000) - band_db(heard, 700, 1500)
        for heard in (MicSetUp("1x12 open", kind, MicPlace(0.5, turned_deg=deg)) for deg in (0, 70))
    )
    assert straight - turned > 0.8


def test_back_is_thinner_and_roomier():
    """Common practice, no source: proximity goes, the room comes."""
    near, far = (MicSetUp("1x12 open", "ribbon", MicPlace(d), room="living room") for d in (0.05, 0.6))
    thin = [band_db(heard, 80, 160) - band_db(heard, 600, 1200) for heard in (near, far)]
    assert thin[0] - thin[1] > 4

    def late_share_db(heard):
        response = mic_impulse_response(heard, FS)
        late = round((heard.travel_s + 0.02) * FS)
        return 10 * np.log10(np.sum(response[late:] ** 2) / np.sum(response[:late] ** 2))

    assert late_share_db(far) - late_share_db(near) > 6


def test_before_a_guitar_the_hole_booms_the_neck_is_thin_and_the_twelfth_fret_lies_between():
    """Common practice, no source."""
    low = {
        point: band_db(heard, 80, 125) - band_db(heard, 1500, 6000)
        for point in ("sound hole", "12th fret", "headstock")
        for heard in [MicSetUp("acoustic body", "condenser", MicPlace(0.2), point=point)]
    }
    assert low["sound hole"] - low["12th fret"] > 4
    assert low["12th fret"] - low["headstock"] > 3


def test_the_twelfth_fret_halves_the_string_and_the_air_sounds_near_100_hz():
    """Geometry of the octave; Fletcher and Rossing, ch. 9, for the air resonance."""
    guitar = SOUNDING["acoustic body"]
    bridge, twelfth = guitar.point("bridge").x_m, guitar.point("12th fret").x_m
    assert 2 * (twelfth - bridge) == pytest.approx(0.645)
    frequency_hz = np.linspace(60, 160, 400)
    at_hole = mic_spectrum(MicSetUp("acoustic body", "pressure", MicPlace(0.05), point="sound hole"), frequency_hz)
    assert frequency_hz[np.argmax(np.abs(at_hole))] == pytest.approx(100, abs=6)


def test_a_resonance_has_its_gain_at_its_centre_and_none_far_away():
    response = 20 * np.log10(np.abs(resonance(np.array([10.0, 2000.0, 400_000.0]), 2000.0, 5.0, 1.0)))
    np.testing.assert_allclose(response, [0, 5, 0], atol=0.01)


@pytest.mark.parametrize("room", ["dry", "lively"])
@pytest.mark.parametrize("front", sorted(SOUNDING))
@pytest.mark.parametrize("kind", sorted(MIC_KINDS))
def test_every_response_is_finite_comes_in_time_and_ends_in_silence(front, kind, room):
    heard = MicSetUp(front, kind, MicPlace(0.5, 0.02), room=room)
    response = mic_impulse_response(heard, FS)
    assert np.isfinite(response).all()
    assert np.abs(response[-64:]).max() < 1e-3 * np.abs(response).max()
    arrived = np.argmax(np.abs(response) > 0.2 * np.abs(response).max())
    assert arrived == pytest.approx(heard.travel_s * FS, abs=60)
