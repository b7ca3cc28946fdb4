"""What was written reaches the disk itself beside the thread that writes.

A single sync may take half a second on a busy drive. The blocks that arrive meanwhile are written all the same: killed
within that half second, the process leaves them behind.
"""

import logging
import threading
from collections.abc import Callable

log = logging.getLogger(__name__)


class DiskSync:
    """Acts that wait for the disk, one after the other in the order given."""

    def __init__(self) -> None:
        self.trouble: OSError | None = None
        self._changed = threading.Condition()
        self._acts: list[Callable[[], None]] = []
        self._busy = self._finishing = False
        self._thread = threading.Thread(target=self._run, name="sync", daemon=True)
        self._thread.start()

    @property
    def idle(self) -> bool:
        with self._changed:
            return not (self._acts or self._busy)

    def submit(self, act: Callable[[], None]) -> None:
        """Do something after all that was asked for until now; the first that the disk refuses is kept as trouble."""
        with self._changed:
            self._acts.append(act)
            self._changed.notify_all()

    def finish(self) -> None:
        """Return when everything is done."""
        with self._changed:
            self._finishing = True
            self._changed.notify_all()
        self._thread.join()

    def _run(self) -> None:
        while True:
            with self._changed:
                self._busy = False
                self._changed.wait_for(lambda: self._acts or self._finishing)
                if not self._acts:
                    return
                act, self._busy = self._acts.pop(0), True
            try:
                act()
            except OSError as trouble:
                log.warning("the disk refused: %s", trouble)
                self.trouble = self.trouble or trouble
            except Exception as trouble:
                log.exception("bringing through to the disk met a fault")
                self.trouble = self.trouble or OSError(str(trouble))
