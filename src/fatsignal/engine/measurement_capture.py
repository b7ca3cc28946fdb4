"""Listening for a check, or to what the computer plays: to disk, with meters, and with the pitch of a string."""

from collections.abc import Callable
from datetime import datetime

import numpy as np

from fatsignal.core.pitch.notes import targets_of
from fatsignal.core.pitch.tuner import Tuner
from fatsignal.engine.aligned_input import AlignedInput
from fatsignal.engine.capture import Capture, told_as_end
from fatsignal.engine.disk_writer import DiskWriter
from fatsignal.engine.events import Ended, Event, Listening, Pitch
from fatsignal.engine.meter_window import METER_HZ, Interval, MeterWindow
from fatsignal.engine.orders import ListenOrder
from fatsignal.engine.protocol import EndReason
from fatsignal.engine.take_files import TakeFiles, WriterFactory, disk_sentence
from fatsignal.errors import RollRefused
from fatsignal.files.wave_writer import WaveWriter
from fatsignal.rig.source import Source


class MeasurementCapture(Capture):
    """Listens to one order. `run` blocks until its frames are there, `stop` is called, or a problem ends it."""

    def __init__(
        self, order: ListenOrder, source: Source, tell: Callable[[Event], None], *,
        open_writer: WriterFactory = WaveWriter,
    ) -> None:  # fmt: skip
        super().__init__(order.roll_id, source)
        self._order = order
        self._intake = AlignedInput(source, offset_frames=order.record_offset_frames)
        self._tell = tell
        self._tuner = _tuner(order)
        self._files = TakeFiles(
            order.folder, order.stem, source.channels, rate_hz=order.rate_hz, depth=order.depth,
            from_frame=order.from_frame, open_writer=open_writer,
        )  # fmt: skip

    def run(self) -> Ended:
        """Listen. Whatever happens, the files are closed, and an event tells how it ended."""
        reason: EndReason = "stopped"
        problem = ""
        order = self._order
        self._disk = DiskWriter(rate_hz=order.rate_hz, real_time=order.paced)
        try:
            with told_as_end(order.roll_id) as problems:
                self._begin()
                reason = self._listen()
        finally:
            self._source.close()
            self._disk.submit(self._close)
            self._disk.finish()
        if problems:
            reason, problem = "problem", problems[0]
        if self._disk.trouble is not None:
            reason, problem = "problem", disk_sentence(self._disk.trouble, self._files.frames / order.rate_hz)
        ended = Ended(
            roll_id=order.roll_id, folder=order.folder, frames=self._files.frames, reason=reason, problem=problem,
            listened=True,
        )  # fmt: skip
        self._tell(ended)
        return ended

    def _begin(self) -> None:
        self._disk.submit(lambda: self._files.open(datetime.now().astimezone()))
        self._disk.flush()
        if self._disk.trouble is None:
            self._tell(
                Listening(
                    **self._order.model_dump(include={"roll_id", "session_id", "part_id", "kind"}),
                    frames=self._order.to_frame - self._order.from_frame, channels=self._files.channels,
                )
            )  # fmt: skip

    def _listen(self) -> EndReason:
        rate_hz, wanted = self._order.rate_hz, self._order.to_frame - self._order.from_frame
        every_frames = rate_hz // METER_HZ
        meters, ticks = MeterWindow(len(self._source.channels)), Interval(every_frames)
        heard = 0
        while not self._stopping.is_set() and heard < wanted:
            if self._disk.trouble is not None:
                return "problem"
            arrived = self._intake.read()
            if arrived is None:
                return "stopped" if self._stopping.is_set() else "section"
            if arrived.lost_frames:
                raise RollRefused("the interface lost audio while it was listened to: check again")
            block = arrived.samples[: wanted - heard]
            if not len(block):
                continue
            self._disk.write(self._files, block)
            # Blocks may be longer than a message is due: the tuner is read as often all the same.
            for start in range(0, len(block), every_frames):
                piece = block[start : start + every_frames]
                heard += len(piece)
                meters.add(piece)
                if self._tuner is not None:
                    # The first channel is the DI, where there is one: the cleanest sound of a string.
                    self._tuner.push(np.ascontiguousarray(piece[:, 0]))
                if ticks.due(heard):
                    self._show(meters, heard)
        return "section" if heard >= wanted else "stopped"

    def _close(self) -> None:
        through = self._files.through()
        trouble = self._files.close()
        self._disk.bring_through(through)
        if trouble is not None:
            raise trouble

    def _show(self, meters: MeterWindow, heard: int) -> None:
        frame = self._order.from_frame + heard
        bar, beat = self._order.tempo.bar_beat_at(frame)
        self._tell(meters.take().told(self.roll_id, frame=frame, bar=bar, beat=beat))
        if self._tuner is not None:
            self._tell(self._pitch(self._tuner))

    def _pitch(self, tuner: Tuner) -> Pitch:
        found = tuner.reading()
        if found is None:
            return Pitch(roll_id=self.roll_id)
        return Pitch(
            roll_id=self.roll_id, note=found.note, string=found.string, cents=round(found.cents, 2),
            frequency_hz=round(found.frequency_hz, 3),
            drift_cents=None if found.drift_cents is None else round(found.drift_cents, 2),
            since_onset_s=round(found.since_onset_s, 3),
        )  # fmt: skip


def _tuner(order: ListenOrder) -> Tuner | None:
    if not order.follows_pitch or order.setup is None:
        return None
    targets = targets_of(
        order.setup.open_notes, reference_pitch_hz=order.reference_pitch_hz,
        offsets_cents=order.setup.string_offsets_cents or None,
    )  # fmt: skip
    return Tuner(targets, rate_hz=order.rate_hz, reference_pitch_hz=order.reference_pitch_hz)
