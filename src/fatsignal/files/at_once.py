"""Files that are there whole, or as they were before, whatever happens while they are written."""

import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def written_at_once(path: Path) -> Iterator[Path]:
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
