"""What a player hears: the own playing through a tone, what plays beside it, the click, each listener's mix."""

import contextlib
import socket
import time
from uuid import uuid4

import numpy as np
import pytest
import soundfile

from fatsignal.core.cue.mix import CueMix, Strip
from fatsignal.core.material.channels import Channel, Wanted
from fatsignal.core.material.material import Source
from fatsignal.core.takes.windows import Gap, Window
from fatsignal.core.timing.click import render_click
from fatsignal.core.timing.delay import align
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.engine.ears import HEADER, Ear, Ears
from fatsignal.engine.live_chains import LiveChains
from fatsignal.engine.monitor import Monitor
from fatsignal.engine.orders import Cue, PartMonitor, PlayTrack
from fatsignal.engine.playback import Playback
from fatsignal.engine.recorder import Recorder
from fatsignal.files.material_files import SourceFile
from fatsignal.rig.setup import RigSetup
from fatsignal.tones import shipped_tones
from tests.core.material.laid import of_stretches
from tests.engine.sources import TEMPO, Tones, journal, order, part, plan, take_file
from tests.signals import FS, drained, sine

DI_ONLY = RigSetup(mics=[])
START = TEMPO.bar_frame(1)
MIDDLE = np.sqrt(0.5)


def tone(name="Kiln") -> Tone:
    return next(each for each in shipped_tones() if each.name == name)


class Listener:
    """Ears without an engine: keeps what each cue is sent."""

    def __init__(self, *cues):
        self.listened, self.sent = list(cues), {cue: [] for cue in cues}

    def send(self, cue_id, at_frame, block):
        self.sent[cue_id].append((at_frame, block.copy()))

    def sound(self, cue_id):
        return np.concatenate([block for _, block in self.sent[cue_id]])


def di_source(frames, block_frames=512, **options):
    source = Tones(frames, block_frames=block_frames, **options)
    source.channels = source.channels[:1]
    source.audio = source.audio[:, :1]
    return source


def monitored(below, **choices):
    return part(below, setup=DI_ONLY, monitor=PartMonitor(**choices))


@pytest.mark.parametrize("block_frames", [1000, 128, 37])
def test_the_print_lies_on_the_di_to_the_sample_and_is_what_rendering_gives(tmp_path, block_frames):
    kiln = tone()
    rolled = monitored(tmp_path, hear="tone", tone=kiln, print_sim=True)
    source = di_source(FS, block_frames)
    printed = drained(LiveChains(source, [rolled]))
    dry, wet = printed[:, 0], printed[:, 1]
    np.testing.assert_array_equal(dry, source.audio[:, 0])
    chain = ToneChain(kiln, rate_hz=FS, voltage=DI_ONLY.di_voltage)
    late = chain.latency_frames
    rendered = chain.process(np.concatenate((source.audio[:, 0], np.zeros(late))))[late:]
    np.testing.assert_allclose(wet, rendered, atol=1e-12)


def test_parts_with_tones_of_different_delay_stay_locked(tmp_path):
    slow, fast = tone().model_copy(update={"oversample": 8}), tone().model_copy(update={"oversample": 1})
    late = [ToneChain(each, rate_hz=FS).latency_frames for each in (slow, fast)]
    assert late[0] != late[1]
    source = Tones(FS)
    parts = [monitored(tmp_path, tone=each, print_sim=True) for each in (slow, fast)]
    source.channels = (source.channels[0], source.channels[0])
    chains = LiveChains(source, parts)
    assert [channel.kind for channel in chains.channels] == ["di", "sim", "di", "sim"]
    printed = drained(chains)
    np.testing.assert_array_equal(printed[:, [0, 2]], source.audio)
    for column, each, frames in ((1, slow, late[0]), (3, fast, late[1])):
        chain = ToneChain(each, rate_hz=FS, voltage=DI_ONLY.di_voltage)
        rendered = chain.process(np.concatenate((source.audio[:, column // 2], np.zeros(frames))))[frames:]
        # The very last moment hears the silence that follows for as long as the slowest tone needs.
        np.testing.assert_allclose(printed[: -max(late), column], rendered[: -max(late)], atol=1e-12)


def test_a_roll_with_a_printed_tone_keeps_the_clean_di_beside_it(tmp_path):
    rolled = monitored(tmp_path, tone=tone(), print_sim=True)
    asked = order(tmp_path, plan=plan(play_bar=1, to_bar=2), parts=[rolled])
    source = di_source(3 * FS)
    Recorder(asked, LiveChains(source, asked.parts), lambda _: None, free=lambda _: 10**12).run()
    di, _ = soundfile.read(take_file(asked, "DI"))
    sim, _ = soundfile.read(take_file(asked, "sim"))
    np.testing.assert_allclose(di, source.audio[: 2 * FS, 0], atol=2.0**-23)
    assert len(sim) == len(di)
    assert np.abs(sim).max() > 0.01
    assert [channel.kind for channel in journal(asked).channels] == ["di", "sim"]
    assert (journal(asked).sim_tone.name, journal(asked).sim_tone.fingerprint) == ("Kiln", tone().fingerprint())


def test_what_was_lost_is_a_gap_in_the_print_too(tmp_path):
    rolled = monitored(tmp_path, tone=tone(), print_sim=True)
    asked = order(tmp_path, plan=plan(play_bar=1, to_bar=2), parts=[rolled])
    source = di_source(2 * FS, lost={20: 700})
    Recorder(asked, LiveChains(source, asked.parts), lambda _: None, free=lambda _: 10**12).run()
    di, _ = soundfile.read(take_file(asked, "DI"))
    sim, _ = soundfile.read(take_file(asked, "sim"))
    expected = source.audio[:, 0].copy()
    expected[20 * 512 : 20 * 512 + 700] = 0
    np.testing.assert_allclose(di, expected, atol=2.0**-23)
    assert not sim[20 * 512 : 20 * 512 + 700].any()
    assert journal(asked).gaps == [Gap(20 * 512, 700)]


def heard(asked, source, *cues, **options):
    """What the listeners of some cues hear while an order is carried out by hand, and the ears that kept it."""
    ears = Listener(*(cue.cue_id for cue in cues))
    playback = Playback(asked)
    monitor = Monitor(asked.parts, cues, ears, rate_hz=FS, plan=asked.plan, playback=playback, hurried=True, **options)
    monitor.windows = asked.plan.windows
    try:
        drained(LiveChains(source, asked.parts, monitor.hear))
    finally:
        playback.close()
    return ears


def cue(**mix):
    return Cue(cue_id=uuid4(), mix=CueMix(**{"click": Strip(muted=True), "limit_dbfs": 0, **mix}))


def test_the_tone_that_is_heard_is_late_by_its_chain_and_by_nothing_else(tmp_path):
    """The budget's figure for a tone against the delay that is measured between what went in and what came out."""
    clean = Tone.model_validate({"name": "x", "blocks": [{"kind": "power", "level": 0.5}]})
    chain = ToneChain(clean, rate_hz=FS, voltage=DI_ONLY.di_voltage)
    noise = 0.05 * np.random.default_rng(4).standard_normal(2 * FS)
    source = di_source(2 * FS, 128)
    source.audio = noise[:, None]
    asked = order(tmp_path, parts=[monitored(tmp_path, hear="tone", tone=clean)])
    listener = cue(me=Strip(pan=-1))
    out = heard(asked, source, listener).sound(listener.cue_id)[:, 0]
    found = align(noise, out, rate_hz=FS)
    # Of noise the highs, which the half-bands hold back a little longer, have their share in it.
    assert found.delay_samples == pytest.approx(chain.latency_frames, abs=1.5)
    np.testing.assert_allclose(out, chain.process(noise), atol=1e-9)


def test_straight_from_the_interface_nothing_is_added(tmp_path):
    source = di_source(FS, 128)
    asked = order(tmp_path, parts=[monitored(tmp_path, hear="interface")])
    listener = cue(me=Strip(gain_db=6.0206, pan=1))
    out = heard(asked, source, listener).sound(listener.cue_id)
    np.testing.assert_allclose(out[:, 1], np.clip(2 * source.audio[:, 0], -1, 1), atol=1e-5)
    assert not out[:, 0].any()


@pytest.mark.parametrize("choices", [{"hear": "nothing"}, {"hear": "interface", "when": "never"}])
def test_not_at_all_and_never_are_silent(tmp_path, choices):
    asked = order(tmp_path, parts=[monitored(tmp_path, **choices)])
    listener = cue()
    assert not heard(asked, di_source(FS), listener).sound(listener.cue_id).any()


def track(folder, name, samples, begins, *, spans=None, **options):
    path = folder / f"{name}.wav"
    soundfile.write(path, samples, FS, subtype="FLOAT")
    return track_of(path, begins, len(samples), spans, samples.ndim == 2, name, **options)


def track_of(path, begins, frames, spans=None, stereo=False, name="gone", **options):
    """What a file plays in some spans of the song, with the short fades of takes that were punched in."""
    channels = tuple(Channel("track", side) for side in (("left", "right") if stereo else ("track",)))
    source = Source(id=uuid4(), fingerprint=name, frames=frames, channels=channels)
    spans = spans or [Window(begins, begins + frames)]
    material = of_stretches(uuid4(), [(source.id, span) for span in spans], {source.id: (source, begins)}, rate_hz=FS)
    files = tuple(SourceFile(source.id, channel, path, column) for column, channel in enumerate(channels))
    wanted = [Wanted.exactly(channel) for channel in channels]
    return PlayTrack(key=name, material=material, files=files, wanted=wanted, **options)


def test_what_plays_beside_lies_where_it_belongs_in_the_song(tmp_path):
    """A bass that begins on bar 2, from a file that begins a bar earlier; the count-in before bar 2 is without it."""
    noise = np.random.default_rng(1).uniform(-0.1, 0.1, 6 * FS)
    bass = track(tmp_path, "bass", noise, START)
    asked = order(tmp_path, plan=plan(to_bar=3), parts=[monitored(tmp_path)], tracks=[bass])
    listener = cue(strips={"bass": Strip(pan=-1)})
    out = heard(asked, di_source(4 * FS), listener).sound(listener.cue_id)[:, 0]
    bar = 2 * FS
    assert not out[: bar - FS // 10].any()
    np.testing.assert_allclose(out[bar + 300 : 2 * bar], noise[bar + 300 : 2 * bar], atol=1e-7)


def test_in_a_loop_what_plays_beside_goes_round_with_it(tmp_path):
    noise = np.random.default_rng(2).uniform(-0.1, 0.1, (8 * FS, 2))
    loop = track(tmp_path, "loop", noise, START)
    start, end = TEMPO.bar_frame(2), TEMPO.bar_frame(3)
    looped = plan(
        way="loop", from_frame=start, play_from_frame=start, to_frame=end, again_from_frame=start, handle_frames=FS // 8
    )
    asked = order(tmp_path, plan=looped, parts=[monitored(tmp_path)], tracks=[loop])
    listener = cue()
    out = heard(asked, di_source(6 * FS), listener).sound(listener.cue_id)
    bar = 2 * FS
    for index in (1, 2):
        np.testing.assert_allclose(out[index * bar : (index + 1) * bar], noise[bar : 2 * bar], atol=1e-7)


def test_the_click_is_in_the_ears_and_never_on_disk(tmp_path):
    asked = order(tmp_path, plan=plan(to_bar=3), parts=[monitored(tmp_path)])
    loud, off = cue(click=Strip(gain_db=0, pan=-1)), cue()
    source = di_source(4 * FS)
    source.audio[:] = 0
    ears = Listener(loud.cue_id, off.cue_id)
    playback = Playback(asked)
    monitor = Monitor(asked.parts, [loud, off], ears, rate_hz=FS, plan=asked.plan, playback=playback, hurried=True)
    chains = LiveChains(source, asked.parts, monitor.hear)
    Recorder(asked, chains, lambda _: None, free=lambda _: 10**12, monitor=monitor).run()
    playback.close()
    expected = render_click(TEMPO, from_frame=START, to_frame=START + 4 * FS).channel(0)
    out = ears.sound(loud.cue_id)[: 4 * FS, 0]
    np.testing.assert_allclose(out, expected[: len(out)], atol=1e-9)
    assert not ears.sound(off.cue_id).any()
    assert not soundfile.read(take_file(asked, "DI"))[0].any()


def test_earlier_takes_of_the_part_are_heard_around_a_punch_and_the_own_playing_in_it(tmp_path):
    earlier = track(tmp_path, "me", 0.2 * np.ones(6 * FS), START, own=True)
    windows = (Window(TEMPO.bar_frame(2), TEMPO.bar_frame(3)),)
    punched = plan(to_bar=4, play_bar=1, way="windows", windows=windows)
    me = monitored(tmp_path, hear="interface", when="rolling or stopped")
    asked = order(tmp_path, plan=punched, parts=[me], tracks=[earlier])
    source = di_source(6 * FS)
    source.audio[:] = 0.1
    listener = cue(strips={"me": Strip(pan=-1)}, me=Strip(pan=1))
    out = heard(asked, source, listener).sound(listener.cue_id)
    bar = 2 * FS
    around = np.r_[FS // 2 : bar - 300, 2 * bar + 300 : 3 * bar - 300]
    inside = slice(bar + 300, 2 * bar - 300)
    np.testing.assert_allclose(out[around, 0], 0.2, atol=1e-7)
    assert not out[around, 1].any()
    assert not out[inside, 0].any()
    np.testing.assert_allclose(out[inside, 1], 0.1, atol=1e-7)
    always = asked.model_copy(update={"parts": [monitored(tmp_path, hear="interface", when="always")]})
    source.at = 0
    out = heard(always, source, listener).sound(listener.cue_id)
    np.testing.assert_allclose(out[FS // 2 : 3 * bar, 1], 0.1, atol=1e-7)


def test_listeners_hear_different_mixes_and_a_level_moves_without_a_step(tmp_path):
    steady = track(tmp_path, "bass", 0.1 * np.ones(6 * FS), START)
    asked = order(tmp_path, plan=plan(play_bar=1, to_bar=3), parts=[monitored(tmp_path)], tracks=[steady])
    one, other = (
        cue(strips={"bass": Strip(gain_db=-6.0206, pan=-1)}),
        cue(strips={"bass": Strip(gain_db=6.0206, pan=-1)}),
    )
    ears = Listener(one.cue_id, other.cue_id)
    playback = Playback(asked)
    monitor = Monitor(asked.parts, [one, other], ears, rate_hz=FS, plan=asked.plan, playback=playback, hurried=True)
    chains = LiveChains(di_source(2 * FS), asked.parts, monitor.hear)
    for count in range(2 * FS // 512):
        if count == 100:
            monitor.set_cues([Cue(cue_id=one.cue_id, mix=other.mix), other])
        chains.read_block()
    playback.close()
    first, second = ears.sound(one.cue_id)[:, 0], ears.sound(other.cue_id)[:, 0]
    np.testing.assert_allclose(first[FS // 2 : 100 * 512], 0.05, atol=1e-6)
    np.testing.assert_allclose(second[FS // 2 :], 0.2, atol=1e-6)
    np.testing.assert_allclose(first[101 * 512 :], 0.2, atol=1e-6)
    assert np.abs(np.diff(first[FS // 2 :])).max() < 0.15 / 512 * 1.01


def test_a_file_that_is_gone_plays_nothing_and_stops_nothing(tmp_path):
    gone = track_of(tmp_path / "no.wav", START, FS)
    asked = order(tmp_path, plan=plan(play_bar=1), parts=[monitored(tmp_path)], tracks=[gone])
    listener = cue()
    assert not heard(asked, di_source(FS), listener).sound(listener.cue_id).any()


def test_after_a_gap_the_song_goes_on_where_its_clock_is(tmp_path):
    noise = np.random.default_rng(1).uniform(-0.1, 0.1, 8 * FS)
    asked = order(
        tmp_path,
        plan=plan(play_bar=1, to_bar=4),
        parts=[monitored(tmp_path)],
        tracks=[track(tmp_path, "b", noise, START)],
    )
    listener = cue(strips={"b": Strip(pan=-1)})
    ears = heard(asked, di_source(4 * FS, lost={40: FS}), listener)
    for at_frame, block in ears.sent[listener.cue_id][5:]:
        expected = noise[at_frame : at_frame + len(block)]
        np.testing.assert_allclose(block[: len(expected), 0], expected, atol=1e-7)


def test_ears_get_frames_with_their_place_and_a_slow_one_loses_the_oldest():
    ears, wanted = Ears(), uuid4()
    theirs, ours = socket.socketpair()
    ear = Ear(wanted, ours)
    ears.add(ear)
    assert ears.listened == [wanted]
    block = np.column_stack([sine(440)[:100], sine(330)[:100]])
    for number in range(3_000):
        ears.send(wanted, 100 * number, block)
        ears.send(uuid4(), 0, block)
    received = fetched(theirs)
    # It was asleep and is awake again: what waited comes with the next blocks.
    for number in range(3_000, 3_010):
        ears.send(wanted, 100 * number, block)
        received += fetched(theirs)
    size = HEADER.size + 800
    frames = [received[at : at + size] for at in range(0, len(received), size)]
    places = [HEADER.unpack_from(frame)[2] // 100 for frame in frames]
    assert places[:3] == [0, 1, 2]
    assert places[-72:] == list(range(2_938, 3_010))
    # One hole, where it slept, and nothing twice.
    assert sum(step > 1 for step in np.diff(places)) == 1
    assert min(np.diff(places)) == 1
    for frame in (frames[0], frames[-1]):
        np.testing.assert_allclose(np.frombuffer(frame[HEADER.size :], "<f4").reshape(-1, 2), block, atol=1e-7)
    theirs.close()
    ears.send(wanted, 0, block)
    ears.remove(ear)
    assert ears.listened == []


def fetched(connection):
    """All that lies in a socket now."""
    connection.setblocking(False)
    data = b""
    with contextlib.suppress(BlockingIOError):
        while piece := connection.recv(1 << 20):
            data += piece
    return data


@pytest.mark.parametrize("block_frames", [512, 100])
def test_phones_on_the_device_hear_the_same_mix_on_its_own_clock(tmp_path, block_frames):
    """A listener at the interface's outputs hears what one afar hears, as soon as it can sound."""
    afar, at_hand = uuid4(), uuid4()
    source = di_source(FS, block_frames)
    parts = [monitored(tmp_path, hear="interface")]
    listener = Listener(afar)
    mix = CueMix(me=Strip(gain_db=-3))
    cues = [Cue(cue_id=afar, mix=mix), Cue(cue_id=at_hand, mix=mix, outputs=(0, 1))]
    monitor = Monitor(parts, cues, listener, rate_hz=FS, device=source)
    drained(LiveChains(source, parts, monitor.hear))
    assert monitor.listened
    assert source.played
    for clock, at_frame, _ in source.played:
        # It is never told of what would have had to sound already; two blocks are the way in and the way out.
        assert at_frame >= clock
        assert at_frame - clock <= block_frames
    assert [at for _, at, _ in source.played] == [at + 2 * len(block) for at, block in listener.sent[afar]]
    np.testing.assert_array_equal(np.concatenate([block for _, _, block in source.played]), listener.sound(afar))


def test_phones_on_outputs_that_the_device_lacks_are_left_out_and_it_goes_on(tmp_path):
    source = di_source(FS)
    parts = [monitored(tmp_path, hear="interface")]
    monitor = Monitor(parts, [Cue(cue_id=uuid4(), mix=CueMix(), outputs=(2, 3))], None, rate_hz=FS, device=source)
    drained(LiveChains(source, parts, monitor.hear))
    assert (source.played, monitor.listened) == ([], False)


def test_a_stereo_tone_is_heard_on_both_sides_and_printed_in_one_channel(tmp_path):
    wide = Tone.model_validate({"name": "x", "blocks": [{"kind": "echo", "wide": True, "time_ms": 50, "mix": 100}]})
    source = di_source(FS, 128)
    source.audio = 0.1 * source.audio
    asked = order(tmp_path, parts=[monitored(tmp_path, hear="tone", tone=wide, print_sim=True)])
    listener = cue(me=Strip())
    ears = Listener(listener.cue_id)
    monitor = Monitor(asked.parts, [listener], ears, rate_hz=FS, plan=asked.plan, hurried=True)
    monitor.windows = asked.plan.windows
    printed = drained(LiveChains(source, asked.parts, monitor.hear))
    both = ears.sound(listener.cue_id)
    chain = ToneChain(wide, rate_hz=FS, voltage=DI_ONLY.di_voltage)
    expected = chain.process(source.audio[:, 0])
    np.testing.assert_allclose(both, expected, atol=1e-9)
    np.testing.assert_allclose(printed[:, 1], expected.mean(axis=1), atol=1e-9)


def test_a_tone_is_turned_while_it_is_played_through_but_not_what_is_printed(tmp_path):
    loud, soft = (Tone.model_validate({"name": "x", "blocks": [{"kind": "trim", "gain_db": db}]}) for db in (0, -20))
    for printed in (False, True):
        rolled = monitored(tmp_path, hear="tone", tone=loud, print_sim=printed)
        heard_levels = []
        chains = LiveChains(di_source(FS, 128), [rolled], lambda _, wet, to=heard_levels: to.append(np.std(wet[0])))
        for _ in range(20):
            chains.read_block()
        chains.turn(rolled.key, soft)
        end = time.monotonic() + 5
        while chains._turned and time.monotonic() < end:
            time.sleep(0.002)
        for _ in range(20):
            chains.read_block()
        fell_db = 20 * np.log10(heard_levels[-1] / heard_levels[0])
        assert fell_db == pytest.approx(0 if printed else -20, abs=3)
