"""A roll: one stream to disk, cut into passes, each a take of its own with nothing lost at the seam."""

import time
from collections.abc import Callable, Sequence

from fatsignal.engine.aligned_input import AlignedInput, Arrived
from fatsignal.engine.capture import Capture, told_as_end
from fatsignal.engine.disk_space import LEAST_TO_START_S, FreeBytes, SpaceWatch, free_bytes
from fatsignal.engine.disk_writer import DiskWriter
from fatsignal.engine.events import Ended, Event, Notice, PassEnded, Rolling
from fatsignal.engine.meter_window import METER_HZ, Interval, MeterWindow
from fatsignal.engine.monitor import Monitor
from fatsignal.engine.orders import Cue, RollOrder
from fatsignal.engine.passes import PassRecorder
from fatsignal.engine.protocol import EndReason
from fatsignal.engine.take_files import WriterFactory, disk_sentence
from fatsignal.errors import RollRefused
from fatsignal.files.wave_writer import WaveWriter
from fatsignal.rig.source import Source


class Recorder(Capture):
    """Rolls one order."""

    def __init__(
        self, order: RollOrder, source: Source, tell: Callable[[Event], None], *,
        open_writer: WriterFactory = WaveWriter, free: FreeBytes = free_bytes, monitor: Monitor | None = None,
        load: Callable[[], dict[str, float]] | None = None,
    ) -> None:  # fmt: skip
        super().__init__(order.roll_id, source)
        self._monitor, self._load = monitor, load
        self._order, self._plan = order, order.plan
        self._intake = AlignedInput(source, offset_frames=order.record_offset_frames)
        self._tell = tell
        self._open_writer, self._free = open_writer, free
        self._into_bin = False
        self._punches = 0
        self._open: list[PassRecorder] = []
        self._next_pass = 0
        self._at = 0  # frames of the stream that arrived
        self._lost_frames = 0
        self._last: PassRecorder | None = None
        self.heard_at_s = time.monotonic()

    def stop(self, *, into_bin: bool = False) -> None:
        """Ask for the end; it comes after the block that is being read."""
        self._into_bin = self._into_bin or into_bin
        super().stop()

    def set_cues(self, cues: Sequence[Cue]) -> None:
        """Other levels and pans in the ears."""
        if self._monitor is not None:
            self._monitor.set_cues(cues)

    def punch(self) -> None:
        """Press in, or out."""
        self._punches += 1

    def run(self) -> Ended:
        """Roll. Whatever happens, the files are closed, and an event tells how it ended."""
        reason: EndReason = "stopped"
        problem = ""
        self._disk = DiskWriter(rate_hz=self._order.rate_hz, real_time=self._order.paced)
        self._meters = MeterWindow(len(self._source.channels))
        try:
            with told_as_end(self.roll_id) as problems:
                self._space = SpaceWatch(
                    self._order.parts[0].folder, rate_hz=self._order.rate_hz, channels=len(self._source.channels),
                    depth=self._order.depth, free=self._free,
                )  # fmt: skip
                if self._space.left_s < LEAST_TO_START_S:
                    raise RollRefused(
                        f"the disk has room for {self._space.left_s:.0f} s only: make room and roll again"
                    )
                self._begin()
                reason = self._roll()
            if problems:
                reason, problem = "problem", problems[0]
        finally:
            self._source.close()
            self._disk.flush()
            self._finish("problem" if self._disk.trouble else reason)
        if reason == "space":
            problem = f"the disk is nearly full: it stopped, and what was rolled is kept ({self._kept_s():.1f} s)"
        if self._disk.trouble is not None:
            reason, problem = "problem", disk_sentence(self._disk.trouble, self._kept_s())
        ended = Ended(roll_id=self.roll_id, frames=self._at, reason=reason, problem=problem)
        self._tell(ended)
        return ended

    def _begin(self) -> None:
        """The first pass has its files before anybody is told that it rolls."""
        self._open_next()
        self._disk.flush()
        if self._disk.trouble is None:
            self._show_pass()

    def _roll(self) -> EndReason:
        rate_hz = self._order.rate_hz
        end = None if self._plan.again_from_frame is not None else self._plan.to_frame - self._plan.from_frame
        meter_ticks, space_ticks = Interval(rate_hz // METER_HZ), Interval(rate_hz)
        while not self._stopping.is_set():
            if self._disk.trouble is not None:
                return "problem"
            arrived = self._intake.read()
            self.heard_at_s = time.monotonic()
            if arrived is None:
                return "stopped" if self._stopping.is_set() else "section"
            if end is not None:
                arrived = _until(arrived, end)
            self._take_in(arrived)
            if end is not None and self._at >= end:
                return "section"
            if meter_ticks.due(self._at):
                self._show_meters()
            if space_ticks.due(self._at):
                if self._space.look() <= 0:
                    return "space"
                if warning := self._space.sentence():
                    self._tell(Notice(problem=warning))
        return "stopped"

    def _take_in(self, arrived: Arrived) -> None:
        if not len(arrived.samples):
            return
        start, end = arrived.at_frame, arrived.at_frame + len(arrived.samples)
        self._at = end
        while self._has_next() and self._plan.pass_at(self._next_pass).stream_from < end:
            self._open_next()
        for rolling in self._open:
            rolling.write(arrived.samples, start, arrived.lost_frames)
        if arrived.lost_frames:
            self._lost_frames += arrived.lost_frames
            lost_ms = 1000 * arrived.lost_frames / self._order.rate_hz
            self._tell(
                Notice(
                    problem=f"the interface lost {lost_ms:.0f} ms: they are marked in the take, and it keeps its time"
                )
            )
        seam = next(
            (each.place.seam_from for each in self._open if each.place.index and start <= each.place.seam_from < end),
            None,
        )
        if seam is not None:
            self._meters.begin()
            self._show_pass()
        self._meters.add(arrived.samples[max(0, (seam or start) - start) :])
        while self._punches:
            self._punches -= 1
            self._current().punch(self._plan.song_frame_at(end))
            self._show_pass()
        for rolling in [each for each in self._open if each.place.stream_to <= end and self._has_next()]:
            self._close(rolling, "section")

    def _has_next(self) -> bool:
        return self._next_pass == 0 or self._plan.again_from_frame is not None

    def _open_next(self) -> None:
        place = self._plan.pass_at(self._next_pass)
        rolling = PassRecorder(self._order, place, self._source.channels, self._disk, open_writer=self._open_writer)
        rolling.open()
        self._open.append(rolling)
        self._next_pass += 1

    def _current(self) -> PassRecorder:
        """The pass whose seam came last."""
        return next(
            rolling for rolling in reversed(self._open) if rolling.place.seam_from < self._at or not rolling.place.index
        )

    def _close(self, rolling: PassRecorder, reason: EndReason, *, into_bin: bool = False) -> None:
        self._open.remove(rolling)
        bar = self._order.tempo.bar_at(self._plan.play_from_frame)
        rolling.close(
            reason, at_frame=min(self._at, rolling.place.stream_to), into_bin=into_bin,
            one_bar_frames=self._order.tempo.bar_frame(bar + 1) - self._order.tempo.bar_frame(bar),
            done=lambda: self._tell(PassEnded(roll_id=self.roll_id, takes=rolling.take_ids)),
        )  # fmt: skip

    def _finish(self, reason: EndReason) -> None:
        current = self._last = self._current() if self._open else None
        for rolling in list(self._open):
            if rolling.place.seam_from >= self._at and rolling.place.index:
                self._open.remove(rolling)
                rolling.discard()
            elif rolling is current:
                self._close(rolling, reason, into_bin=self._into_bin)
            else:
                # The pass before: only its last handle was still written.
                self._close(rolling, "section")
        self._disk.finish()

    def _show_pass(self) -> None:
        rolling, order = self._current(), self._order
        place = rolling.place
        told = Rolling(
            roll_id=order.roll_id, session_id=order.session_id, section_id=order.section_id, way=self._plan.way,
            pass_number=place.index + 1, again=self._plan.again_from_frame is not None,
            from_frame=place.song_from + place.seam_from - place.stream_from,
            play_from_frame=self._plan.play_from_frame, to_frame=self._plan.to_frame, windows=rolling.windows,
            by_hand=rolling.by_hand, punched_in=rolling.punched_in, trial=order.trial,
            parts=rolling.parts,
        )  # fmt: skip
        if self._monitor is not None:
            self._monitor.windows = rolling.used
        self._tell(told)

    def _show_meters(self) -> None:
        frame = self._plan.song_frame_at(self._at)
        bar, beat = self._order.tempo.bar_beat_at(frame)
        self._tell(
            self._meters.take().told(
                self.roll_id, frame=frame, bar=bar, beat=beat, space_left_s=round(self._space.left_s, 1),
                lost_frames=self._lost_frames, **(self._load() if self._load else {}),
            )
        )  # fmt: skip

    def _kept_s(self) -> float:
        return self._last.frames / self._order.rate_hz if self._last else 0.0


def _until(arrived: Arrived, end: int) -> Arrived:
    """What of the frames comes before `end`."""
    room = max(0, end - arrived.at_frame)
    return Arrived(arrived.samples[:room], arrived.at_frame, min(arrived.lost_frames, room))
