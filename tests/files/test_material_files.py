"""Reading materials from files: many, broken, gone, or replaced by something else."""

from uuid import uuid4

import numpy as np
import pytest
import soundfile

from fatsignal.core.material.channels import Channel, Wanted
from fatsignal.core.material.material import Source, whole
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused
from fatsignal.files.material_files import MaterialOnDisk, SourceFile, sha256_of
from tests.core.material.laid import of_stretches
from tests.signals import FS, noise

DI, LEFT, RIGHT = Channel("di", "DI"), Channel("track", "left"), Channel("track", "right")


def recorded(folder, frames=4_000, name="a.wav", seed=1):
    """A source of one DI, its file and its samples."""
    source = Source(id=uuid4(), fingerprint=name, frames=frames, channels=(DI,))
    samples = 0.5 * noise(frames / FS, seed=seed)[:frames]
    soundfile.write(folder / name, samples, FS, subtype="FLOAT")
    file = SourceFile(source.id, DI, folder / name, sha256=sha256_of(folder / name))
    return source, file, samples.astype(np.float32)


def on_disk(source, file):
    return MaterialOnDisk(whole(source, first_frame=1_000, rate_hz=FS), (file,))


def test_both_sides_of_a_stereo_file_are_channels_of_their_own(tmp_path):
    stereo = np.column_stack((noise(0.1, seed=1), noise(0.1, seed=2))).astype(np.float32) / 4
    soundfile.write(tmp_path / "s.wav", stereo, FS, subtype="FLOAT")
    source = Source(id=uuid4(), fingerprint="s", frames=len(stereo), channels=(LEFT, RIGHT))
    files = tuple(SourceFile(source.id, each, tmp_path / "s.wav", column) for column, each in enumerate((LEFT, RIGHT)))
    with MaterialOnDisk(whole(source, first_frame=0, rate_hz=FS), files).reader() as reader:
        for column, channel in enumerate((LEFT, RIGHT)):
            np.testing.assert_array_equal(reader.read(Wanted.exactly(channel), 0, len(stereo)), stereo[:, column])


def test_a_comp_over_sixty_takes_keeps_few_files_open(tmp_path):
    import os

    known = [recorded(tmp_path, 1_000, f"{number}.wav", number) for number in range(60)]
    stretches = [(source.id, Window(1_000 * at, 1_000 * at + 1_000)) for at, (source, _, _) in enumerate(known)]
    sources = {source.id: (source, 1_000 * at) for at, (source, _, _) in enumerate(known)}
    material = of_stretches(uuid4(), stretches, sources, rate_hz=FS)
    with MaterialOnDisk(material, tuple(file for _, file, _ in known)).reader() as reader:
        most = 0
        for round_ in range(2):
            for at, (_, _, samples) in enumerate(known):
                heard = reader.read(Wanted(), 1_000 * at + 300, 400)
                np.testing.assert_array_equal(heard, samples[300:700])
                open_now = [
                    os.readlink(f"/proc/self/fd/{fd}")
                    for fd in os.listdir("/proc/self/fd")
                    if os.path.islink(f"/proc/self/fd/{fd}")
                ]
                most = max(most, sum(str(tmp_path) in path for path in open_now))
            assert round_ < 2
        assert 0 < most <= 24


@pytest.mark.parametrize("what", ["gone", "junk", "link", "folder", "empty"])
def test_what_is_not_the_recorded_file_any_more_is_refused_with_its_name_or_silent(tmp_path, what):
    source, file, _ = recorded(tmp_path)
    elsewhere = tmp_path / "elsewhere.wav"
    file.path.rename(elsewhere)
    match what:
        case "junk":
            file.path.write_bytes(b"RIFF" + b"junk" * 100)
        case "link":
            file.path.symlink_to(elsewhere)
        case "folder":
            file.path.mkdir()
        case "empty":
            file.path.touch()
    with on_disk(source, file).reader() as reader, pytest.raises(FileRefused, match=r"a\.wav") as refused:
        reader.read(Wanted(), 1_000, 10)
    assert "put" in str(refused.value)
    with on_disk(source, file).reader(gone_is_silent=True) as reader:
        assert not reader.read(Wanted(), 1_000, 4_000).any()


def test_a_file_that_was_changed_is_told_from_the_recorded_one(tmp_path):
    source, file, samples = recorded(tmp_path)
    on_disk(source, file).check_whole(Wanted())
    samples[7] += 0.001
    soundfile.write(file.path, samples, FS, subtype="FLOAT")
    with pytest.raises(FileRefused, match="was changed since it was recorded"):
        on_disk(source, file).check_whole(Wanted())


def test_a_file_that_breaks_off_is_silent_from_there_on_and_nothing_moves(tmp_path):
    source, file, samples = recorded(tmp_path)
    content = file.path.read_bytes()
    file.path.write_bytes(content[: len(content) - 4 * 1_500])
    with on_disk(source, file).reader() as reader:
        heard = reader.read(Wanted(), 1_000, 4_000)
    np.testing.assert_array_equal(heard[:2_400], samples[:2_400])
    assert not heard[2_600:].any()
