"""Nothing rolls: who is armed hears the own playing, with meters, and nothing goes to disk."""

from collections.abc import Callable, Sequence

from fatsignal.core.tone.document import Tone
from fatsignal.engine.capture import Capture, told_as_end
from fatsignal.engine.events import Ended, Event, StandingBy
from fatsignal.engine.live_chains import LiveChains
from fatsignal.engine.meter_window import METER_HZ, Interval, MeterWindow
from fatsignal.engine.monitor import Monitor
from fatsignal.engine.orders import Cue, StandbyOrder
from fatsignal.engine.protocol import ChannelFile

# Where nobody listens any more, as when the page was closed, the device is let go.
_NOBODY_S = 15.0


class InputMonitoring(Capture):
    """Stands by until it is stopped, or nobody listens."""

    def __init__(
        self, order: StandbyOrder, source: LiveChains, tell: Callable[[Event], None], *, monitor: Monitor
    ) -> None:
        super().__init__(order.roll_id, source)
        self._order, self._chains, self._tell = order, source, tell
        self._monitor = monitor

    def set_cues(self, cues: Sequence[Cue]) -> None:
        """Other levels and pans in the ears."""
        self._monitor.set_cues(cues)

    def turn(self, key: str, tone: Tone) -> None:
        """Another tone of a part, heard at once."""
        self._chains.turn(key, tone)

    def run(self) -> None:
        """Stand by; an event tells the beginning and the end."""
        order, heard, left_at = self._order, 0, 0
        meters, ticks = MeterWindow(len(self._source.channels), draws=False), Interval(order.rate_hz // METER_HZ)
        channels = [ChannelFile(name=channel.name, kind=channel.kind, file="") for channel in self._source.channels]
        self._tell(StandingBy(roll_id=order.roll_id, session_id=order.session_id, channels=channels))
        try:
            with told_as_end(order.roll_id) as problems:
                while not self._stopping.is_set() and (block := self._source.read_block()) is not None:
                    if not len(block.samples):
                        continue
                    heard += len(block.samples)
                    if self._monitor.listened:
                        left_at = heard
                    elif heard - left_at > _NOBODY_S * order.rate_hz:
                        break
                    meters.add(block.samples)
                    if ticks.due(heard):
                        self._tell(meters.take().told(order.roll_id, frame=0, bar=1, beat=1, **self._chains.load()))
        finally:
            self._source.close()
        problem = "".join(problems)
        self._tell(
            Ended(
                roll_id=order.roll_id, frames=heard, reason="problem" if problem else "stopped", problem=problem,
                stood_by=True,
            )
        )  # fmt: skip
