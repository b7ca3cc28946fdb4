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
from fatsignal.core.level.depth import BYTES
from fatsignal.core.material.channels import Wanted
from fatsignal.core.material.material import Source, whole
from fatsignal.errors import FileRefused
from fatsignal.files.atomic_write import atomic_write
from fatsignal.files.material_files import EasedFile, MaterialOnDisk, SourceFile
from fatsignal.files.sound_writer import write_sound

# In the folder of a session.
FOLDER = "Comps/Eased"


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
        if not _whole(path := _path(take.id, run, folder), frames=run.at.frames, channels=len(files))
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


def unused_files(used: Iterable[tuple[UUID, Easing]], folder: Path) -> list[Path]:
    """Files that no easing of a take needs, of those given; one that is wanted after all is made again."""
    needed = {_path(take_id, run, folder) for take_id, easing in used for run in runs(easing)}
    return sorted(path for path in folder.glob("*.wav") if path not in needed)


def _whole(path: Path, *, frames: int, channels: int) -> bool:
    """Whether a file is there and holds as much as it has to."""
    try:
        return path.stat().st_size > frames * channels * BYTES["32f"]
    except OSError:
        return False


def _path(take_id: UUID, run: Run, folder: Path) -> Path:
    return folder / f"{run.easing.source_id(take_id)}.wav"
