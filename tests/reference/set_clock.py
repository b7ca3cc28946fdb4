"""A wall clock that a test can set, for the processes that it starts."""

import struct
import subprocess
from pathlib import Path

SOURCE = Path(__file__).with_suffix(".c")


class SettableClock:
    """Compiled below `folder`; processes started with `variables` see the time of day moved."""

    def __init__(self, folder: Path) -> None:
        library = folder / "set_clock.so"
        subprocess.run(["cc", "-shared", "-fPIC", "-O1", "-o", str(library), str(SOURCE), "-ldl"], check=True)
        self._offset = folder / "offset"
        self.set(0)
        self.variables = {"LD_PRELOAD": str(library), "SET_CLOCK": str(self._offset)}

    def set(self, hours: float) -> None:
        """Move it so many hours from the true time."""
        mode = "r+b" if self._offset.exists() else "wb"
        with self._offset.open(mode) as file:
            file.write(struct.pack("@l", round(3600 * hours)))
