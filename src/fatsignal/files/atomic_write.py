"""Files that are there whole, or as they were before, whatever happens while they are written."""

import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def atomic_write(path: Path) -> Iterator[Path]:
    """Where to write what becomes `path` when it is whole.

    Several processes or threads may write the same file: each has a place of its own, and the last to end stays. What
    fails leaves nothing behind.
    """
    own = path.with_name(f"{path.stem}.{os.getpid()}-{threading.get_ident()}.partial{path.suffix}")
    try:
        yield own
        own.replace(path)
    finally:
        own.unlink(missing_ok=True)


def sync_file(path: Path) -> None:
    """Return when a file's bytes are on the disk."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def sync_folder(folder: Path) -> None:
    """Return when the names in a folder are on the disk."""
    # A folder is opened and synced like a file; what cannot do that (some network drives) keeps names by itself.
    try:
        sync_file(folder)
    except OSError:
        if not folder.is_dir():
            raise


def rename_durably(path: Path, to: Path) -> None:
    """Give a file that is on the disk another name, and return when the name is there too."""
    path.replace(to)
    sync_folder(to.parent)
    if path.parent != to.parent:
        sync_folder(path.parent)
