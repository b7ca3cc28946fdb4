"""Listening for a check, or to what the computer plays: a capture that also reads the pitch while a string is tuned."""

from collections.abc import Callable

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.pitch.notes import targets_of
from fatsignal.core.pitch.tuner import Tuner
from fatsignal.engine.capture import Capture
from fatsignal.engine.protocol import ChannelFile, Event, Listening, ListenOrder, Pitch
from fatsignal.rig.source import Source


class Listener(Capture[ListenOrder]):
    """Listens to one order."""

    def __init__(self, order: ListenOrder, source: Source, tell: Callable[[Event], None]) -> None:
        super().__init__(order, source, tell)
        self._tuner = _tuner(order)

    def _begun(self, files: list[ChannelFile]) -> None:
        self.tell(
            Listening(
                **self._order.model_dump(include={"roll_id", "session_id", "part_id", "kind"}),
                frames=self._order.to_frame - self._order.from_frame,
                channels=files,
            )
        )

    def _heard(self, block: Samples) -> None:
        if self._tuner is not None:
            # The first channel is the DI, where there is one: the cleanest sound of a string.
            self._tuner.push(np.ascontiguousarray(block[:, 0]))

    def _shown(self) -> None:
        if self._tuner is None:
            return
        found = self._tuner.reading()
        if found is None:
            self.tell(Pitch(roll_id=self._order.roll_id))
            return
        self.tell(
            Pitch(
                roll_id=self._order.roll_id, note=found.note, string=found.string, cents=round(found.cents, 2),
                frequency_hz=round(found.frequency_hz, 3),
                drift_cents=None if found.drift_cents is None else round(found.drift_cents, 2),
                since_onset_s=round(found.since_onset_s, 3),
            )
        )  # fmt: skip


def _tuner(order: ListenOrder) -> Tuner | None:
    if order.kind != "tuning" or order.setup is None:
        return None
    targets = targets_of(
        order.setup.open_notes, reference_pitch_hz=order.reference_pitch_hz,
        offsets_cents=order.setup.string_offsets_cents or None,
    )  # fmt: skip
    return Tuner(targets, rate_hz=order.rate_hz, reference_pitch_hz=order.reference_pitch_hz)
