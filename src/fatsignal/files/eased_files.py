"""What an easing makes of a take, as files: made once when they are first asked for, and again if they are gone.

A file holds all channels of one run of strokes, 32-bit float: where nothing is stretched its samples are those of the
take, bit for bit. It is named by what it was made of, so that nothing is ever written over.
"""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path
from uuid import UUID

import numpy as np

from fatsignal.core.easing.easing import Easing, Run, runs
from fatsignal.core.material.channels import Wanted
from fatsignal.core.material.material import Source, whole
from fatsignal.errors import FileRefused
from fatsignal.files.atomic_write import atomic_write
from fatsignal.files.material_files import EasedFile, MaterialOnDisk, SourceFile
from fatsignal.files.sound_writer import write_sound

FOLDER = "Eased"


def eased_take(
    take: Source, files: Sequence[SourceFile], easing: Easing, folder: Path
) -> tuple[Source, tuple[SourceFile, ...]]:
    """A take as it sounds when it is eased, and its files; `folder` is where what is made of it lies."""
    source_id = easing.source_id(take.id)
    source = replace(
        take, id=source_id, fingerprint=f"{take.fingerprint} {source_id}", frames=take.frames + easing.later
    )
    of_runs = runs(easing)
    return (
        source,
        tuple(
            replace(
                file, source_id=source_id,
                eased=tuple(EasedFile(_path(take.id, run, folder), column, run.at, run.later) for run in of_runs),
            )
            for column, file in enumerate(files)
        ),
    )  # fmt: skip


def make_missing(
    take: Source, files: Sequence[SourceFile], easings: Iterable[Easing], folder: Path, *, rate_hz: int
) -> None:  # fmt: skip
    """Make what is not there yet of some easings of a take; of a take whose files are away nothing can be."""
    missing = {
        path: run.easing
        for easing in easings
        for run in runs(easing)
        if not (path := _path(take.id, run, folder)).exists()
    }
    if not missing:
        return
    folder.mkdir(parents=True, exist_ok=True)
    recorded = MaterialOnDisk(whole(take, first_frame=0, rate_hz=rate_hz), tuple(files))
    with recorded.reader() as reader:
        for path, easing in missing.items():
            try:
                played = np.array(
                    [
                        reader.read(Wanted.exactly(file.channel), easing.changes.from_frame, easing.changes.frames)
                        for file in files
                    ]
                )
            except (FileRefused, OSError):
                continue
            # What finds periods is needed here only.
            from fatsignal.core.easing.render import eased

            sound = eased(played, easing, rate_hz=rate_hz)
            with atomic_write(path) as partial:
                partial.unlink(missing_ok=True)
                write_sound(partial, [sound.T], rate_hz=rate_hz, channels=len(files), depth="32f")


def _path(take_id: UUID, run: Run, folder: Path) -> Path:
    return folder / f"{run.easing.source_id(take_id)}.wav"
