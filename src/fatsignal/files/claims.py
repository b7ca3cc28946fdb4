"""Names that only one of several can have: whoever makes the folder or the file first has its name."""

import errno
import filecmp
import os
import re
from collections.abc import Callable, Iterator
from pathlib import Path

from fatsignal.files.atomic_write import sync_file, sync_folder
from fatsignal.files.names import take_folder_name, trial_folder_name

_MOST_TRIED = 10_000
_NO_LINKS = {errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.ENOSYS, errno.EMLINK}


def claim_folder(path: Path) -> Path:
    """Make a folder under this name, or with " (2)", " (3)" … after it where the name is taken; which it is.

    Raises
    ------
    OSError
        If none can be made there.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    for candidate in _candidates(path, path.name, ""):
        try:
            candidate.mkdir()
            return candidate
        except FileExistsError:
            continue
    raise FileExistsError(f"no free name like {path.name}")


def claim_file(path: Path) -> Path:
    """Make an empty file under this name, or the next free one, as `claim_folder` does."""
    for candidate in _candidates(path, path.stem, path.suffix):
        try:
            candidate.open("xb").close()
            return candidate
        except FileExistsError:
            continue
    raise FileExistsError(f"no free name like {path.name}")


def place_file(partial: Path, path: Path) -> Path:
    """Give a finished file its name, or the next free one: nothing that is there is ever replaced. Which name it got.

    A file that is there and holds the very same bytes is taken for it, as when the power failed right after it was
    placed.
    """
    for candidate in _candidates(path, path.stem, path.suffix):
        try:
            os.link(partial, candidate)
        except FileExistsError:
            if not filecmp.cmp(partial, candidate, shallow=False):
                continue
        except OSError as trouble:
            if trouble.errno not in _NO_LINKS:
                raise
            # A drive that knows no second names: an empty file holds the name until it is replaced.
            try:
                candidate.open("xb").close()
            except FileExistsError:
                continue
            partial.replace(candidate)
        partial.unlink(missing_ok=True)
        sync_file(candidate)
        sync_folder(candidate.parent)
        return candidate
    raise FileExistsError(f"no free name like {path.name}")


def claim_take_folder(part_folder: Path, number: int) -> tuple[int, Path]:
    """Make the folder of a take of a part, under `number` or the next free one: the number and the folder."""
    return _claim_numbered(part_folder, number, take_folder_name)


def claim_trial_folder(part_folder: Path, number: int) -> tuple[int, Path]:
    """The same of a trial clip."""
    return _claim_numbered(part_folder, number, trial_folder_name)


def _claim_numbered(part_folder: Path, number: int, name: Callable[[int], str]) -> tuple[int, Path]:
    part_folder.mkdir(parents=True, exist_ok=True)
    for candidate in range(number, number + _MOST_TRIED):
        folder = part_folder / name(candidate)
        try:
            folder.mkdir()
            return candidate, folder
        except FileExistsError:
            continue
    raise FileExistsError(f"no free number in {part_folder.name}")


def highest_take_number(part_folder: Path) -> int:
    """Highest number that a take's folder of a part has; 0 without any."""
    return _highest(part_folder, "Take")


def highest_trial_number(part_folder: Path) -> int:
    """The same of trial clips."""
    return _highest(part_folder, "Trial")


def _highest(part_folder: Path, word: str) -> int:
    numbers = [re.fullmatch(rf"{word} (\d{{1,9}})", path.name) for path in part_folder.glob(f"{word} *")]
    return max((int(match[1]) for match in numbers if match), default=0)


def _candidates(path: Path, stem: str, ending: str) -> Iterator[Path]:
    yield path
    for number in range(2, _MOST_TRIED):
        yield path.with_name(f"{stem} ({number}){ending}")
