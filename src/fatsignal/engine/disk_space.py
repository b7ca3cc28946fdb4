"""How long it can still roll before the disk is full."""

import logging
import shutil
from collections.abc import Callable
from pathlib import Path

from fatsignal.core.level.depth import BYTES, Depth
from fatsignal.errors import RollRefused

# Left for the database and the machine: rolling stops cleanly before the last byte.
RESERVE_BYTES = 64 * 1024**2
EARLY_S, LATE_S = 600.0, 60.0
LEAST_TO_START_S = 10.0

FreeBytes = Callable[[Path], int]

log = logging.getLogger(__name__)


def free_bytes(folder: Path) -> int:
    """Free bytes where a folder is, or will be."""
    while not folder.exists() and folder != folder.parent:
        folder = folder.parent
    return shutil.disk_usage(folder).free


def seconds_left(free: int, *, rate_hz: int, channels: int, depth: Depth) -> float:
    """Seconds that fit, with the reserve left alone."""
    return max(0, free - RESERVE_BYTES) / (rate_hz * channels * BYTES[depth])


class SpaceWatch:
    """Looks now and then; `sentence` says once when little is left, and once when very little is."""

    def __init__(
        self, folder: Path, *, rate_hz: int, channels: int, depth: Depth, free: FreeBytes = free_bytes
    ) -> None:
        self._folder, self._free = folder, free
        self._rate_hz, self._channels, self._depth = rate_hz, channels, depth
        self._warned_s = float("inf")
        self._asked = False
        self.left_s = 0.0
        self.look()

    def look(self) -> float:
        """Seconds left now; where the folder cannot be asked for a moment, what was left before.

        Raises
        ------
        RollRefused
            If it cannot be asked the first time.
        """
        try:
            free = self._free(self._folder)
        except OSError as trouble:
            if not self._asked:
                raise RollRefused(
                    f"the session's folder cannot be read ({trouble.strerror}): look at where it lies, and roll again"
                ) from None
            log.warning("the room on the disk cannot be told: %s", trouble)
            return self.left_s
        self._asked = True
        self.left_s = seconds_left(free, rate_hz=self._rate_hz, channels=self._channels, depth=self._depth)
        return self.left_s

    def sentence(self) -> str:
        """A warning that was not given yet, or nothing."""
        for threshold in (LATE_S, EARLY_S):
            if self.left_s < threshold:
                if self._warned_s <= threshold:
                    return ""
                self._warned_s = threshold
                said = f"{self.left_s / 60:.0f} minutes" if self.left_s >= 90 else f"{self.left_s:.0f} s"
                return f"the disk has room for {said} more: stop soon, or make room"
        return ""
