"""The way to the disk: a thread of its own, so that a slow disk does not hold up the blocks that arrive.

Blocks wait here for about twenty milliseconds and are written together; killed at any moment, the process leaves all
but that on disk. Once a second what was written is brought through to the disk itself, by a thread beside this one, so
that a loss of power takes no more than that second. Several seconds of each take may wait before whoever brings more is
held up.
"""

import errno
import logging
import threading
import time
from collections import Counter
from collections.abc import Callable
from functools import partial

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.engine.disk_sync import DiskSync
from fatsignal.engine.priority import Rank, prefer_this_thread
from fatsignal.engine.take_files import TakeFiles

_GATHER_S = 0.02
_MOST_WAITING_S = 4.0
_LOOK_S = 1.0
# A drive that is away for a moment: so long it is tried again, and as much of each take may wait meanwhile.
_PATIENCE_S = 3.5
_TRY_AGAIN_S = 0.1
# These do not pass by themselves.
_LASTING = {
    errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EROFS, errno.EACCES, errno.EPERM, errno.EBADF, errno.EEXIST,
    errno.ENOTDIR, errno.ENAMETOOLONG,
}  # fmt: skip

log = logging.getLogger(__name__)


class DiskWriter:
    """Writes and other acts on files, one after the other in the order given.

    What passes within some seconds is no trouble. After the first trouble no more is written, but files are closed as
    asked: what is on disk stays.
    """

    def __init__(self, *, rate_hz: int, real_time: bool = False) -> None:
        self._real_time = real_time
        self._trouble: OSError | None = None
        self._sync = DiskSync()
        self._most_frames = round(_MOST_WAITING_S * rate_hz)
        self._changed = threading.Condition()
        self._jobs: list[tuple[TakeFiles, Samples] | Callable[[], None]] = []
        self._waiting_frames: Counter[TakeFiles] = Counter()
        self._finishing = False
        self._looked_s = 0.0
        self._thread = threading.Thread(target=self._run, name="disk", daemon=True)
        self._thread.start()

    @property
    def trouble(self) -> OSError | None:
        """The first that the disk refused, if it did."""
        return self._trouble or self._sync.trouble

    def write(self, files: TakeFiles, block: Samples) -> None:
        """Append a block, shape (frames, channels), to a take's files; waits while seconds of it are ahead."""
        with self._changed:
            self._changed.wait_for(lambda: self._waiting_frames[files] < self._most_frames)
            self._jobs.append((files, block))
            self._waiting_frames[files] += len(block)
            self._changed.notify_all()

    def submit(self, act: Callable[[], None]) -> None:
        """Do something after all that was asked for until now."""
        with self._changed:
            self._jobs.append(act)
            self._changed.notify_all()

    def bring_through(self, through: Callable[[], None]) -> None:
        """Bring something to the disk itself (`TakeFiles.through`), after what was asked for by this until now."""
        self._sync.submit(through)

    def do_when_through(self, act: Callable[[], None]) -> None:
        """Do something when all that was asked for until now is done, and on the disk itself."""
        self.submit(lambda: self._sync.submit(act))

    def flush(self) -> None:
        """Return when all that was asked for until now is written."""
        there = threading.Event()
        self.submit(there.set)
        there.wait()

    def finish(self) -> None:
        """Return when everything is done, and on the disk itself."""
        with self._changed:
            self._finishing = True
            self._changed.notify_all()
        self._thread.join()
        self._sync.finish()

    def _run(self) -> None:
        if self._real_time:
            prefer_this_thread(Rank.DISK)
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._jobs or self._finishing)
                if not self._jobs:
                    return
                most_frames = max(self._waiting_frames.values(), default=0)
                hurried = self._finishing or most_frames > self._most_frames // 2
            if not hurried:
                time.sleep(_GATHER_S)
            with self._changed:
                jobs, self._jobs = self._jobs, []
            self._work(jobs)

    def _work(self, jobs: "list[tuple[TakeFiles, Samples] | Callable[[], None]]") -> None:
        gathered: dict[TakeFiles, list[Samples]] = {}
        for job in jobs:
            if callable(job):
                self._write(gathered)
                self._guarded(job)
            else:
                gathered.setdefault(job[0], []).append(job[1])
        self._write(gathered)

    def _write(self, gathered: dict[TakeFiles, list[Samples]]) -> None:
        look = time.monotonic() - self._looked_s > _LOOK_S
        written = Counter({files: sum(map(len, blocks)) for files, blocks in gathered.items()})
        for files, blocks in gathered.items():
            if self.trouble is None:
                self._guarded(partial(self._put, files, np.concatenate(blocks)))
                if look:
                    self._looked_s = time.monotonic()
                    self._look_after(files)
        gathered.clear()
        if written:
            with self._changed:
                # What is left; takes of which nothing waits are forgotten.
                self._waiting_frames = self._waiting_frames - written
                self._changed.notify_all()

    def _put(self, files: TakeFiles, block: Samples) -> None:
        until_s = time.monotonic() + _PATIENCE_S
        try:
            files.write(block)
            return
        except OSError as trouble:
            if trouble.errno in _LASTING:
                raise
            log.warning("writing to %s failed, and is tried again: %s", files.folder, trouble)
        while True:
            time.sleep(_TRY_AGAIN_S)
            try:
                files.write_rest()
                return
            except OSError as trouble:
                if trouble.errno in _LASTING or time.monotonic() > until_s:
                    raise

    def _look_after(self, files: TakeFiles) -> None:
        """Where a folder went and whether the disk has it all; what fails here is tried again a second later.

        The files are open: what is written goes into them whether or not their folder can be seen.
        """
        try:
            files.stay_in_place()
            if self._sync.idle:
                self._sync.submit(_tried(files.through()))
        except Exception as trouble:
            log.warning("%s cannot be looked after: %s", files.folder, trouble)

    def _guarded(self, act: Callable[[], None]) -> None:
        try:
            act()
        except OSError as trouble:
            log.warning("the disk refused: %s", trouble)
            self._trouble = self._trouble or trouble
        except Exception as trouble:
            log.exception("the disk line met a fault")
            # Whatever it is: the thread lives on, so that files are closed and nobody waits for ever.
            self._trouble = self._trouble or OSError(str(trouble))


def _tried(through: Callable[[], None]) -> Callable[[], None]:
    """What is asked for again a second later: a drive that is away for a moment is no trouble yet."""

    def act() -> None:
        try:
            through()
        except OSError as trouble:
            log.warning("what was written is not on the disk yet: %s", trouble)

    return act
