"""The power stage against ngspice, and what its parts are there for."""

from dataclasses import replace

import numpy as np
import pytest

from fatsignal.core.amp.output_transformer import OutputTransformer, SpeakerLoad, output_circuit
from fatsignal.core.amp.power_amp import PowerAmp, PowerStage
from fatsignal.core.amp.power_valve import BEAM
from fatsignal.core.amp.splitter import Splitter, splitter_circuit
from tests.reference import spice, spice_circuits
from tests.signals import sine

RATE = 192_000
SPEAKER = SpeakerLoad(resonance_hz=90.0, coil_corner_hz=1_200.0)
BEAMS = PowerStage(valve=BEAM, supply_v=450.0, bias_v=-50.0, transformer=OutputTransformer(4_200.0))
CLASS_A = PowerStage(
    supply_v=320.0, cathode_ohm=130.0, transformer=OutputTransformer(6_600.0), splitter=Splitter(feedback_ohm=None)
)
SINGLE = PowerStage(
    supply_v=300.0, cathode_ohm=250.0, single_ended=True,
    transformer=OutputTransformer(4_000.0, primary_henry=12.0, saturation_vs=4.0),
)  # fmt: skip
KNOBS = {"level": 0.5, "presence": 0.6, "depth": 0.4}


def gain_db(stage, frequency_hz, **knobs):
    """Of a soft sine, after it has settled."""
    amp = PowerAmp(stage, RATE, **{**KNOBS, **knobs})
    soft = sine(frequency_hz, peak=0.2, seconds=0.5, rate_hz=RATE)
    out = amp.process(soft)[RATE // 4 :]
    turn = np.exp(-2j * np.pi * frequency_hz * np.arange(len(out)) / RATE)
    return 20 * np.log10(2 * abs(np.mean(out * turn)) / 0.2)


@pytest.mark.parametrize(
    ("stage", "frequency_hz", "peak_v"),
    [
        (PowerStage(), 220.0, 10.0), (PowerStage(speaker=SPEAKER), 220.0, 60.0),
        (PowerStage(speaker=SPEAKER), 45.0, 30.0),
        (replace(BEAMS, splitter=Splitter(feedback_ohm=None)), 220.0, 60.0),
    ],
)  # fmt: skip
def test_it_agrees_with_a_circuit_simulator(tmp_path, stage, frequency_hz, peak_v):
    """Splitter, valves, iron that fills, loudspeaker, sagging supply and feedback, all at once, in the time domain."""
    splitter = splitter_circuit(stage.splitter, **KNOBS)
    output = output_circuit(stage.transformer, stage.speaker)
    to_tap = 2 / np.sqrt(stage.transformer.primary_ohm / 8)
    netlist = spice_circuits.power(
        stage, splitter, output, to_tap, frequency_hz=frequency_hz, peak_v=peak_v, seconds=0.05
    )
    truth = spice.run(netlist, analysis="tran", vector="v(o_speaker)", folder=tmp_path)
    found = PowerAmp(stage, RATE, **KNOBS).process(sine(frequency_hz, peak=peak_v, seconds=0.05, rate_hz=RATE))
    expected = np.interp(np.arange(len(found)) / RATE, truth[:, 0], truth[:, 1]) / stage.supply_v
    assert np.sum((found - expected) ** 2) / np.sum(expected**2) < 3e-4


@pytest.mark.parametrize("stage", [PowerStage(), BEAMS, CLASS_A, SINGLE])
def test_it_rests_clips_at_its_supply_and_idles_as_such_stages_do(stage):
    amp = PowerAmp(stage, RATE, **KNOBS)
    assert np.abs(amp.process(np.zeros(RATE // 10))).max() < 2e-6
    loud = PowerAmp(stage, RATE, level=1.0).process(sine(220.0, peak=90.0, seconds=0.3, rate_hz=RATE))
    # Valves that switch off leave a crest behind in what leaks.
    assert 0.5 < np.abs(loud[RATE // 10 :]).max() < 1.35


@pytest.mark.parametrize(("stage", "least_a", "most_a"), [(PowerStage(), 0.02, 0.08), (CLASS_A, 0.05, 0.1)])
def test_the_idle_current_is_what_such_valves_draw(stage, least_a, most_a):
    """Some tens of milliamperes a valve, more in class A (common practice, no source): told by the supply's fall."""
    stiff, soft = (PowerAmp(replace(stage, supply_ohm=ohm), RATE, **KNOBS).supply_v for ohm in (10.0, 60.0))
    assert least_a < (stiff - soft) / 50.0 / 2 < most_a


def test_presence_and_depth_undo_feedback_where_they_should():
    """Feedback holds the stage down by some decibels; presence gives the highs back, depth the lows (Black 1934)."""
    stage = PowerStage()
    open_loop = replace(stage, splitter=Splitter(feedback_ohm=None))
    held_db = gain_db(open_loop, 700.0) - gain_db(stage, 700.0, presence=0.0, depth=0.0)
    assert 4 < held_db < 14
    presence = [gain_db(stage, each, presence=1.0) - gain_db(stage, each, presence=0.0) for each in (80.0, 700.0, 5e3)]
    depth = [gain_db(stage, each, depth=1.0) - gain_db(stage, each, depth=0.0) for each in (80.0, 700.0, 5e3)]
    assert presence[2] > 2.5
    assert abs(presence[0]) < 1.0
    assert depth[0] > 1.5
    assert abs(depth[2]) < 0.8


def test_a_loudspeaker_is_no_resistor():
    """Valves feed current: at the resonance and where the coil's impedance rises there is more voltage than between."""
    between = gain_db(PowerStage(speaker=SPEAKER), 400.0)
    assert gain_db(PowerStage(speaker=SPEAKER), 90.0) > between + 3
    assert gain_db(PowerStage(speaker=SPEAKER), 5_000.0) > between + 2
    without = gain_db(replace(PowerStage(speaker=SPEAKER), splitter=Splitter(feedback_ohm=None)), 90.0)
    held = gain_db(PowerStage(speaker=SPEAKER), 90.0)
    assert without - gain_db(replace(PowerStage(speaker=SPEAKER), splitter=Splitter(feedback_ohm=None)), 400.0) > (
        held - between
    )


def test_iron_fills_at_low_frequencies_only():
    """The flux is the voltage over the frequency: at 20 Hz one voltage fills it fifteen times as much as at 300."""

    def third_db(frequency_hz, saturation_vs):
        iron = replace(BEAMS.transformer, saturation_vs=saturation_vs)
        amp = PowerAmp(replace(BEAMS, transformer=iron, splitter=Splitter(feedback_ohm=None)), RATE, level=0.5)
        out = amp.process(sine(frequency_hz, peak=14.0, seconds=0.6, rate_hz=RATE))[-RATE // 5 :]
        at = np.arange(len(out)) / RATE
        first, third = (abs(np.mean(out * np.exp(-2j * np.pi * k * frequency_hz * at))) for k in (1, 3))
        return 20 * np.log10(third / first)

    small, endless = 0.6, 100.0
    assert third_db(300.0, small) == pytest.approx(third_db(300.0, endless), abs=0.1)
    assert third_db(20.0, small) > third_db(20.0, endless) + 3


def test_a_softer_supply_falls_further():
    loud = sine(110.0, peak=90.0, seconds=0.2, rate_hz=RATE)
    crests = []
    for ohm in (20.0, 300.0):
        out = np.abs(PowerAmp(PowerStage(supply_ohm=ohm, reservoir_farad=60e-6), RATE, level=0.7).process(loud))
        crests.append(out[-RATE // 50 :].max() / out[: RATE // 50].max())
    assert crests[1] < crests[0] - 0.03


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000, 192_000, 384_000])
@pytest.mark.parametrize("speaker", [None, SPEAKER])
def test_feedback_is_steady_at_every_rate(rate_hz, speaker):
    for stage in (PowerStage(speaker=speaker), replace(BEAMS, speaker=speaker)):
        for presence in (0.0, 1.0):
            amp = PowerAmp(stage, rate_hz, level=1.0, presence=presence, depth=0.3)
            amp.process(np.concatenate(([60.0], np.zeros(rate_hz // 2))))
            assert np.abs(amp.process(np.zeros(rate_hz // 10))).max() < 1e-4


@pytest.mark.parametrize("stage", [PowerStage(speaker=SPEAKER), SINGLE])
@pytest.mark.parametrize("cut", [1, 77, 4096])
def test_blocks_of_any_size_give_the_same_samples(stage, cut):
    signal = sine(220.0, peak=30.0, seconds=0.05, rate_hz=RATE)
    whole = PowerAmp(stage, RATE, **KNOBS).process(signal)
    amp = PowerAmp(stage, RATE, **KNOBS)
    pieces = [amp.process(signal[start : start + cut]) for start in range(0, len(signal), cut)]
    np.testing.assert_array_equal(np.concatenate(pieces), whole)
