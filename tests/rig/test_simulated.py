from itertools import pairwise

import numpy as np
import pytest

from fatsignal.core.clip import Clip
from fatsignal.core.level.report import measure_level
from fatsignal.core.timing.delay import align
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.demo import song
from fatsignal.errors import RollRefused
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.multi_rig import MultiRigSource
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import DiPath, InputUse, MicOnRig, RigSetup
from fatsignal.rig.simulated import BLOCK_FRAMES, Performance, SimulatedRig
from tests.signals import FS, drained

TEMPO = TempoMap.steady(104, rate_hz=FS)


def performance(*, bars=2, seed=7):
    return Performance(song.baritone_part(), TEMPO, TEMPO.bar_frame(13), TEMPO.bar_frame(13 + bars), seed)


def roll(setup=None, *, seed=7, bars=2, block_frames=4096):
    return recorded(setup or RigSetup(), performance(seed=seed, bars=bars), block_frames)


def recorded(setup, performance, block_frames=4096):
    return drained(SimulatedRig(setup, performance, pace=RigClock(0), block_frames=block_frames))


def peak_db(signal):
    return 20 * np.log10(np.abs(signal).max())


def test_a_seed_gives_the_same_samples_whatever_the_block():
    first = roll(bars=1)
    np.testing.assert_array_equal(first, roll(bars=1))
    np.testing.assert_array_equal(first, roll(bars=1, block_frames=256))
    assert not np.array_equal(first, roll(bars=1, seed=8))


def test_channels_are_locked_and_levels_are_those_of_a_careful_session():
    report = measure_level(Clip(roll(), FS))
    assert report.channels == 3
    assert report.flat_top_runs == [0, 0, 0]
    assert all(-14 < peak < -0.3 for peak in report.peak_dbfs)


def test_microphones_hear_the_amp_as_far_apart_as_they_stand():
    """Travel time at 343.2 m/s (formula): two equal microphones 20 cm apart on the axis."""
    mics = [
        MicOnRig(name=f"mic {m}", kind="coil", distance_m=m, input=InputUse(number=2, gain_db=28)) for m in (0.10, 0.30)
    ]
    blocks = roll(RigSetup(mics=mics))
    found = align(blocks[:, 1], blocks[:, 2], rate_hz=FS)
    assert found.path_difference_m == pytest.approx(0.20, abs=0.01)
    assert found.delay_samples == pytest.approx(0.20 / speed_of_sound_m_s() * FS, abs=1.5)
    assert found.polarity == 1


def test_the_di_is_heard_before_the_amp_by_the_way_through_the_air():
    blocks = roll(
        RigSetup(mics=[MicOnRig(name="far", kind="coil", distance_m=0.5, input=InputUse(number=2, gain_db=40))])
    )
    found = align(blocks[:, 0], blocks[:, 1], rate_hz=FS)
    # Half a metre and the cone's depth; two stages and a splitter invert.
    assert found.delay_samples == pytest.approx(0.545 / speed_of_sound_m_s() * FS, abs=14)
    assert found.polarity == -1


def test_a_line_input_takes_the_highs_of_the_pickup():
    """Product fact, computed by the circuit: 10 kΩ instead of 1 MΩ loads the pickup down."""

    def highs(setup):
        di = roll(setup, bars=1)[:, 0]
        spectrum = np.abs(np.fft.rfft(di)) ** 2
        frequency_hz = np.fft.rfftfreq(len(di), 1 / FS)
        return spectrum[(frequency_hz > 2500) & (frequency_hz < 5000)].sum() / spectrum[frequency_hz < 1000].sum()

    lost_db = 10 * np.log10(highs(RigSetup()) / highs(RigSetup(di=DiPath(input=InputUse(number=1, kind="line")))))
    assert lost_db > 10


class FakeClock:
    def __init__(self):
        self.now_s, self.slept_s = 100.0, 0.0

    def now(self):
        return self.now_s

    def sleep(self, seconds):
        self.slept_s += seconds
        self.now_s += seconds


def test_blocks_come_at_the_pace_of_the_clock():
    clock = FakeClock()
    rig = SimulatedRig(RigSetup(), performance(), pace=RigClock(1.0, clock.now, clock.sleep))
    for _ in range(100):
        rig.read_block()
    assert clock.slept_s == pytest.approx(100 * BLOCK_FRAMES / FS, rel=1e-9)


def test_what_a_machine_too_slow_did_not_fetch_is_lost_and_the_clock_tells():
    clock = FakeClock()
    rig = SimulatedRig(RigSetup(mics=[]), performance(), pace=RigClock(1.0, clock.now, clock.sleep))
    whole = roll(RigSetup(mics=[]))
    rig.read_block()
    clock.now_s += 2.0
    block = rig.read_block()
    # Two seconds passed; the block that was due then is the last that the device still has.
    assert block.at_frame == BLOCK_FRAMES + 2 * FS - BLOCK_FRAMES
    np.testing.assert_array_equal(block.samples, whole[block.at_frame : block.at_frame + BLOCK_FRAMES])
    assert rig.read_block().at_frame == block.at_frame + BLOCK_FRAMES


def test_a_device_that_delivers_nothing_for_a_while_goes_on_where_its_clock_is():
    clock = FakeClock()
    interface = SimulatedInterface(gap_after_s=0.5, gap_s=2.0)
    pace = RigClock(1.0, clock.now, clock.sleep)
    rig = SimulatedRig(RigSetup(mics=[]), performance(), interface=interface, pace=pace)
    places = [rig.read_block().at_frame for _ in range(200)]
    jumps = [after - before for before, after in pairwise(places) if after - before != BLOCK_FRAMES]
    assert jumps == [BLOCK_FRAMES + 2 * FS]
    assert clock.slept_s == pytest.approx((200 * BLOCK_FRAMES + 2 * FS) / FS, rel=1e-9)


def test_a_device_that_vanishes_says_so():
    interface = SimulatedInterface(vanishes_after_s=0.5)
    rig = SimulatedRig(RigSetup(mics=[]), performance(), interface=interface, pace=RigClock(0))
    with pytest.raises(RollRefused, match=r"gone after 0\.5 s: look at its cable"):
        drained(rig)


def passes(count, *, bars=1):
    """So many bars of the chorus, round and round, as the player plays them."""
    for index in range(count):
        window = (TEMPO.bar_frame(13), TEMPO.bar_frame(13 + bars))
        yield Performance.within(
            window, song.baritone_part(), TEMPO, from_frame=window[0], to_frame=window[1], seed=5 + index
        )


def test_a_loop_is_played_round_and_round_never_the_same_and_rings_over_the_seam():
    bar = TEMPO.bar_frame(14) - TEMPO.bar_frame(13)
    setup = RigSetup(mics=[])
    rig = SimulatedRig(setup, passes(4), pace=RigClock(0))
    di = np.concatenate([rig.read_block().samples[:, 0] for _ in range(4 * bar // BLOCK_FRAMES)])
    alone = recorded(setup, next(passes(1)))[:, 0]
    # Until the player comes back to the beginning, early at most, it is the same pass.
    np.testing.assert_array_equal(di[: bar - FS // 10], alone[: bar - FS // 10])
    one, other = di[bar : 2 * bar], di[2 * bar : 3 * bar]
    assert peak_db(one) > -20
    assert not np.array_equal(one, other)
    # No click where the passes meet: no step larger than within them.
    steps = np.abs(np.diff(di))
    around = steps[bar - 64 : bar + 1].max()
    assert around < steps[: 2 * bar].max()
    blocks = SimulatedRig(setup, passes(4), pace=RigClock(0), block_frames=4096)
    large = np.concatenate([blocks.read_block().samples[:, 0] for _ in range(4 * bar // 4096)])
    np.testing.assert_array_equal(large, di[: len(large)])


def test_players_together_are_one_stream_of_all_their_channels():
    interface = SimulatedInterface()

    def rigs():
        return [SimulatedRig(setup, performance(bars=1), pace=RigClock(0)) for setup in (RigSetup(), RigSetup(mics=[]))]

    band = MultiRigSource(rigs(), interface=interface, pace=RigClock(0), block_frames=100)
    assert [channel.name for channel in band.channels] == ["DI", "mic A", "mic B", "DI"]
    together = np.concatenate([band.read_block().samples for _ in range(200)])
    apart = np.concatenate([rig.render(20_000) for rig in rigs()], axis=1)
    np.testing.assert_array_equal(together, apart)


def test_a_player_waits_for_the_count_in_and_lets_the_end_ring():
    window = (TEMPO.bar_frame(13), TEMPO.bar_frame(14))
    end = TEMPO.bar_frame(14) + FS
    one_bar = Performance.within(
        window, song.baritone_part(), TEMPO, from_frame=TEMPO.bar_frame(12), to_frame=end, seed=5
    )
    di = recorded(RigSetup(mics=[]), one_bar)[:, 0]
    bar = window[0] - TEMPO.bar_frame(12)
    assert peak_db(di[: bar - FS // 10]) < -60
    assert peak_db(di[bar : 2 * bar]) > -20
    # What rings on is never as loud as a stroke.
    assert peak_db(di[-FS // 2 :]) < peak_db(di[bar : 2 * bar]) - 6
