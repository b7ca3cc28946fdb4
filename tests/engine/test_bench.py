"""The bench in the engine: a dry source goes round, one of its sounds is heard, a tone is turned while it sounds."""

import threading
import time
from uuid import uuid4

import numpy as np
import pytest

from fatsignal.acts.materials import material_of_files
from fatsignal.core.material.channels import Channel, Wanted
from fatsignal.core.takes.windows import Window
from fatsignal.core.tone.blocks import Trim
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.voltage import DiVoltage
from fatsignal.engine.bench import BLOCK_FRAMES, Bench
from fatsignal.engine.bench_sounds import BenchSounds
from fatsignal.engine.events import Benching, BenchMeters, Ended
from fatsignal.engine.loop_source import LoopColumn, LoopSource
from fatsignal.engine.orders import BenchOrder, BenchSound
from fatsignal.files.material_files import FilesReader
from fatsignal.files.sound_writer import write_sound
from fatsignal.rig.rig_clock import RigClock
from tests.engine.sources import TEMPO
from tests.engine.test_hearing import Listener, tone
from tests.signals import FS, plucks

DRY, MIC = Wanted(("di",)), Wanted(("mic",))
FIRST = 1000
PLAIN = Tone(name="plain", blocks=[Trim()])
# A plain tone gives what goes in, told against 3 V.
VOLTS = 3.0


@pytest.fixture
def recorded(tmp_path):
    """A take of two seconds, dry and miked."""
    dry = plucks(2.0)
    samples = {"DI": ("di", dry), "mic A": ("mic", 0.5 * np.roll(dry, 40))}
    files = []
    for name, (kind, signal) in samples.items():
        write_sound(tmp_path / f"{name}.wav", [signal[:, None]], rate_hz=FS, channels=1, depth="32f")
        files.append((Channel(kind, name), tmp_path / f"{name}.wav"))
    return material_of_files(uuid4(), files, frames=2 * FS, first_frame=FIRST, rate_hz=FS, fingerprint="x"), samples


def order(recorded, **changes):
    material, _ = recorded
    sounds = [
        BenchSound(key="tone", tone=PLAIN),
        BenchSound(key="mic", material=material.material, files=material.files, wanted=[MIC]),
        BenchSound(key="loud", tone=PLAIN.model_copy(update={"blocks": [Trim(gain_db=6)]})),
        BenchSound(key="dry"),
    ]
    return BenchOrder(**{
        "roll_id": uuid4(), "session_id": uuid4(), "rate_hz": FS, "tempo": TEMPO, "speed": 0.0, "bench_id": uuid4(),
        "dry": material.material, "dry_files": material.files, "dry_wanted": DRY, "full_scale_v": VOLTS,
        "from_frame": FIRST + FS // 2, "to_frame": FIRST + FS, "start_frame": FIRST + FS // 2, "sounds": sounds,
        "heard": "tone", **changes,
    })  # fmt: skip


def loop(recorded, window, start, block_frames=BLOCK_FRAMES):
    material, _ = recorded
    columns = [LoopColumn(FilesReader(material.material, material.files, gone_is_silent=True), w) for w in (DRY, MIC)]
    return LoopSource(
        columns, window, start_frame=start, rate_hz=FS, pace=RigClock(0), block_frames=block_frames
    )  # fmt: skip


@pytest.mark.parametrize("block_frames", [128, 1000, 4096])
def test_the_loop_goes_round_with_what_comes_after_its_end_fading_into_its_beginning(recorded, block_frames):
    _, samples = recorded
    window = Window(FIRST + FS // 2, FIRST + FS)
    source = loop(recorded, window, window.from_frame, block_frames)
    heard = np.concatenate([source.read_block().samples for _ in range(-(-3 * FS // 2 // block_frames))])
    source.close()
    length, seam = window.frames, FS // 100
    for column, (_, signal) in enumerate(samples.values()):
        inside = signal[FS // 2 : FS]
        np.testing.assert_allclose(heard[:length, column], inside, atol=1e-6)
        again = heard[length : 2 * length, column]
        np.testing.assert_allclose(again[seam:], inside[seam:], atol=1e-6)
        rise = (np.arange(seam) + 0.5) / seam
        ending = signal[FS : FS + seam]
        np.testing.assert_allclose(again[:seam], rise * inside[:seam] + (1 - rise) * ending, atol=1e-6)
    assert source.song_frame(0) == source.song_frame(length) == window.from_frame
    assert source.song_frame(length + 5) == window.from_frame + 5


def test_it_starts_where_it_is_told_and_a_place_outside_wraps(recorded):
    window = Window(FIRST + FS // 2, FIRST + FS)
    for start, at in ((window.from_frame + 700, 700), (window.to_frame + 9, 9)):
        source = loop(recorded, window, start)
        assert source.song_frame(0) == window.from_frame + at
        np.testing.assert_allclose(
            source.read_block().samples[:, 0], recorded[1]["DI"][1][FS // 2 + at :][:BLOCK_FRAMES], atol=1e-6
        )
        source.close()


def sounding(asked, until):
    """What is heard of a bench until something holds; the acts of `until` come from another thread."""
    ears = Listener(asked.bench_id)
    told = []
    bench = Bench(asked, told.append, ears)
    thread = threading.Thread(target=bench.run)
    thread.start()
    try:
        until(bench, ears)
    finally:
        bench.stop()
        thread.join()
    return ears, told


def blocks_of(ears, asked):
    return len(ears.sent[asked.bench_id])


def wait(done, seconds=10.0):
    end = time.monotonic() + seconds
    while not done():
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.002)


def test_what_goes_round_is_heard_through_the_tone_by_who_listens(recorded):
    asked = order(recorded)
    ears, told = sounding(asked, lambda bench, ears: wait(lambda: blocks_of(ears, asked) > 150))
    heard = ears.sound(asked.bench_id)[: FS // 2]
    inside = recorded[1]["DI"][1][FS // 2 : FS]
    inside, peak = inside[: len(heard)], 10 ** (-3 / 20)
    np.testing.assert_allclose(heard[:, 0], heard[:, 1])
    np.testing.assert_allclose(heard[:, 0], inside, atol=1e-6)
    assert np.abs(heard).max() <= peak + 1e-9
    assert isinstance(told[0], Benching)
    assert (told[-1].reason, told[-1].benched) == ("stopped", True)
    meters = [each for each in told if isinstance(each, BenchMeters)]
    assert meters
    assert all(asked.from_frame <= each.frame < asked.to_frame for each in meters)


def test_another_sound_is_switched_to_where_the_loop_is(recorded):
    """The same place of the loop sounds on: the microphone's channel, with its level."""
    asked = order(recorded, speed=1.0)

    def act(bench, ears):
        wait(lambda: blocks_of(ears, asked) > 20)
        bench.hear("mic", {"mic": -6.0206})
        wait(lambda: bench._sounds.heard == "mic")
        at = blocks_of(ears, asked)
        wait(lambda: blocks_of(ears, asked) > at + 30)

    ears, _ = sounding(asked, act)
    at_frame, last = ears.sent[asked.bench_id][-1]
    place = at_frame % (FS // 2)
    if place > FS // 100:
        expected = 0.5 * recorded[1]["mic A"][1][FS // 2 + place :][: len(last)]
        np.testing.assert_allclose(last[: len(expected), 0], expected, atol=1e-4)


def bench_sounds(sounds, heard="tone"):
    return BenchSounds(sounds, heard, rate_hz=FS, voltage=DiVoltage(VOLTS), quarter_s=0.5, paced=False)


def pieces(signal, size=BLOCK_FRAMES):
    return [signal[start : start + size, None] for start in range(0, len(signal) - size + 1, size)]


def test_a_tone_that_comes_in_has_rung_in_on_what_was_played():
    """Half a second after it was chosen it is what it would be had it run all the time, to a hundredth of its level."""
    kiln, di = tone(), plucks(2.0)
    sounds = bench_sounds([BenchSound(key="tone", tone=PLAIN), BenchSound(key="kiln", tone=kiln)])
    blocks, out = pieces(di), []
    for index, block in enumerate(blocks):
        if index == 300:
            sounds.hear("kiln")
            wait(lambda: sounds._ready)
        out.append(sounds.process(block))
    sounds.close()
    chain = ToneChain(kiln, rate_hz=FS, voltage=DiVoltage(VOLTS))
    steady = np.concatenate([chain.process(block[:, 0]) for block in blocks])
    heard = np.concatenate(out)[:, 0]
    late = slice(320 * BLOCK_FRAMES, len(steady))
    assert np.std(heard[late] - steady[late]) < 0.01 * np.std(steady[late])
    before = slice(0, 300 * BLOCK_FRAMES)
    np.testing.assert_allclose(heard[before], di[before], atol=1e-12)


def test_a_turn_of_what_is_heard_goes_on_from_it_and_of_another_waits_until_it_is_heard():
    kiln, di = tone(), plucks(2.0)
    lower = kiln.model_copy(update={"blocks": [*kiln.blocks[:-1], Trim(gain_db=kiln.blocks[-1].gain_db - 6)]})
    sounds = bench_sounds([BenchSound(key="tone", tone=kiln), BenchSound(key="other", tone=kiln)])
    chain = ToneChain(kiln, rate_hz=FS, voltage=DiVoltage(VOLTS))
    blocks = pieces(di)
    steady = np.concatenate([chain.process(block[:, 0]) for block in blocks])
    out = []
    for index, block in enumerate(blocks):
        if index == 100:
            sounds.turn("other", lower)
        if index == 200:
            sounds.turn("tone", lower)
            wait(lambda: sounds._ready)
        out.append(sounds.process(block))
    sounds.close()
    heard = np.concatenate(out)[:, 0]
    np.testing.assert_allclose(heard[: 200 * BLOCK_FRAMES], steady[: 200 * BLOCK_FRAMES], atol=1e-12)
    late = slice(220 * BLOCK_FRAMES, len(steady))
    np.testing.assert_allclose(heard[late], steady[late] / 10 ** (6 / 20), atol=1e-9)


def test_a_thousand_turns_leave_the_last_one_sounding():
    di = plucks(1.0)
    sounds = bench_sounds([BenchSound(key="tone", tone=PLAIN)])
    for index in range(1000):
        sounds.turn("tone", PLAIN.model_copy(update={"blocks": [Trim(gain_db=-(index % 40))]}))
    last = PLAIN.model_copy(update={"blocks": [Trim(gain_db=-12)]})
    sounds.turn("tone", last)
    blocks = pieces(di)
    wait(lambda: not sounds._wishes.turned)
    out = []
    for block in blocks:
        out.append(sounds.process(block))
        time.sleep(0.0005)
    sounds.close()
    np.testing.assert_allclose(out[-1][:, 0], blocks[-1][:, 0] / 10 ** (12 / 20), atol=1e-9)


def test_a_key_that_there_is_none_of_changes_nothing():
    sounds = bench_sounds([BenchSound(key="tone", tone=PLAIN)])
    sounds.hear("nobody")
    block = pieces(plucks(0.6))[0]
    np.testing.assert_allclose(sounds.process(block)[:, 0], block[:, 0])
    sounds.close()


def test_files_that_are_gone_are_silent_and_the_bench_goes_on(recorded, tmp_path):
    (tmp_path / "mic A.wav").unlink()
    asked = order(recorded, heard="mic")
    ears, told = sounding(asked, lambda bench, ears: wait(lambda: blocks_of(ears, asked) > 50))
    assert not ears.sound(asked.bench_id).any()
    assert isinstance(told[-1], Ended)
    assert told[-1].problem == ""


def test_nobody_listens_any_more_and_it_ends(recorded, monkeypatch):
    monkeypatch.setattr("fatsignal.engine.bench._NOBODY_S", 0.5)
    told = []
    bench = Bench(order(recorded), told.append, Listener())
    bench.run()
    assert told[-1].benched


@pytest.mark.parametrize(
    "changes", [{"to_frame": FIRST}, {"heard": "nothing"}, {"full_scale_v": 0}, {"sounds": []}], ids=str
)
def test_orders_that_say_nothing_are_refused(recorded, changes):
    with pytest.raises(ValueError, match=r"loop|among|greater|at least"):
        order(recorded, **changes)
