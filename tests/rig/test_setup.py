"""Rigs as documents: what older releases wrote is read, and what stands nowhere is refused with a sentence."""

import json
from pathlib import Path

import pytest
from pydantic import ValidationError

from fatsignal.core.mics.place import MicPlace
from fatsignal.rig.setup import MicOnRig, RigSetup

KEPT = Path(__file__).parents[1] / "engine" / "documents"


def test_a_rig_whose_mics_lay_in_a_plane_is_read_with_the_same_places():
    """The rig of a sheet that the first releases wrote, with a third microphone left of the centre."""
    document = json.loads((KEPT / "rig-sheet-1.json").read_text())["rig"]
    third = {"name": "mic C", "kind": "condenser", "distance_m": 0.3, "off_centre_m": -0.1, "angle_deg": 20.0}
    rig = RigSetup.model_validate({**document, "version": 1, "mics": [*document["mics"], third]})
    assert rig.version == 2
    assert [mic.place for mic in rig.mics] == [
        MicPlace(0.05), MicPlace(0.081, 0.048, 0.0, -12.0), MicPlace(0.3, -0.1, 0.0, 20.0)
    ]  # fmt: skip
    assert (rig.room, rig.mics[0].pattern, rig.mics[0].absorber) == ("dry", None, False)
    assert RigSetup.model_validate(rig.model_dump(mode="json")) == rig


@pytest.mark.parametrize(
    ("changes", "sentence"),
    [
        ({"distance_m": -0.02}, "mic A would be inside the speaker, at -2.0 cm: 0.5 cm is the nearest"),
        ({"distance_m": 0.0}, "mic A would be on the grille, at 0.0 cm: 0.5 cm is the nearest"),
        ({"distance_m": 20}, "mic A would be 20.0 m away: 5 m is the farthest"),
        ({"height_m": -7}, "mic A would be -7.0 m away"),
        ({"distance_m": float("nan")}, "holds what is no number: type a length like 5 cm"),
        ({"off_centre_m": float("inf")}, "holds what is no number"),
        ({"kind": "telephone"}, "there is no microphone telephone: choose coil, ribbon"),
    ],
)
def test_a_mic_that_stands_nowhere_is_refused_with_a_sentence(changes, sentence):
    with pytest.raises(ValidationError, match=sentence):
        MicOnRig(**{"name": "mic A", "kind": "coil", "distance_m": 0.05, **changes})


def test_two_mics_may_stand_at_one_point():
    """As a coincident pair does."""
    pair = [
        MicOnRig(name=name, kind="condenser", distance_m=0.3, turned_deg=deg) for name, deg in (("l", -45), ("r", 45))
    ]
    assert RigSetup(mics=pair).mics[0].place.distance_to_m(RigSetup(mics=pair).mics[1].place) == 0.0


def test_a_room_that_is_none_is_said():
    with pytest.raises(ValidationError, match="there is no room cellar: choose dry, treated"):
        RigSetup(room="cellar")


@pytest.mark.parametrize(
    "broken",
    [
        {"version": 0, "tuning": []},
        {"version": 0, "instrument": "bass", "mics": [3]},
        {"version": 1, "mics": [[]]},
        {"version": 1, "mics": 7},
        {"mics": 7},
    ],
)
def test_what_says_it_is_an_older_rig_and_is_none_is_refused_as_any_other(broken):
    """Found by two hundred random requests: it was a fault of the server."""
    with pytest.raises(ValidationError):
        RigSetup.model_validate(broken)
