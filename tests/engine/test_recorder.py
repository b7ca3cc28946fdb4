import errno
import os
from pathlib import Path
from uuid import uuid4

import numpy as np
import pytest
import soundfile

from fatsignal.core.timing.tempo import TempoMap
from fatsignal.engine.protocol import JOURNAL_NAME, Ended, Journal, Meters, Rolling, RollOrder
from fatsignal.engine.recorder import Recorder
from fatsignal.files.wave_writer import WaveWriter
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.source import InputChannel
from tests.signals import FS, sine

TEMPO = TempoMap.steady(120, rate_hz=FS)


class Tones:
    """A source of two known sines, 512 frames a block."""

    rate_hz = FS
    channels = (InputChannel("DI", "di"), InputChannel("mic A", "mic"))

    def __init__(self, frames, on_block=None):
        self.audio = np.column_stack([0.5 * sine(440, seconds=frames / FS), 0.25 * sine(880, seconds=frames / FS)])
        self.at, self.on_block, self.closed = 0, on_block, False

    def read_block(self):
        if self.on_block:
            self.on_block(self.at)
        block = self.audio[self.at : self.at + 512]
        self.at += 512
        return block if len(block) else None

    def close(self):
        self.closed = True


def order(folder: Path, **changes) -> RollOrder:
    values = {
        "roll_id": uuid4(),
        "session_id": uuid4(),
        "part_id": uuid4(),
        "number": 3,
        "folder": folder / "Take 03",
        "stem": "Baritone 03",
        "rate_hz": FS,
        "tempo": TEMPO,
        "from_frame": TEMPO.bar_frame(1),
        "window_from_frame": TEMPO.bar_frame(2),
        "window_to_frame": TEMPO.bar_frame(3),
        "to_frame": TEMPO.bar_frame(3),
        "seed": 1,
        "setup": RigSetup(),
        "notes": [],
    }
    return RollOrder(**(values | changes))


def journal(of: RollOrder) -> Journal:
    return Journal.model_validate_json((of.folder / JOURNAL_NAME).read_text())


def test_a_roll_puts_every_sample_of_every_channel_on_disk(tmp_path):
    told, asked, source = [], order(tmp_path), Tones(FS)
    ended = Recorder(asked, source, told.append).run()
    assert (ended.reason, ended.frames, ended.problem) == ("section", FS, "")
    for index, name in enumerate(("DI", "mic A")):
        back, rate_hz = soundfile.read(asked.folder / f"Baritone 03 - {name}.wav")
        assert rate_hz == FS
        np.testing.assert_allclose(back, source.audio[:, index], atol=2.0**-23)
    assert journal(asked).ended == "section"
    assert source.closed
    assert isinstance(told[0], Rolling)
    assert isinstance(told[-1], Ended)


def test_meters_come_thirty_times_a_second_with_levels_and_columns_that_add_up(tmp_path):
    told = []
    Recorder(order(tmp_path), Tones(2 * FS), told.append).run()
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
    asked = order(tmp_path)
    recorder = None

    def stop_at(frame):
        if frame >= 10 * 512:
            recorder.stop()

    recorder = Recorder(asked, Tones(FS, stop_at), lambda _: None)
    ended = recorder.run()
    assert (ended.reason, ended.frames) == ("stopped", 11 * 512)
    assert soundfile.info(asked.folder / "Baritone 03 - DI.wav").frames == 11 * 512


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
def test_a_disk_that_fails_keeps_whole_frames_and_tells_the_person(tmp_path, trouble, says):
    asked = order(tmp_path)
    disk = type("Disk", (FillingDisk,), {"trouble": trouble})
    ended = Recorder(asked, Tones(FS), lambda _: None, open_writer=disk).run()
    assert ended.reason == "problem"
    assert says in ended.problem
    assert "is kept (0.3 s)" in ended.problem
    back, _ = soundfile.read(asked.folder / "Baritone 03 - DI.wav")
    # The first channel took part of the block that the second never saw: the take is as long as the shorter.
    assert ended.frames <= len(back) < ended.frames + 512
    assert len(back) * 3 <= 40_000
    np.testing.assert_allclose(back, 0.5 * sine(440)[: len(back)], atol=2.0**-23)
    assert journal(asked).ended == "problem"


@pytest.mark.skipif(os.geteuid() != 0, reason="mounting a small disk needs root")
def test_on_a_truly_full_disk(tmp_path):
    import subprocess

    small = tmp_path / "small"
    small.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=300k", "none", str(small)], capture_output=True).returncode:
        pytest.skip("this machine mounts no small disks")
    try:
        asked = order(small)
        ended = Recorder(asked, Tones(4 * FS), lambda _: None).run()
        assert "the disk is full" in ended.problem
        assert soundfile.info(asked.folder / "Baritone 03 - DI.wav").frames >= ended.frames > 10_000
    finally:
        subprocess.run(["umount", str(small)], check=True)


def test_a_folder_that_exists_is_left_alone(tmp_path):
    asked = order(tmp_path)
    asked.folder.mkdir()
    (asked.folder / "mine.wav").write_bytes(b"precious")
    ended = Recorder(asked, Tones(FS), lambda _: None).run()
    assert "nothing was overwritten" in ended.problem
    assert (asked.folder / "mine.wav").read_bytes() == b"precious"
