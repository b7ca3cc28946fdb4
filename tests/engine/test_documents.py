"""Documents of every older version are read; what a later one has besides is passed over, and nothing is lost by it."""

import json
from pathlib import Path
from typing import ClassVar

import pytest

from fatsignal.core.cue.mix import CueMix
from fatsignal.core.cue.monitoring import Monitoring
from fatsignal.core.documents import Kept, Upcasts
from fatsignal.core.mics.blend import MicBlend
from fatsignal.core.mics.trial import PlacementSettings
from fatsignal.core.takes.roll_plan import RollSettings
from fatsignal.core.takes.windows import Gap, Window
from fatsignal.core.timing.click import ClickSettings
from fatsignal.engine.journal import Journal
from fatsignal.engine.orders import ORDERS
from fatsignal.rig.device import SimulatedDevice
from fatsignal.rig.frozen import FrozenRig
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import RigSetup
from tests.engine.sources import order

HERE = Path(__file__).parent / "documents"
KINDS = [
    RigSetup,
    MicBlend,
    PlacementSettings,
    CueMix,
    Monitoring,
    ClickSettings,
    RollSettings,
    SimulatedInterface,
    SimulatedDevice,
]


def test_a_journal_of_the_first_release_is_a_take_with_its_window_and_its_rig():
    journal = Journal.model_validate_json((HERE / "journal-1.json").read_text())
    assert (journal.version, journal.number, journal.ended) == (2, 3, "section")
    assert journal.take_id == journal.roll_id
    assert journal.windows == [Window(221_538, 664_615)]
    assert [channel.file for channel in journal.channels] == ["Baritone 03 - DI.wav", "Baritone 03 - mic A.wav"]
    # Its rig was a plain one: the pickup's circuit, the amp and the microphone's input are where they are today.
    assert journal.setup.pickup.inductance_h == 2.5
    (mic,) = journal.setup.mics
    assert (mic.name, mic.distance_m, mic.input.number, mic.input.gain_db) == ("mic A", 0.05, 2, 22.0)


def test_a_journal_of_the_second_release_is_what_it_was():
    journal = Journal.model_validate_json((HERE / "journal-2.json").read_text())
    assert (journal.number, journal.gaps, journal.into_bin) == (7, [Gap(1000, 700)], True)
    assert journal.sim_tone.name == "Kiln"
    assert Journal.model_validate_json(journal.model_dump_json()) == journal


def test_a_rig_sheet_of_the_first_release_is_read_with_its_rig_and_its_checks():
    frozen = FrozenRig.model_validate_json((HERE / "rig-sheet-1.json").read_text())
    assert (frozen.version, frozen.part) == (1, "Baritone")
    assert frozen.entries[0].name == "instrument"
    assert {check.kind for check in frozen.checks} == {"level", "tuning", "noise", "bleed", "latency"}
    assert RigSetup.model_validate(frozen.rig).mics[0].name == "mic A"


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_every_kept_document_says_its_version_and_passes_over_what_a_later_one_has(kind):
    document = json.loads(kind().model_dump_json())
    assert document["version"] == kind.VERSION
    later = {**document, "version": kind.VERSION + 3, "weather": "fine"}
    read = kind.model_validate(later)
    assert read.version == kind.VERSION + 3
    assert read.model_copy(update={"version": kind.VERSION}) == kind()
    without = {key: value for key, value in document.items() if key != "version"}
    assert kind.model_validate(without) == kind()


def test_versions_are_brought_up_one_after_the_other():
    class Placed(Kept):
        VERSION = 3
        UPCASTS: ClassVar[Upcasts] = {
            1: lambda old: {"metres": old["centimetres"] / 100},
            2: lambda old: {"place_m": [old["metres"], 0.0]},
        }
        place_m: tuple[float, float]

    assert Placed.model_validate({"centimetres": 12}).place_m == (0.12, 0.0)
    assert Placed.model_validate({"version": 2, "metres": 0.5}).place_m == (0.5, 0.0)
    assert Placed.model_validate({"version": 3, "place_m": [0.1, 0.2]}).version == 3


def test_a_device_that_an_engine_does_not_know_is_refused_by_its_kind(tmp_path):
    asked = json.loads(order(tmp_path).model_dump_json())
    asked["device"] = {"kind": "host", "name": "something on the desk"}
    with pytest.raises(ValueError, match="device"):
        ORDERS.validate_json(json.dumps(asked))
