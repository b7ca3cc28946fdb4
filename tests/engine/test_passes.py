"""Loops, several parts in one stream, and the order in which takes are closed."""

from itertools import pairwise

import numpy as np
import pytest
import soundfile

from fatsignal.core.takes.windows import Window
from fatsignal.engine.events import Ended, Meters, PassEnded, Rolling
from fatsignal.engine.recorder import Recorder
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.source import InputChannel
from tests.engine.sources import TEMPO, Counting, counted, journal, order, part, plan, take_file, take_folder
from tests.signals import FS

BAR = 2 * FS
HANDLE = FS // 2


def loop(folder, **changes):
    """Bars 2 and 3 round and round, after a bar of count-in."""
    start, end = TEMPO.bar_frame(2), TEMPO.bar_frame(4)
    looped = plan(
        way="loop", from_frame=start - BAR, play_from_frame=start, to_frame=end, again_from_frame=start,
        handle_frames=HANDLE, windows=(Window(start, end),),
    )  # fmt: skip
    return order(folder, plan=looped, parts=[part(folder, setup=RigSetup(mics=[]))], **changes)


def rolled(asked, source):
    told = []
    ended = Recorder(asked, source, told.append, free=lambda _: 10**12).run()
    return told, ended


def words(path):
    return soundfile.read(path, dtype="int32")[0] >> 8


def expected(start, end, channel=0, channels=1):
    return np.rint(counted(start, end, channels)[:, channel] * (1 << 23)).astype(int)


@pytest.mark.parametrize("block_frames", [128, 480, 5_000, 90_001])
def test_each_pass_of_a_loop_is_a_take_and_nothing_is_lost_at_the_seam(tmp_path, block_frames):
    asked, frames = loop(tmp_path), BAR + 3 * 2 * BAR + 30_000
    told, ended = rolled(asked, Counting(1, frames, block_frames=block_frames))
    assert ended.frames == frames
    seams = [BAR + 2 * BAR * count for count in range(1, 4)]
    first = words(take_file(asked, "ch 0", 0))
    np.testing.assert_array_equal(first, expected(0, seams[0] + HANDLE))
    for index in (1, 2):
        # Its handles reach back over the seam, and over the next one.
        mine = words(take_file(asked, "ch 0", index))
        np.testing.assert_array_equal(mine, expected(seams[index - 1] - HANDLE, seams[index] + HANDLE))
        assert journal(asked, index).from_frame == asked.plan.again_from_frame - HANDLE
        assert journal(asked, index).windows == list(asked.plan.windows)
        assert journal(asked, index).ended == "section"
    # Between its seams every pass holds what came in, once: the takes laid end to end are the stream.
    last = words(take_file(asked, "ch 0", 3))
    np.testing.assert_array_equal(last, expected(seams[2] - HANDLE, frames))
    rolling = [event for event in told if isinstance(event, Rolling)]
    assert [event.pass_number for event in rolling] == [1, 2, 3, 4]
    assert [event.parts[0].number for event in rolling] == [3, 4, 5, 6]
    assert [event.parts[0].take_id for event in rolling] == [
        take_id for event in told if isinstance(event, PassEnded) for take_id in event.takes
    ]
    assert len({event.parts[0].take_id for event in rolling}) == 4


def test_columns_and_places_begin_anew_with_every_pass(tmp_path):
    asked = loop(tmp_path)
    told, _ = rolled(asked, Counting(1, BAR + 2 * 2 * BAR))
    bars, first_columns = [], []
    for event in told:
        if isinstance(event, Rolling):
            first_columns.append(None)
        elif isinstance(event, Meters):
            bars.append((event.bar, event.beat))
            if first_columns[-1] is None:
                first_columns[-1] = event.first_column
    assert first_columns[:2] == [0, 0]
    assert bars[0][0] == 1
    assert max(bars)[0] == 3
    turns = [before for before, after in pairwise(bars) if after < before]
    assert turns == [(3, 4)] * len(turns)
    assert len(turns) >= 1


def test_a_pass_that_holds_nothing_but_a_copy_is_removed(tmp_path):
    """Stopped within the handle before a seam: the next take has begun in secret, and all of it is in the last one."""
    asked = loop(tmp_path)
    rolled(asked, Counting(1, BAR + 2 * BAR - HANDLE // 2))
    assert take_folder(asked, 0).exists()
    assert not take_folder(asked, 1).exists()


def test_a_pass_stopped_right_after_its_seam_is_kept_in_the_bin(tmp_path):
    asked, told = loop(tmp_path), []
    source = Counting(1, 100 * BAR)
    read = source.read_block

    def stopping():
        if source.at > 3 * BAR + FS // 4:
            recorder.stop()
            source.frames = 100 * BAR
        return read()

    source.read_block = stopping
    recorder = Recorder(asked, source, told.append, free=lambda _: 10**12)
    recorder.run()
    assert (journal(asked, 0).ended, journal(asked, 0).into_bin) == ("section", False)
    assert (journal(asked, 1).into_bin, journal(asked, 1).problem) == (True, "stopped in its first bar")
    assert soundfile.info(take_file(asked, "ch 0", 1)).frames > HANDLE + FS // 4


def test_starting_again_counts_in_again(tmp_path):
    """Auto-roll: each pass is the whole way from the count-in to the end of the ring."""
    again = plan(again_from_frame=TEMPO.bar_frame(1), to_frame=TEMPO.bar_frame(3) + FS)
    asked = order(tmp_path, plan=again, parts=[part(tmp_path, setup=RigSetup(mics=[]))])
    length = 2 * BAR + FS
    rolled(asked, Counting(1, 2 * length + FS))
    for index in (0, 1):
        np.testing.assert_array_equal(
            words(take_file(asked, "ch 0", index)), expected(index * length, (index + 1) * length)
        )
        assert journal(asked, index).from_frame == TEMPO.bar_frame(1)
    assert journal(asked, 2).ended == "section"
    assert soundfile.info(take_file(asked, "ch 0", 2)).frames == FS


def test_two_hundred_passes_are_two_hundred_whole_takes(tmp_path):
    start = TEMPO.bar_frame(2)
    looped = plan(
        way="loop", from_frame=start, play_from_frame=start, to_frame=start + FS // 4, again_from_frame=start,
        handle_frames=FS // 16, windows=(Window(start, start + FS // 4),),
    )  # fmt: skip
    asked = order(tmp_path, plan=looped, parts=[part(tmp_path, setup=RigSetup(mics=[]), first_number=1)])
    rolled(asked, Counting(1, 200 * (FS // 4)))
    folders = sorted((tmp_path / "Baritone").iterdir())
    assert len(folders) == 200
    for index in (0, 1, 117, 199):
        begin = max(0, index * FS // 4 - FS // 16)
        end = min(200 * FS // 4, (index + 1) * FS // 4 + FS // 16)
        np.testing.assert_array_equal(words(take_file(asked, "ch 0", index)), expected(begin, end))


def test_parts_roll_in_one_stream_each_with_its_own_channels_and_take(tmp_path):
    two, one = RigSetup(), RigSetup(mics=[])
    parts = [part(tmp_path, setup=two), part(tmp_path, name="Bass", setup=one)]
    asked = order(tmp_path, plan=plan(play_bar=1, to_bar=2), parts=parts)
    source = Counting(4, 2 * FS)
    source.channels = tuple(InputChannel(name, "di") for name in ("DI", "mic A", "mic B", "DI"))
    told, _ = rolled(asked, source)
    for part_index, channel, number in ((0, "DI", 0), (0, "mic A", 1), (0, "mic B", 2), (1, "DI", 3)):
        got = words(take_file(asked, channel, part_index=part_index))
        np.testing.assert_array_equal(got, expected(0, 2 * FS, number, 4))
    assert journal(asked).part_id != journal(asked, part_index=1).part_id
    assert journal(asked).roll_id == journal(asked, part_index=1).roll_id
    ended = [event for event in told if isinstance(event, PassEnded | Ended)]
    assert [len(event.takes) for event in ended[:-1]] == [2]


def test_the_pass_that_is_thrown_away_is_marked_and_its_audio_stays(tmp_path):
    asked = order(tmp_path, plan=plan(play_bar=1))
    recorder = Recorder(asked, Counting(2, 10 * FS), lambda _: None, free=lambda _: 10**12)
    recorder.stop(into_bin=True)
    recorder._source.frames = 10 * FS
    recorder.run()
    assert journal(asked).into_bin
