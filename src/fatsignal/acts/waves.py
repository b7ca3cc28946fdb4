"""The columns that waves are drawn from: kept by fingerprint, and made again from the sound where they are gone."""

import logging
from pathlib import Path

import numpy as np

from fatsignal.acts.survey import ChannelPass
from fatsignal.core.level.waveform_peaks import BASE_FRAMES, Columns, coarser
from fatsignal.core.material.channels import Wanted
from fatsignal.errors import FatSignalError
from fatsignal.files.atomic_write import atomic_write
from fatsignal.files.material_files import MaterialOnDisk

log = logging.getLogger(__name__)


def keep_wave(folder: Path, fingerprint: str, waves: Columns) -> None:
    """Store the finest columns, shape (channels, columns, 2); coarser ones are joined from them when asked for.

    They can be made again at any time: a disk that takes none holds nothing up.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with atomic_write(_path(folder, fingerprint)) as partial:
            np.save(partial, waves)
    except OSError as trouble:
        log.warning("the wave %s is not kept: %s", fingerprint, trouble)


def load_wave(folder: Path, fingerprint: str, *, frames_per_column: int = BASE_FRAMES) -> Columns | None:
    """Columns of a kept wave; None where none is kept, or what lies there is no wave.

    `frames_per_column` is rounded to a step kept.
    """
    try:
        fine = np.load(_path(folder, fingerprint), mmap_mode="r", allow_pickle=False)
        if fine.ndim != 3 or fine.shape[2] != 2 or fine.dtype != np.int8:
            return None
        return coarser(np.asarray(fine), max(1, round(frames_per_column / BASE_FRAMES)))
    except (OSError, ValueError, EOFError):
        return None


def make_wave(folder: Path, on_disk: MaterialOnDisk) -> bool:
    """Make the columns of a material from its sound, and keep them; whether there is a sound to make them from."""
    with on_disk.reader() as reader:
        try:
            waves = [ChannelPass(reader, Wanted.exactly(channel)).columns() for channel in reader.material.channels]
        except FatSignalError as problem:
            log.info("no wave of %s: %s", on_disk.material.id, problem)
            return False
    keep_wave(folder, on_disk.material.fingerprint, np.concatenate(waves))
    return True


def _path(folder: Path, fingerprint: str) -> Path:
    return folder / f"{fingerprint}.npy"
