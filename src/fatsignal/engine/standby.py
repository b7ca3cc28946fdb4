"""Nothing rolls: who is armed hears the own playing, with meters, and nothing goes to disk."""

import threading
from collections.abc import Callable, Sequence
from uuid import UUID

from fatsignal.engine.live_chains import LiveChains
from fatsignal.engine.meter_window import FRAMES_PER_COLUMN, METER_HZ, MeterWindow
from fatsignal.engine.monitor import Monitor
from fatsignal.engine.protocol import ChannelFile, Cue, Ended, Event, Meters, StandbyOrder, StandingBy
from fatsignal.errors import FatSignalError

# Where nobody listens any more, as when the page was closed, the device is let go.
_NOBODY_S = 15.0


class Standby:
    """Stands by until it is stopped, or nobody listens."""

    def __init__(
        self, order: StandbyOrder, source: LiveChains, tell: Callable[[Event], None], *, monitor: Monitor
    ) -> None:
        self._order, self._source, self._tell = order, source, tell
        self._monitor = monitor
        self._stopping = threading.Event()

    @property
    def roll_id(self) -> UUID:
        return self._order.roll_id

    def stop(self, *, into_bin: bool = False) -> None:
        """Ask for the end."""
        self._stopping.set()
        self._source.close()

    def set_cues(self, cues: Sequence[Cue]) -> None:
        """Other levels and pans in the ears."""
        self._monitor.set_cues(cues)

    def run(self) -> None:
        """Stand by; an event tells the beginning and the end."""
        order, heard, left_at, problem = self._order, 0, 0, ""
        meters, meter_at = MeterWindow(len(self._source.channels)), order.rate_hz // METER_HZ
        channels = [ChannelFile(name=channel.name, kind=channel.kind, file="") for channel in self._source.channels]
        self._tell(StandingBy(roll_id=order.roll_id, session_id=order.session_id, channels=channels))
        try:
            while not self._stopping.is_set() and (block := self._source.read_block()) is not None:
                if not len(block.samples):
                    continue
                heard += len(block.samples)
                if self._monitor.listened:
                    left_at = heard
                elif heard - left_at > _NOBODY_S * order.rate_hz:
                    break
                meters.add(block.samples)
                if heard >= meter_at:
                    meter_at += order.rate_hz // METER_HZ
                    levels = meters.take()
                    self._tell(
                        Meters(
                            roll_id=order.roll_id, frame=0, bar=1, beat=1, peak_dbfs=levels.peak_dbfs,
                            average_dbfs=levels.average_dbfs, frames_per_column=FRAMES_PER_COLUMN, first_column=0,
                            columns=[[]] * len(channels), monitor_load=round(self._source.load(), 3),
                        )
                    )  # fmt: skip
        except FatSignalError as trouble:
            problem = str(trouble)
        finally:
            self._source.close()
        self._tell(
            Ended(
                roll_id=order.roll_id, frames=heard, reason="problem" if problem else "stopped", problem=problem,
                stood_by=True,
            )
        )  # fmt: skip
