"""Both cords of a rig: figures against hand calculation and against what the simulated rig really gives."""

import numpy as np
import pytest

from fatsignal.core.clip import Clip
from fatsignal.core.instrument.inputs import BOXES, INPUTS, dbu_from_volts, load_ohm, thermal_noise_dbu
from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.core.instrument.pickup import Load, Pickup, piezo_corner_hz, response_db
from fatsignal.core.level.peak import rms_dbfs
from fatsignal.rig.check_scenarios import check_tempo, made_up_notes, scenario
from fatsignal.rig.delayed_source import DelayedSource
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.noise import di_noise_dbfs, mic_noise_dbfs
from fatsignal.rig.path import walk
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import DiPath, InputUse, MicOnRig, RigSetup, check_inputs, standard_rig
from fatsignal.rig.sheet import differences, sheet_entries
from fatsignal.rig.simulated import SimulatedRig
from fatsignal.rig.system_audio import ComputerPlayback
from tests.reference import spice
from tests.signals import FS, drained


def heard(setup, happening, *, interface=None, seconds=2.0, seed=5):
    played = scenario(happening, setup, rate_hz=FS, seconds=seconds, seed=seed)
    rig = SimulatedRig(setup, played, interface=interface, pace=RigClock(0), block_frames=4096)
    return drained(rig)


def test_thermal_noise_and_decibels_by_hand():
    """4kTRB: 150 Ω at 20 °C over 20 kHz give 0.2203 µV, −130.9 dBu; 0 dBu is 0.7746 V (AES/EBU usage)."""
    assert thermal_noise_dbu(150) == pytest.approx(-130.9, abs=0.05)
    assert dbu_from_volts(0.7746) == pytest.approx(0.0, abs=1e-3)


def test_a_passive_box_shows_its_load_by_the_square_of_its_ratio():
    """A transformer of 12 : 1 before 3 kΩ: 144·3 kΩ = 432 kΩ."""
    assert BOXES["passive"].ratio == 12
    assert load_ohm("passive", "microphone") == 432_000
    assert load_ohm("none", "line") == INPUTS["line"].ohm == 10_000
    assert load_ohm("active", "microphone") == 10e6


def test_the_load_is_box_input_and_amp_side_by_side_with_both_cables():
    load = RigSetup().load
    # 1 MΩ beside the amp's 1 MΩ; 5 m and 3 m of 100 pF a metre.
    assert load.input_ohm == pytest.approx(500e3)
    assert load.cable_farad == pytest.approx(800e-12)


def test_a_piezo_under_its_load_agrees_with_a_circuit_simulator(tmp_path):
    """ngspice, small-signal: 500 pF into 1 MΩ with 500 pF of cable; corner 1/(2π·R·C)."""
    deck = """piezo
Vin a 0 AC 1
C1 a b 500p
C2 b 0 500p
R1 b 0 1meg
.ac dec 20 10 20k
.end
"""
    truth = spice.run(deck, analysis="ac", vector="vdb(b)", folder=tmp_path)
    piezo, load = Pickup(0, 0, 500e-12, "piezo"), Load(500e-12, 1e6)
    np.testing.assert_allclose(response_db(piezo, load, truth[:, 0]), truth[:, 1], atol=0.01)
    assert piezo_corner_hz(piezo, load) == pytest.approx(159.15, abs=0.01)


@pytest.mark.parametrize("instrument", INSTRUMENTS)
def test_computed_levels_are_those_that_the_rig_gives(instrument):
    setup = standard_rig(instrument)
    path = walk(setup, SimulatedInterface(), rate_hz=FS)
    played = heard(setup, "loudest")
    for index, figures in enumerate(path.channels):
        peak = 20 * np.log10(np.abs(played[:, index]).max())
        # Another pass of the same loudest strokes.
        assert figures.peak_dbfs == pytest.approx(peak, abs=2.5)
    assert [figures.name for figures in path.channels] == [name for name, _ in setup.inputs]


@pytest.mark.parametrize(
    "setup",
    [
        RigSetup(),
        RigSetup(di=DiPath(box="passive", input=InputUse(number=1, kind="microphone", gain_db=30))),
        RigSetup(di=DiPath(box="active", input=InputUse(number=1, kind="microphone", gain_db=20, phantom=True))),
        standard_rig("acoustic guitar"),
    ],
    ids=["input", "passive box", "active box", "acoustic"],
)
def test_computed_noise_is_what_is_left_in_a_silent_room(setup):
    silent = SimulatedInterface(hum_dbu=-140, room_noise_db_spl=0)
    left = heard(setup, "hands off", interface=silent)
    assert rms_dbfs(left[:, 0]) == pytest.approx(di_noise_dbfs(setup), abs=1.5)
    for index, mic in enumerate(setup.mics, start=1):
        assert rms_dbfs(left[:, index]) == pytest.approx(mic_noise_dbfs(mic), abs=1.5)


def test_a_gain_turns_level_and_noise_by_as_much():
    quiet = RigSetup(mics=[MicOnRig(name="m", kind="coil", distance_m=0.1, input=InputUse(number=2, gain_db=20))])
    loud = RigSetup(mics=[MicOnRig(name="m", kind="coil", distance_m=0.1, input=InputUse(number=2, gain_db=30))])
    first, second = heard(quiet, "loudest"), heard(loud, "loudest")
    assert np.abs(second[:, 1]).max() / np.abs(first[:, 1]).max() == pytest.approx(10**0.5, rel=0.01)
    # Far up, the converter's own noise no longer counts.
    far_up = [
        MicOnRig(name="m", kind="coil", distance_m=0.1, input=InputUse(number=2, gain_db=gain)) for gain in (45, 55)
    ]
    assert mic_noise_dbfs(far_up[1]) - mic_noise_dbfs(far_up[0]) == pytest.approx(10, abs=0.3)


def test_polarity_pad_and_a_broken_cable():
    def di(**use):
        return RigSetup(di=DiPath(input=InputUse(number=1, kind="instrument", gain_db=3, **use)), mics=[])

    plain = heard(di(), "loudest")[:, 0]
    assert np.corrcoef(plain, heard(di(flipped=True), "loudest")[:, 0])[0, 1] < -0.999
    padded = heard(di(pad=True), "loudest")[:, 0]
    assert 20 * np.log10(np.abs(padded).max() / np.abs(plain).max()) == pytest.approx(-20, abs=0.1)
    broken = heard(di(), "loudest", interface=SimulatedInterface(broken_inputs=[1]))[:, 0]
    assert np.abs(broken).max() < 1e-3


def test_the_ears_hear_the_room_or_the_round_trip():
    """1.5 m at 343.2 m/s are 4.4 ms; phones hear both buffers and the converters."""
    both = RigSetup(listens="both")
    room, phones = walk(both, SimulatedInterface(buffer_frames=1024), rate_hz=FS).ears
    assert room.delay_ms == pytest.approx(4.37, abs=0.01)
    assert phones.delay_ms == pytest.approx(1000 * (2048 + 63.4) / FS)
    assert (room.feel, phones.feel) == ("comfortable", "unplayable")


def test_inputs_that_clash_or_are_not_there_are_named():
    one, two = (
        RigSetup(),
        RigSetup(di=None, mics=[MicOnRig(name="m", kind="coil", distance_m=0.1, input=InputUse(number=3))]),
    )
    assert check_inputs([("A", one)], inputs=8) == []
    assert check_inputs([("A", one), ("B", two)], inputs=8) == [
        "m of B and mic B of A both take input 3: choose another for one of them"
    ]
    assert "the interface has 2" in check_inputs([("A", one)], inputs=2)[0]


def test_late_loses_nothing():
    setup = RigSetup(mics=[])
    plain = heard(setup, "loudest", seconds=0.5)
    happening = scenario("loudest", setup, rate_hz=FS, seconds=0.5, seed=5)
    late = drained(DelayedSource(SimulatedRig(setup, happening, pace=RigClock(0), block_frames=256), frames=575))
    assert not late[:575].any()
    np.testing.assert_array_equal(late[575:], plain)


def test_the_computers_playback_is_on_the_beat():
    tempo = check_tempo(FS)
    played = drained(
        ComputerPlayback(
            tempo, from_frame=0, to_frame=tempo.bar_frame(3), interface=SimulatedInterface(), pace=RigClock(0)
        )
    )
    clip = Clip(played, FS)
    assert (clip.channels, clip.frames) == (2, tempo.bar_frame(3))
    assert np.abs(played).max() < 1
    for _, _, frame in tempo.beats(1, 3):
        before = played[max(0, frame - 200) : frame]
        assert np.abs(played[frame : frame + 400]).max() > 2 * (np.abs(before).max() if len(before) else 0)


def test_a_part_for_which_nothing_is_written_can_be_played_on_its_strings():
    for instrument in INSTRUMENTS:
        setup = standard_rig(instrument)
        notes = made_up_notes(setup, check_tempo(FS), from_bar=1, to_bar=5)
        assert {note.string for note in notes} == set(range(len(setup.open_notes)))
        assert min(note.beat for note in notes) == 0
        assert max(note.beat for note in notes) < 16


def test_sheets_show_what_is_different_and_nothing_else():
    def lines(setup, buffer=256):
        return sheet_entries(setup, SimulatedInterface(buffer_frames=buffer), rate_hz=FS, reference_pitch_hz=440)

    one = RigSetup()
    assert differences(lines(one), lines(one)) == []
    other = RigSetup(mics=one.mics[:1], tuning=(33, 38, 43, 48, 52, 57))
    found = {(line.group, line.name): (line.one, line.other) for line in differences(lines(one), lines(other, 64))}
    assert found["Instrument", "tuning"] == ("B1 E2 A2 D3 F♯3 B3", "A1 D2 G2 C3 E3 A3")
    assert found["Mic B", "kind"] == ("moving coil", None)
    assert found["Interface", "buffer"] == ("256 samples", "64 samples")
    assert {group for group, _ in found} == {"Instrument", "Mic B", "Interface"}
