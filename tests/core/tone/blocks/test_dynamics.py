"""Gate, compressor, limiter: against what their papers say, and what a player relies on."""

import numpy as np
import pytest

from fatsignal.core.tone.blocks import Compressor, Equaliser, FirstStages, Gate, Limiter, Trim
from fatsignal.core.tone.blocks.block import Operating
from fatsignal.core.tone.blocks.compressor import reduction_db
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.render import render
from fatsignal.core.tone.voltage import DiVoltage
from tests.signals import FS, noise, plucks, sine


def run(block, *signals):
    (step,) = block.steps(Operating(FS), len(signals))
    out = step.process(tuple(signals))
    return out[0] if len(signals) == 1 else out


def level_db(signal):
    """The crest of a sine of that power, dB."""
    return 20 * np.log10(np.std(signal) * np.sqrt(2))


def test_the_gate_opens_within_a_millisecond_and_closes_after_its_release():
    hum, note = 10 ** (-60 / 20) * sine(50.0, seconds=0.5), 0.3 * sine(440.0, seconds=0.3)
    played = np.concatenate([hum, note, hum])
    out = run(Gate(threshold_dbv=-50, release_ms=50), played)
    start = len(hum)
    assert np.abs(out[:start]).max() < 1e-5
    settled = slice(start + FS // 100, start + len(note) - 10)
    np.testing.assert_allclose(out[settled], played[settled], rtol=1e-3, atol=1e-6)
    assert np.abs(out[-FS // 20 :]).max() < 0.1 * np.abs(hum).max()


def test_a_gate_holds_and_does_not_chatter_between_its_two_thresholds():
    """A level between both thresholds keeps it as it is; after the hold it closes within its release."""
    loud, between, below = (10 ** (db / 20) * sine(400.0, seconds=0.3) for db in (-40, -52, -70))
    gate = Gate(threshold_dbv=-50, hysteresis_db=6, hold_ms=100, release_ms=10, depth_db=60)
    opened = run(gate, np.concatenate((loud, between)))
    np.testing.assert_allclose(level_db(opened[-FS // 10 :]), -52, atol=0.1)
    never = run(gate, np.concatenate((below, between)))
    np.testing.assert_allclose(level_db(never[-FS // 10 :]), -52 - 60, atol=0.5)
    closing = run(gate, np.concatenate((loud, below)))
    # The envelope falls by 16 dB in 18 ms, then it holds for 100.
    assert level_db(closing[len(loud) + FS // 20 :][: FS // 50]) == pytest.approx(-70, abs=0.5)
    assert level_db(closing[-FS // 20 :]) < -120


def test_a_gate_behind_a_distortion_listens_to_the_di():
    """Squashed, the ring between notes is hardly softer than the notes: only the DI tells them apart."""
    di = np.concatenate((0.4 * sine(220.0, seconds=0.5), 0.002 * sine(220.0, seconds=0.5)))
    before = [Equaliser.example(), FirstStages(stages=4, drive=9, voicing="tight"), Trim(gain_db=-20)]
    levels = {}
    for key in ("itself", "the DI"):
        gate = Gate(threshold_dbv=-26, release_ms=10, hold_ms=10, key=key)
        tone = Tone(name="x", blocks=[*before, gate, Trim()])
        chain = ToneChain(tone, rate_hz=FS, voltage=DiVoltage(1.0))
        late = chain.latency_frames
        out = render(chain, di)
        assert len(out) == len(di)
        levels[key] = level_db(out[: FS // 2]) - level_db(out[-FS // 5 :])
        # In blocks, and on two threads, as at once.
        again = ToneChain(tone, rate_hz=FS, voltage=DiVoltage(1.0))
        pieces = [again.process(di[start : start + 100]) for start in range(0, len(di), 100)]
        np.testing.assert_array_equal(np.concatenate(pieces)[late:], out[: len(di) - late])
    assert levels["the DI"] > 60
    assert levels["itself"] < 45


def test_the_key_comes_when_what_it_belongs_to_comes():
    """Through an oversampled stretch the DI waits as long as the sound: a gate that opens at once loses nothing."""
    click = np.zeros(4000)
    click[1000:1400] = 0.5
    gate = Gate(threshold_dbv=-20, attack_ms=0.05, release_ms=5, hold_ms=0, key="the DI")
    tone = Tone(name="x", blocks=[FirstStages(stages=1, drive=5), gate])
    plain = render(ToneChain(Tone(name="x", blocks=tone.blocks[:1]), rate_hz=FS), click)
    gated = render(ToneChain(tone, rate_hz=FS), click)
    opened = np.flatnonzero(np.abs(gated) > 0.5 * np.abs(plain).max())[0]
    assert abs(opened - np.flatnonzero(np.abs(plain) > 0.5 * np.abs(plain).max())[0]) <= 4


@pytest.mark.parametrize(("ratio", "knee"), [(2, 0), (4, 6), (10, 12), (20, 30)])
@pytest.mark.parametrize("detector", ["peak", "average"])
def test_the_settled_gain_is_the_papers_static_curve(ratio, knee, detector):
    """Giannoulis, Massberg, Reiss 2012, eq. 4, written anew: below, inside and above the knee."""
    threshold = -20.0
    block = Compressor(
        threshold_dbv=threshold, ratio=ratio, knee_db=knee, attack_ms=20, release_ms=400, makeup_db=0, detector=detector
    )

    def curve(x):
        if 2 * (x - threshold) < -knee:
            return x
        if knee and 2 * abs(x - threshold) <= knee:
            return x + (1 / ratio - 1) * (x - threshold + knee / 2) ** 2 / (2 * knee)
        return threshold + (x - threshold) / ratio

    for x in (-40.0, -26.0, -20.0, -15.0, -6.0, 0.0):
        out = run(block, 10 ** (x / 20) * sine(1000.0, seconds=1.5))
        # A peak detector sees a sine's crests; what it gives between them is a little more.
        assert level_db(out[FS:]) == pytest.approx(curve(x), abs=0.35 if detector == "peak" else 0.15)
        assert reduction_db(np.array([x]), threshold, ratio, knee)[0] == pytest.approx(x - curve(x), abs=1e-9)


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(5, 100), (40, 500)])
def test_the_gain_moves_as_the_detector_of_the_paper(attack_ms, release_ms):
    """Smooth decoupled (eq. 17): after a step up it has 63 % after the attack, after one down 37 % after both."""
    block = Compressor(threshold_dbv=-20, ratio=20, knee_db=0, attack_ms=attack_ms, release_ms=release_ms, makeup_db=0)
    step = np.concatenate((np.full(FS, 0.01), np.full(2 * FS, 1.0), np.full(2 * FS, 0.01)))
    gains_db = 20 * np.log10(run(block, step) / step)
    full = -20 * (1 - 1 / 20)
    rising = gains_db[FS : 3 * FS]
    assert np.flatnonzero(rising < full * (1 - np.exp(-1)))[0] == pytest.approx(attack_ms * FS / 1000, rel=0.02)
    falling = gains_db[3 * FS :]
    expected = release_ms + attack_ms
    assert np.flatnonzero(falling > full * np.exp(-1))[0] == pytest.approx(expected * FS / 1000, rel=0.12)


def test_a_share_of_the_compressor_is_added_to_what_came_in():
    di = plucks(1.0)
    whole = run(Compressor(mix=100, makeup_db=3), di)
    np.testing.assert_allclose(run(Compressor(mix=40, makeup_db=3), di), 0.4 * whole + 0.6 * di, atol=1e-12)
    np.testing.assert_allclose(run(Compressor(mix=0), di), di, atol=1e-15)


def test_two_channels_get_one_gain():
    left, right = sine(200.0), 0.1 * sine(300.0)
    for block in (Compressor(threshold_dbv=-30), Limiter(ceiling_dbv=-12), Gate(threshold_dbv=-30)):
        out = run(block, left, right)
        loud = np.abs(left) > 0.2
        np.testing.assert_allclose(out[0][loud] / left[loud] * right[loud], out[1][loud], atol=1e-9)


def test_nothing_is_louder_than_the_ceiling_and_what_is_below_passes_untouched():
    played = np.concatenate((0.1 * noise(0.5), 2.0 * noise(0.5, seed=2), 0.01 * sine(100.0, seconds=2.0)))
    out = run(Limiter(ceiling_dbv=0, release_ms=50), played)
    assert np.abs(out).max() <= 1.0 + 1e-12
    quiet = np.flatnonzero(np.abs(0.1 * noise(0.5)) < 1)
    np.testing.assert_array_equal(out[: FS // 2][quiet[:1000]], played[: FS // 2][quiet[:1000]])
    np.testing.assert_allclose(out[-FS:], played[-FS:], rtol=1e-9)


@pytest.mark.parametrize("block", [Gate(), Compressor(), Limiter()], ids=lambda block: block.kind)
def test_silence_stays_silence(block):
    assert not run(block, np.zeros(FS)).any()
