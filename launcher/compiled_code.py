"""Where the machine code of compiled loops is kept: a folder for each state of the sources.

The compiler notes for each loop when its own file changed, not when a loop that it calls did, in another file: after an
update some would run what they were, and two workers would print differently.
"""

import hashlib
import os
import shutil
from pathlib import Path

from launcher.setup import ROOT

SOURCES = ROOT / "src" / "fatsignal" / "core"
FOLDER = ROOT / "build" / "numba"
# Who goes back to an older release for a moment does not wait for the compiler again.
_KEPT = 3


def folder_of_sources(sources: Path = SOURCES, folder: Path = FOLDER) -> Path:
    """The folder for the sources as they are; those of the oldest other states are removed."""
    told = hashlib.sha256()
    for path in sorted(sources.rglob("*.py")):
        told.update(f"{path.relative_to(sources)} {path.stat().st_size} ".encode())
        told.update(path.read_bytes())
    own = folder / told.hexdigest()[:16]
    own.mkdir(parents=True, exist_ok=True)
    os.utime(own)
    others = sorted((each for each in folder.iterdir() if each != own), key=lambda each: -each.stat().st_mtime)
    for old in others[_KEPT - 1 :]:
        shutil.rmtree(old, ignore_errors=True) if old.is_dir() else old.unlink(missing_ok=True)
    return own
