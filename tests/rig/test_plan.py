"""The plan: places, ways and combs follow from the geometry of what is drawn."""

import math

import numpy as np
import pytest

from fatsignal.core.mics.response import mic_impulse_response, mic_spectrum
from fatsignal.core.stereo.pair import measure_pair
from fatsignal.core.stereo.set_ups import SET_UPS
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.errors import InvalidSetting
from fatsignal.rig.mic_words import dimensions, in_short
from fatsignal.rig.plan import plan_of
from fatsignal.rig.set_ups import put_up
from fatsignal.rig.setup import InputUse, MicOnRig, RigSetup, standard_rig
from tests.signals import FS, plucks


def rig(*places, **more):
    mics = [
        MicOnRig(name=f"mic {'ABCDEF'[number]}", input=InputUse(number=number + 2), **{"kind": "ribbon"} | place)
        for number, place in enumerate(places)
    ]
    return RigSetup(mics=mics, **more)


def test_far_from_the_cone_the_way_is_that_from_its_middle_by_pythagoras():
    plan = plan_of(rig({"distance_m": 1.2}, {"distance_m": 1.6, "off_centre_m": -1.2, "height_m": 0.0}), rate_hz=FS)
    (pair,) = plan.pairs
    assert pair.farther_cm == pytest.approx(80.0, abs=1.0)
    assert pair.apart_cm == pytest.approx(100 * math.hypot(1.2, 0.4))
    assert pair.later_samples == pytest.approx(pair.farther_cm / 100 / speed_of_sound_m_s() * FS)
    assert pair.notches_hz[0] == pytest.approx(speed_of_sound_m_s() / (2 * pair.farther_cm / 100))
    assert pair.says.startswith(f"mic B is {pair.farther_cm:.1f} cm farther than mic A")


@pytest.mark.parametrize(
    "place",
    [
        {"distance_m": 0.05, "kind": "coil"}, {"distance_m": 0.08, "kind": "coil"},
        {"distance_m": 0.074, "off_centre_m": 0.02, "turned_deg": -20.0, "kind": "coil"},
        {"distance_m": 0.1, "off_centre_m": 0.04, "kind": "condenser"}, {"distance_m": 0.25, "off_centre_m": 0.1},
    ],
)  # fmt: skip
def test_before_a_cone_the_plan_tells_the_way_that_a_trial_will_measure(place):
    """A cone sounds all over, so beside it the way is shorter than that from its middle."""
    drawn = rig({"distance_m": 0.05}, place)
    (pair,) = plan_of(drawn, rate_hz=FS).pairs
    played = plucks(5.0)
    heard = [np.convolve(played, mic_impulse_response(drawn.heard_by(mic), FS))[: len(played)] for mic in drawn.mics]
    measured = measure_pair(heard[0], heard[1], names=("mic A", "mic B"), rate_hz=FS)
    assert pair.farther_cm == pytest.approx(measured.farther_cm, abs=0.25)


def test_far_away_three_millimetres_are_three_millimetres_and_a_ribbon_may_look_away():
    """Turned round a figure of eight hears the same upside down: it stands where it stood."""
    far = plan_of(rig({"distance_m": 1.0}, {"distance_m": 1.003}), rate_hz=FS)
    assert far.pairs[0].farther_cm == pytest.approx(0.3, abs=0.01)
    turned = plan_of(rig({"distance_m": 1.0}, {"distance_m": 1.003, "turned_deg": 180.0}), rate_hz=FS)
    assert turned.pairs[0].farther_cm == pytest.approx(0.3, abs=0.01)


def test_three_to_one_is_told_where_two_stand_before_different_cones():
    """Common practice, no source: three times as far from each other as from what each is for."""
    cabinet = standard_rig("baritone guitar").amp.model_copy(update={"speaker": "4x12 closed"})
    left, right = {"point": "upper left cone"}, {"point": "upper right cone"}
    near = plan_of(rig({"distance_m": 0.05, **left}, {"distance_m": 0.04, **right}, amp=cabinet), rate_hz=FS)
    # The cones are 34 cm apart.
    assert near.pairs[0].three_to_one == pytest.approx(math.hypot(0.34, 0.01) / 0.05)
    assert not near.says
    far = plan_of(rig({"distance_m": 0.2, **left}, {"distance_m": 0.2, **right}, amp=cabinet), rate_hz=FS)
    assert far.pairs[0].three_to_one == pytest.approx(1.7)
    assert far.says == ["mic A and mic B: 1.7 to 1, each hears the other's place; 3 to 1 keeps it out"]
    one = plan_of(rig({"distance_m": 0.2, **left}, {"distance_m": 0.4, **left}, amp=cabinet), rate_hz=FS)
    assert one.pairs[0].three_to_one is None
    assert not one.says


def test_before_a_guitar_it_says_from_where_a_way_counts():
    """It sounds all over: a way is that from the landmark that both are put before, no other."""
    near, far = {"distance_m": 0.3, "point": "bridge"}, {"distance_m": 0.5, "point": "bridge"}
    acoustic = standard_rig("acoustic guitar").model_dump() | {"mics": rig(near, far).model_dump()["mics"]}
    (pair,) = plan_of(RigSetup.model_validate(acoustic), rate_hz=FS).pairs
    assert pair.says.startswith("mic B is 20.0 cm farther from the bridge")
    acoustic["mics"][1]["point"] = "12th fret"
    (pair,) = plan_of(RigSetup.model_validate(acoustic), rate_hz=FS).pairs
    assert "from the" not in pair.says


def test_places_count_from_the_cone_that_they_are_measured_from():
    cabinet = standard_rig("baritone guitar").amp.model_copy(update={"speaker": "4x12 closed"})
    mic = {"distance_m": 0.05, "point": "upper right cone"}
    (shown,) = plan_of(rig(mic, amp=cabinet), rate_hz=FS).mics
    assert shown.place_m == pytest.approx((0.17, 0.17, 0.05))
    assert shown.point_m == (0.17, 0.17)


def test_the_sum_is_that_of_the_spectra_levelled_and_flipped():
    """At the first notch two alike are 40 dB down at most; flipped, the lows go instead."""
    places = {"distance_m": 0.2}, {"distance_m": 0.4}
    straight = plan_of(rig(*places), rate_hz=FS)
    flipped = rig(*places)
    flipped = flipped.model_copy(
        update={
            "mics": [
                flipped.mics[0],
                flipped.mics[1].model_copy(update={"input": InputUse(number=3, flipped=True)}),
            ]
        }
    )
    turned = plan_of(flipped, rate_hz=FS)
    # Where it is told to be hollow the sum dips: near the comb's first notch, but the cone is no point.
    hollow = straight.pairs[0].says.partition("hollow near ")[2]
    hollow_hz = float(hollow.split()[0]) * (1_000 if "kHz" in hollow else 1)
    assert hollow_hz == pytest.approx(straight.pairs[0].notches_hz[0], rel=0.3)
    at = int(np.argmin(np.abs(np.array(straight.frequency_hz) - straight.pairs[0].notches_hz[0])))
    assert straight.together_db[at] < -8
    assert turned.together_db[at] > 2.5
    assert turned.together_db[0] < straight.together_db[0] - 10
    spectra = [mic_spectrum(flipped.heard_by(mic), np.array(straight.frequency_hz)) for mic in flipped.mics]
    levelled = [each / np.sqrt(np.mean(np.abs(each) ** 2)) for each in spectra]
    power = np.abs(levelled[0] + levelled[1]) ** 2 / (np.abs(levelled[0]) ** 2 + np.abs(levelled[1]) ** 2)
    # Together over the whole range, without the smoothing of a sixth of an octave.
    assert np.mean(straight.together_db) == pytest.approx(np.mean(10 * np.log10(power)), abs=1.0)


def test_two_at_one_point_are_said():
    assert plan_of(rig({"distance_m": 0.1}, {"distance_m": 0.105}), rate_hz=FS).says == [
        "mic A and mic B stand at one point: move one of them by a capsule's width"
    ]
    assert plan_of(rig({"distance_m": 0.1}, {"distance_m": 0.13}), rate_hz=FS).says == []


def test_a_rig_without_microphones_has_an_empty_plan():
    plan = plan_of(RigSetup(mics=[]), rate_hz=FS)
    assert (plan.mics, plan.pairs, plan.curves, plan.together_db) == ([], [], [], [])


def test_places_in_few_words_and_in_all():
    placed = rig(
        {"distance_m": 0.05}, {"distance_m": 0.081, "off_centre_m": -0.048, "height_m": 0.02, "turned_deg": -12}
    )
    assert in_short(placed.mics) == "mic A 5.0 cm; mic B 8.1 cm, 4.8 left, 2.0 up"
    told = {each.name: each.value for each in dimensions(placed, placed.mics[1])}
    expected = {
        "away": "8.1 cm", "beside": "4.8 cm left", "height": "2.0 cm up", "turned": "12° left", "tilted": "0°",
        "measured from": "cone", "polarity": "as it is",
    }  # fmt: skip
    assert {name: told[name] for name in expected} == expected


@pytest.mark.parametrize("name", SET_UPS)
def test_every_set_up_is_put_up_with_its_dimensions(name):
    pair = SET_UPS[name]
    put = put_up(rig({"distance_m": 0.05, "off_centre_m": 0.02}), name)
    first, second = put.mics
    assert second.off_centre_m - first.off_centre_m == pytest.approx(pair.apart_m)
    assert (first.off_centre_m + second.off_centre_m) / 2 == pytest.approx(0.02)
    if not pair.mid_side:
        assert second.turned_deg - first.turned_deg == pytest.approx(pair.angle_deg)
    assert (first.pattern, second.pattern) == pair.patterns
    assert first.distance_m == second.distance_m == 0.3
    assert len({first.input.number, second.input.number, put.di.input.number}) == 3
    # Put up again it stays where it is.
    again = put_up(put, name)
    assert [mic.place for mic in again.mics] == [mic.place for mic in put.mics]


def test_there_is_no_pair_without_an_input():
    full = rig(*({"distance_m": 0.1 + 0.05 * number} for number in range(1)))
    with pytest.raises(InvalidSetting, match="there is no stereo set-up"):
        put_up(full, "nobody's")
