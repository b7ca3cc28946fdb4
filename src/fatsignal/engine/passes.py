"""One pass of a roll: a take for each part that rolls, with its files, its journal and its windows."""

import errno
import shutil
import threading
from collections.abc import Callable, Sequence
from datetime import datetime
from functools import partial
from pathlib import Path
from uuid import UUID

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import HEARD_FIRST, place_of_first
from fatsignal.core.takes.roll_plan import Pass
from fatsignal.core.takes.windows import Gap, Window, joined, touches
from fatsignal.engine.disk_writer import DiskWriter
from fatsignal.engine.events import RollingPart
from fatsignal.engine.journal import JOURNAL_NAME, Journal, SimTone, take_id_of
from fatsignal.engine.orders import PartOrder, RollOrder
from fatsignal.engine.protocol import EndReason
from fatsignal.engine.take_files import TakeFiles, WriterFactory
from fatsignal.files.names import take_folder_name, take_stem, trial_folder_name, trial_stem
from fatsignal.rig.source import InputChannel, side_by_side

_SOME_DAY = 1 << 62
_MOST_NUMBERS_TRIED = 10_000
_COUNT_IN = "stopped before its window began"
_HARDLY_BEGUN = "stopped in its first bar"


class _Take:
    """A part's take in this pass; `columns` are its channels among those of the source.

    Its journal is changed by the thread that rolls and by the disk line: `change` does so whole.
    """

    def __init__(self, part: PartOrder, files: TakeFiles, journal: Journal, columns: slice) -> None:
        self.part, self.files, self.columns = part, files, columns
        self.journal = journal
        self._changing = threading.Lock()

    def change(self, changes: Callable[[Journal], dict[str, object]]) -> None:
        with self._changing:
            self.journal = self.journal.model_copy(update=changes(self.journal))

    def take_number(self, number: int) -> None:
        """Another number, where a folder of this one is there already: whoever makes the folder has the number."""
        self.files.call(*_called(self.part, number, trial=self.journal.trial))
        self.change(lambda _: {"number": number, "channels": self.files.channels})


class PassRecorder:
    """A pass while it rolls. Its files belong to the disk line; all else to the thread that rolls."""

    def __init__(
        self,
        order: RollOrder,
        place: Pass,
        inputs: Sequence[InputChannel],
        disk: DiskWriter,
        *,
        open_writer: WriterFactory,
    ) -> None:
        self.place = place
        self._order = order
        self._disk = disk
        self.windows = list(order.plan.windows)
        self.by_hand = order.plan.by_hand
        self._in_since: int | None = None
        started_at = datetime.now().astimezone()
        self._takes = [
            self._take_of(part, inputs[columns], columns, started_at, open_writer)
            for part, columns in zip(
                order.parts, side_by_side(part.channels_to_disk for part in order.parts), strict=True
            )
        ]

    def _take_of(
        self, part: PartOrder, inputs: Sequence[InputChannel], columns: slice, started_at: datetime,
        open_writer: WriterFactory,
    ) -> _Take:  # fmt: skip
        order, number = self._order, part.first_number + self.place.index
        files = TakeFiles(
            *_called(part, number, trial=order.trial), inputs, rate_hz=order.rate_hz, depth=order.depth,
            from_frame=self.place.song_from, open_writer=open_writer, beside=(JOURNAL_NAME,),
        )  # fmt: skip
        journal = Journal(
            take_id=take_id_of(order.roll_id, part.part_id, self.place.index), roll_id=order.roll_id,
            session_id=order.session_id, part_id=part.part_id, number=number, rate_hz=order.rate_hz,
            from_frame=self.place.song_from, windows=self.windows, by_hand=self.by_hand, setup=part.setup,
            channels=files.channels, started_at=started_at, sim_tone=_sim_tone(part), heard=_heard(order),
            trial=order.trial,
        )  # fmt: skip
        return _Take(part, files, journal, columns)

    @property
    def frames(self) -> int:
        """Frames on disk."""
        return min(take.files.frames for take in self._takes)

    @property
    def take_ids(self) -> list[UUID]:
        return [take.journal.take_id for take in self._takes]

    @property
    def parts(self) -> list[RollingPart]:
        return [
            RollingPart(
                part_id=take.journal.part_id, take_id=take.journal.take_id, number=take.journal.number,
                channels=take.journal.channels, heard_first=place_of_first(take.journal.channels, HEARD_FIRST),
            )
            for take in self._takes
        ]  # fmt: skip

    @property
    def punched_in(self) -> bool:
        return self._in_since is not None

    @property
    def used(self) -> list[Window]:
        """Its windows as they are now; one that is open ends some day."""
        return [*self.windows, *([] if self._in_since is None else [Window(self._in_since, _SOME_DAY)])]

    def open(self) -> None:
        """Make folders, journals and files, on the disk line."""
        for take in self._takes:
            self._disk.submit(partial(_open, take, self._disk))

    def write(self, samples: Samples, at_frame: int, lost_frames: int) -> None:
        """Give the files what of these frames of the stream is theirs; the first `lost_frames` stand for lost ones."""
        start, end = max(at_frame, self.place.stream_from), min(at_frame + len(samples), self.place.stream_to)
        if start >= end:
            return
        mine = samples[start - at_frame : end - at_frame]
        lost = min(end, at_frame + lost_frames) - start
        for take in self._takes:
            self._disk.write(take.files, np.ascontiguousarray(mine[:, take.columns]))
        if lost > 0:
            gap = Gap(start - self.place.stream_from, lost)
            self._change(lambda journal: {"gaps": [*journal.gaps, gap]})

    def punch(self, song_frame: int) -> None:
        """In where it was out, out where it was in. The first press makes what is used a matter of presses."""
        if not self.by_hand:
            self.by_hand, self.windows = True, []
        if self._in_since is None:
            self._in_since = song_frame
        else:
            self.windows = list(joined([*self.windows, Window(self._in_since, song_frame)]))
            self._in_since = None
        # While it is in, the journal has it in until the end: a crash keeps what was pressed.
        now = self.used
        self._change(lambda _: {"windows": now, "by_hand": True})

    def close(
        self, reason: EndReason, *, at_frame: int, into_bin: bool, one_bar_frames: int, done: Callable[[], None]
    ) -> None:
        """Close the files at a frame of the stream, on the disk line; call `done` when they are on the disk."""
        song_frame = self.place.song_from + at_frame - self.place.stream_from
        if self._in_since is not None:
            self.punch(song_frame)
        played = sum(max(0, min(window.to_frame, song_frame) - window.from_frame) for window in self.windows)
        note = ""
        if reason == "stopped" and not self.by_hand:
            if not played:
                note = _COUNT_IN
            elif self.place.index and played < one_bar_frames:
                note = _HARDLY_BEGUN
        for take in self._takes:
            self._disk.submit(partial(_close, take, self._disk, reason, into_bin or bool(note), note))
        self._disk.do_when_through(done)

    def discard(self) -> None:
        """Nothing but a copy of the pass before is in it: its files go."""
        for take in self._takes:
            self._disk.submit(partial(_discard, take))

    def _change(self, changes: Callable[[Journal], dict[str, object]]) -> None:
        for take in self._takes:
            take.change(changes)
            self._disk.submit(partial(_keep, take))


def _called(part: PartOrder, number: int, *, trial: bool) -> tuple[Path, str]:
    """The folder of a take or a trial clip, and what the names of its files begin with."""
    if trial:
        return part.folder / trial_folder_name(number), trial_stem(part.name, number)
    return part.folder / take_folder_name(number), take_stem(part.name, number)


def _heard(order: RollOrder) -> list[UUID]:
    """Takes of other parts that play beside the roll where it is used."""
    spans = order.plan.windows or (Window(order.plan.play_from_frame, order.plan.to_frame),)
    tracks = [track for track in order.tracks if not track.own]
    return sorted(
        {
            piece.source_id
            for track in tracks
            for piece in track.material.pieces
            if touches(spans, piece.place) and track.material.source(piece.source_id).was_played
        }
    )


def _sim_tone(part: PartOrder) -> SimTone | None:
    tone = part.monitor.tone
    if not part.prints or tone is None:
        return None
    return SimTone(name=tone.name, fingerprint=tone.fingerprint(), tone_revision_id=part.monitor.tone_revision_id)


def _open(take: _Take, disk: DiskWriter) -> None:
    """Under the first number from its own on that nothing in the part's folder has: an import may have been quicker."""
    for number in range(take.journal.number, take.journal.number + _MOST_NUMBERS_TRIED):
        if number != take.journal.number:
            take.take_number(number)
        try:
            take.files.open(take.journal.started_at, first=partial(_keep, take))
            disk.bring_through(take.files.through())
            return
        except FileExistsError:
            continue
    raise FileExistsError(errno.EEXIST, "no free number")


def _keep(take: _Take) -> None:
    if take.files.folder.exists():
        take.journal.write(take.files.folder)


def _close(take: _Take, disk: DiskWriter, reason: EndReason, into_bin: bool, note: str) -> None:
    if not take.files.opened:
        return
    through = take.files.through()
    trouble = take.files.close()
    take.change(lambda _: {"ended": reason, "into_bin": into_bin, "problem": note})
    _keep(take)
    disk.bring_through(through)
    if trouble is not None:
        raise trouble


def _discard(take: _Take) -> None:
    if take.files.opened:
        take.files.close()
        shutil.rmtree(take.files.folder, ignore_errors=True)
