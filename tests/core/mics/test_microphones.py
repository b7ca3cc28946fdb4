import numpy as np
import pytest

from fatsignal.core.mics.microphone import MIC_KINDS, resonance
from fatsignal.core.mics.speaker_field import (
    MicPosition,
    field_response,
    mic_impulse_response,
    pattern_gain,
)
from fatsignal.core.mics.speakers import SPEAKERS, Speaker
from fatsignal.core.units import speed_of_sound_m_s
from tests.signals import FS

PISTON = Speaker(0.13, 0.0, 80.0, 1.0, 1e9, (), 1e6, False, 1e6)


@pytest.mark.parametrize(
    ("share", "angle_deg", "expected"),
    [(0.5, 0, 1.0), (0.5, 90, 0.5), (0.5, 180, 0.0), (0.0, 90, 0.0), (0.0, 180, -1.0), (1.0, 137, 1.0)],
)
def test_first_order_patterns(share, angle_deg, expected):
    """a + (1−a)·cosθ (formula): a cardioid is −6.02 dB at 90° and silent at 180°."""
    assert pattern_gain(share, np.cos(np.radians(angle_deg))) == pytest.approx(expected, abs=1e-12)


@pytest.mark.parametrize("kr", [0.1, 0.5, 2.0])
def test_proximity_of_a_gradient_capsule(kr):
    """sqrt(1 + 1/(kr)²) over the plane wave (formula)."""
    gain = pattern_gain(0.0, 1.0, kr)
    assert abs(gain) == pytest.approx(np.sqrt(1 + 1 / kr**2), rel=1e-9)


def test_far_away_level_falls_6_02_db_a_doubling_and_the_wave_comes_in_time():
    """Spherical spreading and 343.2 m/s (formulas), ten cone radii and more away."""
    frequency_hz = np.array([200.0])
    near, far = (field_response(PISTON, MicPosition("pressure", distance), frequency_hz)[0] for distance in (2.0, 4.0))
    assert 20 * np.log10(abs(near) / abs(far)) == pytest.approx(6.02, abs=0.03)
    expected = -2 * np.pi * 200 * 2.0 / speed_of_sound_m_s()
    assert np.angle(near * np.exp(-1j * expected)) == pytest.approx(0.0, abs=0.01)


def test_a_piston_beams_as_a_piston():
    """2·J1(x)/x at ka·sinθ (Kinsler et al., ch. 7): its first null at 3.832."""
    k = 2 * np.pi * 2000 / speed_of_sound_m_s()
    angle = np.arcsin(3.832 / (k * PISTON.radius_m))
    distance = 8.0
    frequency_hz = np.array([2000.0])
    uniform = Speaker(0.13, 0.0, 80.0, 1.0, 1e12, (), 1e6, False, 1e6)
    on_axis = field_response(uniform, MicPosition("pressure", distance), frequency_hz)[0]
    aside = MicPosition("pressure", distance * np.cos(angle), distance * np.sin(angle))
    off_axis = field_response(uniform, aside, frequency_hz)[0]
    # Our cone's edge is soft, a piston's hard: the null is filled a little.
    assert 20 * np.log10(abs(off_axis) / abs(on_axis)) < -15


def test_off_centre_takes_highs_away_and_back_adds_travel_time():
    """Common practice, no source: the brighter microphone stands on the centre."""

    def band(position, low, high):
        spectrum = np.abs(np.fft.rfft(mic_impulse_response("1x12 open", position, FS), 8192))
        frequency_hz = np.fft.rfftfreq(8192, 1 / FS)
        return spectrum[(frequency_hz > low) & (frequency_hz < high)].mean()

    centre, aside = MicPosition("coil", 0.05), MicPosition("coil", 0.05, 0.09)
    ratio = [band(p, 3000, 6000) / band(p, 200, 500) for p in (centre, aside)]
    assert 20 * np.log10(ratio[0] / ratio[1]) > 3.0
    onset = [
        np.argmax(np.abs(mic_impulse_response("1x12 open", MicPosition("coil", d), FS)) > 0.02) for d in (0.2, 0.6)
    ]
    assert onset[1] - onset[0] == pytest.approx(0.4 / speed_of_sound_m_s() * FS, abs=4)


def test_a_resonance_has_its_gain_at_its_centre_and_none_far_away():
    response = 20 * np.log10(np.abs(resonance(np.array([10.0, 2000.0, 400_000.0]), 2000.0, 5.0, 1.0)))
    np.testing.assert_allclose(response, [0, 5, 0], atol=0.01)


@pytest.mark.parametrize("speaker", sorted(SPEAKERS))
@pytest.mark.parametrize("kind", sorted(MIC_KINDS))
def test_every_response_ends_in_silence(speaker, kind):
    response = mic_impulse_response(speaker, MicPosition(kind, 0.1, 0.02), FS)
    assert np.abs(response[-64:]).max() < 1e-3 * np.abs(response).max()
