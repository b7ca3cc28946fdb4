"""Folders of what can be computed again: they are kept small."""

import contextlib
from pathlib import Path


def forget_oldest(folder: Path, *, most_bytes: int) -> None:
    """Remove the oldest files of a folder until the rest fits; the newest always stays.

    Who has one of them open reads it to its end.
    """
    found = []
    for path in folder.iterdir():
        with contextlib.suppress(OSError):  # another has just removed it
            state = path.stat()
            found.append((state.st_mtime_ns, state.st_size, path))
    room = most_bytes
    for age, (_, size, path) in enumerate(sorted(found, reverse=True)):
        room -= size
        if age and room < 0:
            path.unlink(missing_ok=True)
