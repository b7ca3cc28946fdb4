import numpy as np
import pytest

from fatsignal.core.amp.filters import RationalFilter, cookbook_section
from fatsignal.core.timing.delay import align
from fatsignal.core.tone.blocks import SpeakerAndMics
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.render import render
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.errors import SignalError
from fatsignal.tones import find_tone
from tests.signals import FS, delayed, noise, plucks


@pytest.mark.parametrize("frames", [0.0, 3.37, -12.6, 200.25, 1000.5])
@pytest.mark.parametrize("polarity", [1, -1])
def test_two_microphones_in_noise_to_a_tenth_of_a_sample(frames, polarity):
    """A known fractional delay, made by the phase of the spectrum."""
    tilted = RationalFilter(np.array([0.1]), np.array([1.0, -0.9])).process(noise(5, seed=3))
    first = tilted + 0.03 * noise(5, seed=4)
    second = polarity * 0.5 * delayed(tilted, frames) + 0.03 * noise(5, seed=5)
    found = align(first, second, rate_hz=FS)
    assert found.delay_samples == pytest.approx(frames, abs=0.1)
    assert found.polarity == polarity
    assert found.confidence > 0.9


@pytest.mark.parametrize("frames", [-70_000.0, 150_000.5])
def test_recordings_that_began_seconds_apart_are_found(frames):
    """A DI against a clean amp, and against noise that only a far place explains."""
    di = plucks(8.0)
    wet = render(ToneChain(find_tone("Pale Lamp"), rate_hz=FS), di)
    for source, heard, tolerance in ((di, wet, 14), (noise(8, seed=6), noise(8, seed=6), 0.1)):
        late = delayed(np.concatenate((heard, np.zeros(4 * FS))), frames)
        reference = np.concatenate((source, np.zeros(4 * FS)))
        found = align(reference, late + 1e-4 * noise(12, seed=7), rate_hz=FS)
        assert found.delay_samples == pytest.approx(frames, abs=tolerance)


def test_the_path_is_the_delay_times_the_speed_of_sound():
    """343.2 m/s at 20 °C: one sample at 48 kHz is 7.15 mm (formula)."""
    source = noise(3, seed=9)
    found = align(source, delayed(source, 48.0), rate_hz=FS)
    assert found.delay_ms == pytest.approx(1.0, abs=1e-3)
    assert found.path_difference_m == pytest.approx(0.3432, abs=2e-4)
    assert speed_of_sound_m_s() / FS == pytest.approx(0.00715, abs=1e-5)


# Triodes of each preamp whose plate is what goes on; a cathode follower turns nothing.
INVERTS = {"small clean": 2, "big clean": 2, "follower cascade": 2, "cold high gain": 3}


def inverting_stages(tone: Tone) -> int:
    """Each triode stage inverts, the phase splitter too: the sign of the whole amp by counting."""
    stages = [block.stages for block in tone.blocks if block.kind == "first_stages"]
    return 1 + sum(stages) + sum(INVERTS[block.circuit] for block in tone.blocks if block.kind == "preamp")


@pytest.mark.parametrize("tone", map(find_tone, ("Pale Lamp", "Kiln", "Foundry", "Keel")), ids=lambda tone: tone.name)
@pytest.mark.parametrize(("distance_m", "flipped"), [(0.05, False), (0.30, True)])
def test_a_di_against_a_miked_driven_amp(tone, distance_m, flipped):
    """Polarity must be that of the circuit; the delay that of the air and the cone's depth, to 14 samples (10 cm)."""
    mic = {"kind": "coil", "distance_m": distance_m, "flipped": flipped}
    blocks = [
        SpeakerAndMics(speaker=block.speaker, mics=[mic]) if block.kind == "speaker" else block for block in tone.blocks
    ]
    di = plucks()
    miked = render(ToneChain(tone.model_copy(update={"blocks": blocks}), rate_hz=FS), di)
    travelled = delayed(miked, 100.0) + 1e-3 * noise(6, seed=8)
    found = align(di, travelled, rate_hz=FS)
    left_out = np.floor(distance_m / speed_of_sound_m_s() * FS)
    depth = 0.06 if "bass" in tone.use else 0.045
    expected = 100 + (distance_m + depth) / speed_of_sound_m_s() * FS - left_out
    assert found.polarity == (-1) ** inverting_stages(tone) * (-1 if flipped else 1)
    assert found.delay_samples == pytest.approx(expected, abs=14)


def test_moving_a_microphone_back_by_ten_centimetres_is_heard_as_ten_centimetres():
    tone = find_tone("Kiln")
    di = plucks()
    found = []
    for distance_m in (0.10, 0.20):
        mics = SpeakerAndMics(mics=[{"kind": "pressure", "distance_m": distance_m}])
        reference = SpeakerAndMics(mics=[{"kind": "pressure", "distance_m": 0.10}])
        both = [*tone.blocks[:-2], mics]
        one = [*tone.blocks[:-2], reference]
        wet = render(ToneChain(tone.model_copy(update={"blocks": both}), rate_hz=FS), di)
        dry = render(ToneChain(tone.model_copy(update={"blocks": one}), rate_hz=FS), di)
        left_out = np.floor(distance_m / speed_of_sound_m_s() * FS)
        found.append(align(dry, wet, rate_hz=FS).delay_samples + left_out)
    assert (found[1] - found[0]) / FS * speed_of_sound_m_s() == pytest.approx(0.10, abs=0.006)


def test_an_equaliser_is_no_delay():
    """A minimum-phase filter shifts phase, not arrival: the peak of a cookbook section is taken off."""
    section = cookbook_section("peak", frequency_hz=900, gain_db=12, q=1.0, rate_hz=FS)
    source = noise(4, seed=12)
    found = align(source, RationalFilter(*section).process(source), rate_hz=FS)
    assert found.delay_samples == pytest.approx(0.0, abs=0.2)
    assert found.polarity == 1


def test_two_strangers_give_no_confidence():
    assert align(noise(3, seed=1), noise(3, seed=2), rate_hz=FS).confidence < 0.2


@pytest.mark.parametrize(
    ("first", "second", "says"),
    [
        (np.zeros(FS), noise(), "silent"),
        (noise(), np.zeros(FS), "silent"),
        (noise()[:100], noise(), "too few"),
        (np.full(FS, np.nan), noise(), "not finite"),
    ],
)
def test_what_cannot_be_aligned_is_refused_with_a_reason(first, second, says):
    with pytest.raises(SignalError, match=says):
        align(first, second, rate_hz=FS)
