"""One pass: every sample on disk, meters, stopping, and disks that fail."""

import errno
import os
import shutil
import subprocess
import time

import numpy as np
import pytest
import soundfile

from fatsignal.core.takes.windows import Gap, Window
from fatsignal.engine.events import Ended, Meters, Notice, PassEnded, Rolling
from fatsignal.engine.recorder import Recorder
from fatsignal.files.wave_writer import WaveWriter
from fatsignal.rig.source import Block
from tests.engine.sources import TEMPO, Tones, journal, order, plan, take_file, take_folder
from tests.signals import FS, sine

ROOM = 10**12


def rolled(asked, source, **changes):
    told = []
    ended = Recorder(asked, source, told.append, free=lambda _: ROOM, **changes).run()
    return told, ended


def stopping_at(asked, frame, *, tell=lambda _: None, act=lambda recorder: recorder.stop(), frames=4 * FS, **changes):
    """A recorder to which something is done once a frame of the source is reached."""
    done = []

    def on_block(at):
        if at >= frame and not done:
            done.append(at)
            act(recorder)

    recorder = Recorder(asked, Tones(frames, on_block), tell, free=lambda _: ROOM, **changes)
    return recorder


def test_a_roll_puts_every_sample_of_every_channel_on_disk(tmp_path):
    asked, source = order(tmp_path, plan=plan(to_bar=2, play_bar=1)), Tones(2 * FS)
    told, ended = rolled(asked, source)
    assert (ended.reason, ended.frames, ended.problem) == ("section", 2 * FS, "")
    for index, name in enumerate(("DI", "mic A")):
        back, rate_hz = soundfile.read(take_file(asked, name))
        assert rate_hz == FS
        np.testing.assert_allclose(back, source.audio[:, index], atol=2.0**-23)
    assert journal(asked).ended == "section"
    assert source.closed
    assert [type(event) for event in told if not isinstance(event, Meters)] == [Rolling, PassEnded, Ended]


@pytest.mark.parametrize("block_frames", [1, 17, 511, 4096, 100_000])
def test_blocks_of_any_size_give_the_same_file(tmp_path, block_frames):
    asked, source = order(tmp_path, plan=plan(to_bar=2, play_bar=1)), Tones(2 * FS + 77, block_frames=block_frames)
    _, ended = rolled(asked, source)
    assert ended.frames == 2 * FS
    back, _ = soundfile.read(take_file(asked, "DI"))
    np.testing.assert_allclose(back, source.audio[: 2 * FS, 0], atol=2.0**-23)


def test_meters_come_thirty_times_a_second_with_levels_and_columns_that_add_up(tmp_path):
    told, _ = rolled(order(tmp_path), Tones(2 * FS))
    meters = [event for event in told if isinstance(event, Meters)]
    assert 50 <= len(meters) <= 62
    assert meters[5].peak_dbfs == pytest.approx([-6.02, -12.04], abs=0.05)
    assert meters[5].average_dbfs == pytest.approx([-9.03, -15.05], abs=0.1)
    assert [m.first_column for m in meters] == list(
        np.concatenate([[0], np.cumsum([len(m.columns[0]) for m in meters])[:-1]])
    )
    drawn = sum(len(m.columns[0]) for m in meters)
    assert drawn * meters[0].frames_per_column <= meters[-1].frame - TEMPO.bar_frame(1)
    # Two seconds at 120 beats a minute are one bar.
    assert (meters[10].bar, meters[10].beat) == (1, 1)
    assert (meters[-1].bar, meters[-1].beat) in ((1, 4), (2, 1))


def test_stopping_keeps_what_was_rolled(tmp_path):
    asked = order(tmp_path, plan=plan(play_bar=1))
    ended = stopping_at(asked, 10 * 512).run()
    assert (ended.reason, ended.frames) == ("stopped", 11 * 512)
    assert soundfile.info(take_file(asked, "DI")).frames == 11 * 512
    assert journal(asked).into_bin is False


def test_a_roll_stopped_in_its_count_in_goes_into_the_bin_with_all_of_its_audio(tmp_path):
    asked = order(tmp_path)
    stopping_at(asked, 10 * 512).run()
    assert journal(asked).into_bin
    assert journal(asked).problem == "stopped before its window began"
    assert soundfile.info(take_file(asked, "DI")).frames == 11 * 512


def test_what_the_device_lost_is_silence_and_everything_after_keeps_its_time(tmp_path):
    """The source's own clock jumps by 700 frames before its twentieth block."""
    asked, source = order(tmp_path, plan=plan(play_bar=1, to_bar=2)), Tones(2 * FS, lost={20: 700})
    told, ended = rolled(asked, source)
    assert ended.frames == 2 * FS
    back, _ = soundfile.read(take_file(asked, "DI"))
    lost = slice(20 * 512, 20 * 512 + 700)
    assert not back[lost].any()
    expected = source.audio[:, 0].copy()
    expected[lost] = 0
    np.testing.assert_allclose(back, expected, atol=2.0**-23)
    assert journal(asked).gaps == [Gap(20 * 512, 700)]
    assert [event.problem for event in told if isinstance(event, Notice)] == [
        "the interface lost 15 ms: they are marked in the take, and it keeps its time"
    ]
    assert [event for event in told if isinstance(event, Meters)][-1].lost_frames == 700


def test_what_was_lost_within_the_record_offset_moves_nothing(tmp_path):
    asked = order(tmp_path, plan=plan(play_bar=1, to_bar=2), record_offset_frames=575)
    source = Tones(3 * FS, lost={1: 300})
    rolled(asked, source)
    back, _ = soundfile.read(take_file(asked, "DI"))
    np.testing.assert_allclose(back[300:], source.audio[875 : 575 + 2 * FS, 0], atol=2.0**-23)
    # The offset ends in the middle of what was lost: only what belongs to the roll is marked.
    assert journal(asked).gaps == [Gap(0, 512 + 300 - 575)]


def test_a_window_opened_and_closed_by_hand_is_what_is_used_and_all_is_kept(tmp_path):
    asked, told = order(tmp_path, plan=plan(play_bar=1, to_bar=2)), []
    presses = iter((20 * 512, 50 * 512, 100 * 512))
    due = [next(presses)]

    def on_block(at):
        if at >= due[0]:
            recorder.punch()
            due[0] = next(presses, 1 << 40)

    recorder = Recorder(asked, Tones(2 * FS, on_block), told.append, free=lambda _: ROOM)
    recorder.run()
    start = asked.plan.from_frame
    # The press is heard before the next block: it counts from that block's end. The third stays in until the end.
    assert journal(asked).windows == [
        Window(start + 21 * 512, start + 51 * 512), Window(start + 101 * 512, start + 2 * FS)
    ]  # fmt: skip
    assert soundfile.info(take_file(asked, "DI")).frames == 2 * FS
    states = [event.punched_in for event in told if isinstance(event, Rolling)]
    assert states == [False, True, False, True]


class FillingDisk(WaveWriter):
    """A writer whose disk takes 40,000 bytes a file, then answers as a full disk does, in the middle of a block."""

    trouble = errno.ENOSPC

    def write(self, block):
        pwrite, limit = os.pwrite, 40_000

        def full(descriptor, data, offset):
            if offset + len(data) > limit:
                if offset < limit:
                    return pwrite(descriptor, bytes(data)[: limit - offset], offset)
                raise OSError(self.trouble, os.strerror(self.trouble))
            return pwrite(descriptor, data, offset)

        os.pwrite = full
        try:
            super().write(block)
        finally:
            os.pwrite = pwrite


@pytest.mark.parametrize(
    ("trouble", "says"),
    [(errno.ENOSPC, "the disk is full"), (errno.EROFS, "cannot be written to"), (errno.EIO, "writing failed")],
)
def test_a_disk_that_fails_keeps_whole_frames_and_tells_the_person(tmp_path, trouble, says, monkeypatch):
    monkeypatch.setattr("fatsignal.engine.disk_writer._PATIENCE_S", 0.0)
    asked = order(tmp_path)
    disk = type("Disk", (FillingDisk,), {"trouble": trouble})
    _, ended = rolled(asked, Tones(FS), open_writer=disk)
    assert ended.reason == "problem"
    assert says in ended.problem
    assert "is kept (0.3 s)" in ended.problem
    back, _ = soundfile.read(take_file(asked, "DI"))
    assert len(back) * 3 <= 40_000
    np.testing.assert_allclose(back, 0.5 * sine(440)[: len(back)], atol=2.0**-23)
    assert journal(asked).ended == "problem"


def test_it_warns_early_and_stops_cleanly_before_the_disk_is_full(tmp_path):
    asked, told = order(tmp_path, plan=plan(play_bar=1, to_bar=9)), []
    per_s = FS * 2 * 3
    left_s = iter((700, 599, 300, 59, 40, 0, 0))
    recorder = Recorder(
        asked, Tones(16 * FS), told.append, free=lambda _: 64 * 1024**2 + per_s * next(left_s)
    )  # fmt: skip
    ended = recorder.run()
    assert (ended.reason, ended.frames // FS) == ("space", 5)
    assert "nearly full: it stopped, and what was rolled is kept (5." in ended.problem
    warnings = [event.problem for event in told if isinstance(event, Notice)]
    assert warnings == [
        "the disk has room for 10 minutes more: stop soon, or make room",
        "the disk has room for 59 s more: stop soon, or make room",
    ]
    assert journal(asked).ended == "space"
    assert soundfile.info(take_file(asked, "DI")).frames == ended.frames


def test_a_disk_without_room_is_told_before_anything_is_written(tmp_path):
    asked = order(tmp_path)
    ended = Recorder(asked, Tones(FS), lambda _: None, free=lambda _: 64 * 1024**2 + 5 * FS * 6).run()
    assert ended.problem == "the disk has room for 5 s only: make room and roll again"
    assert not take_folder(asked).exists()


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting a small disk needs root")
def test_on_a_truly_full_disk(tmp_path):
    small = tmp_path / "small"
    small.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=300k", "none", str(small)], capture_output=True).returncode:
        pytest.skip("this machine mounts no small disks")
    try:
        asked = order(small)
        _, ended = rolled(asked, Tones(4 * FS))
        assert "the disk is full" in ended.problem
        assert soundfile.info(take_file(asked, "DI")).frames > 10_000
    finally:
        subprocess.run(["umount", str(small)], check=True)


class AwayForAMoment(WaveWriter):
    """A drive that answers with an error for a moment, in the middle of a block, as one does that is unplugged."""

    away_s = 0.6

    def __init__(self, *args, **more):
        super().__init__(*args, **more)
        self.back_s = None

    def write(self, block):
        if self.frames >= 20 * 512 and (self.back_s is None or time.monotonic() < self.back_s):
            if self.back_s is None:
                self.back_s = time.monotonic() + self.away_s
                super().write(block[: len(block) // 3])
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        super().write(block)


def test_a_drive_that_is_away_for_a_moment_costs_no_sample(tmp_path):
    asked, source = order(tmp_path, plan=plan(play_bar=1, to_bar=2)), Tones(2 * FS)
    _, ended = rolled(asked, source, open_writer=AwayForAMoment)
    assert (ended.reason, ended.problem) == ("section", "")
    for index, name in enumerate(("DI", "mic A")):
        back, _ = soundfile.read(take_file(asked, name))
        np.testing.assert_allclose(back, source.audio[:, index], atol=2.0**-23)


def test_room_that_cannot_be_told_for_a_moment_ends_nothing(tmp_path):
    """The sessions' folder cannot be read for some seconds: the files are open, and the roll goes on."""
    asked, looks = order(tmp_path, plan=plan(play_bar=1, to_bar=4)), []

    def free(_):
        looks.append(1)
        if 1 < len(looks) < 5:
            raise OSError(errno.EACCES, os.strerror(errno.EACCES))
        return ROOM

    ended = Recorder(asked, Tones(8 * FS), lambda _: None, free=free).run()
    assert (ended.reason, ended.problem, ended.frames) == ("section", "", 6 * FS)
    assert len(looks) > 5


def test_room_that_cannot_be_told_at_the_start_is_told_before_anything_is_written(tmp_path):
    def free(_):
        raise OSError(errno.EACCES, os.strerror(errno.EACCES))

    ended = Recorder(order(tmp_path), Tones(FS), lambda _: None, free=free).run()
    assert ended.reason == "problem"
    assert "cannot be read (Permission denied)" in ended.problem


def test_whatever_happens_an_end_is_told_and_what_was_rolled_is_kept(tmp_path):
    class Broken(Tones):
        def read_block(self):
            if self.at >= 40 * 512:
                raise ZeroDivisionError("nobody foresaw this")
            return super().read_block()

    asked, told = order(tmp_path, plan=plan(play_bar=1)), []
    Recorder(asked, Broken(2 * FS), told.append, free=lambda _: ROOM).run()
    assert isinstance(told[-1], Ended)
    assert "nobody foresaw this" in told[-1].problem
    assert "is kept" in told[-1].problem
    assert soundfile.info(take_file(asked, "DI")).frames == 40 * 512
    assert journal(asked).ended == "problem"


def test_what_was_written_is_on_the_disk_within_a_second_and_the_journal_before_the_first_block(tmp_path, monkeypatch):
    """After a loss of power only what was synced is there: data and headers every second, names when they are made."""
    monkeypatch.setattr("fatsignal.engine.disk_writer._LOOK_S", 0.0)
    synced, fdatasync, fsync = [], os.fdatasync, os.fsync

    def name_of(descriptor):
        return os.readlink(f"/proc/self/fd/{descriptor}").replace(str(tmp_path), "")

    monkeypatch.setattr(os, "fdatasync", lambda fd: (synced.append(name_of(fd)), fdatasync(fd)))
    monkeypatch.setattr(os, "fsync", lambda fd: (synced.append(name_of(fd)), fsync(fd)))
    rolled(order(tmp_path, plan=plan(to_bar=2, play_bar=1)), Tones(2 * FS))
    first_audio = next(at for at, name in enumerate(synced) if name.endswith("DI.wav"))
    before = synced[:first_audio]
    assert any("roll" in name and name.endswith(".json") for name in before)
    assert "/Baritone/Take 03" in before
    assert "/Baritone" in before
    for channel in ("DI", "mic A"):
        assert synced.count(f"/Baritone/Take 03/Baritone 03 - {channel}.wav") >= 2


def test_a_pass_that_is_over_is_on_the_disk_before_it_is_told(tmp_path, monkeypatch):
    """Its end too, and its journal; whatever was looked after in between."""
    monkeypatch.setattr("fatsignal.engine.disk_writer._LOOK_S", 1e9)
    happened, fdatasync = [], os.fdatasync

    def synced(descriptor):
        happened.append(os.path.basename(os.readlink(f"/proc/self/fd/{descriptor}")))
        fdatasync(descriptor)

    monkeypatch.setattr(os, "fdatasync", synced)
    asked = order(tmp_path, plan=plan(to_bar=2, play_bar=1))
    Recorder(
        asked, Tones(2 * FS), lambda event: happened.append(type(event).__name__), free=lambda _: ROOM
    ).run()  # fmt: skip
    before = happened[: happened.index("PassEnded")]
    # When they are made, and when they are closed.
    assert before.count("Baritone 03 - DI.wav") == 2
    assert before.count("Baritone 03 - mic A.wav") == 2


def test_a_folder_that_exists_is_left_alone_and_the_next_number_is_taken(tmp_path):
    """An import into the same part was quicker."""
    asked, told = order(tmp_path, plan=plan(play_bar=1)), []
    take_folder(asked).mkdir(parents=True)
    (take_folder(asked) / "mine.wav").write_bytes(b"precious")
    Recorder(asked, Tones(FS), told.append, free=lambda _: ROOM).run()
    assert (take_folder(asked) / "mine.wav").read_bytes() == b"precious"
    assert journal(asked, 1).number == 4
    assert journal(asked, 1).channels[0].file == "Baritone 04 - DI.wav"
    assert soundfile.info(take_file(asked, "DI", 1)).frames == FS
    shown = next(event for event in told if isinstance(event, Rolling))
    assert shown.parts[0].number == 4
    # It is drawn by the miked amp where there is room for one.
    assert [channel.kind for channel in shown.parts[0].channels][shown.parts[0].heard_first] == "mic"


@pytest.mark.parametrize("how", ["deleted", "moved"])
def test_a_folder_that_goes_away_while_rolling_is_made_again_with_all_of_the_take(tmp_path, how, monkeypatch):
    monkeypatch.setattr("fatsignal.engine.disk_writer._LOOK_S", 0.0)
    asked = order(tmp_path, plan=plan(play_bar=1, to_bar=2))

    def go_away(_):
        folder = take_folder(asked)
        assert soundfile.info(take_file(asked, "DI")).frames > 0
        if how == "deleted":
            shutil.rmtree(folder)
        else:
            folder.rename(tmp_path / "elsewhere")

    class Waiting(Tones):
        """Lets the disk line write before the folder goes."""

        def read_block(self):
            if self.at == 60 * 512:
                import time

                time.sleep(0.2)
            return super().read_block()

    source = Waiting(2 * FS, lambda at: at == 60 * 512 and go_away(at))
    _, ended = rolled(asked, source)
    assert ended.problem == ""
    back, _ = soundfile.read(take_file(asked, "DI"))
    np.testing.assert_allclose(back, source.audio[:, 0], atol=2.0**-23)
    assert journal(asked).ended == "section"


def test_a_device_that_hangs_can_be_stopped(tmp_path):
    """Its read comes back only when it is closed, as that of a driver that lost its device."""
    import threading
    import time

    class Hanging(Tones):
        def __init__(self):
            super().__init__(FS)
            self.let_go = threading.Event()

        def read_block(self):
            if self.at >= 20 * 512:
                self.let_go.wait(20)
                return None
            block = super().read_block()
            return Block(block.samples, block.at_frame)

        def close(self):
            self.let_go.set()

    asked = order(tmp_path, plan=plan(play_bar=1))
    recorder = Recorder(asked, Hanging(), lambda _: None, free=lambda _: ROOM)
    thread = threading.Thread(target=recorder.run)
    thread.start()
    time.sleep(0.3)
    recorder.stop()
    thread.join(5)
    assert not thread.is_alive()
    assert soundfile.info(take_file(asked, "DI")).frames == 20 * 512
    assert journal(asked).ended == "stopped"
