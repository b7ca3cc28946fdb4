"""What the server, the engine and the workers did and refused, in words: a file that a person can send.

It lies in the data folder's `logs`, one file a process kind, and stays small. No sound and no secrets go in: names and
ids only.
"""

import logging
from logging.handlers import RotatingFileHandler
from pathlib import Path

_LARGEST_BYTES = 1_000_000
_OLDER_FILES = 4
_LINE = "%(asctime)s %(process)d %(levelname)s %(name)s: %(message)s"


def write_log(folder: Path, name: str) -> None:
    """From now on this process writes what it has to say to `folder`/`name`.log; warnings go to its console too.

    A folder that cannot be written to holds nothing up: the console has it then.
    """
    root = logging.getLogger()
    root.setLevel(logging.INFO)
    console = logging.StreamHandler()
    console.setLevel(logging.WARNING)
    console.setFormatter(logging.Formatter("%(name)s: %(message)s"))
    handlers: list[logging.Handler] = [console]
    try:
        folder.mkdir(parents=True, exist_ok=True)
        # Several workers may write one file: each line is appended whole; at worst one rotation loses a few lines.
        kept = RotatingFileHandler(
            folder / f"{name}.log", maxBytes=_LARGEST_BYTES, backupCount=_OLDER_FILES, encoding="utf-8"
        )
        kept.setFormatter(logging.Formatter(_LINE))
        handlers.append(kept)
    except OSError as trouble:
        logging.getLogger(__name__).warning("no log is kept in %s: %s", folder, trouble)
    for handler in list(root.handlers):
        root.removeHandler(handler)
    for handler in handlers:
        root.addHandler(handler)
    # Others' chatter: every request, every query, every compiled kernel.
    for chatty in ("numba", "procrastinate", "psycopg", "psycopg.pool", "uvicorn.access", "httpx", "websockets"):
        logging.getLogger(chatty).setLevel(logging.WARNING)
