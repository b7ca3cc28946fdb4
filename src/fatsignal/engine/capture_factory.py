"""From an order to what carries it out: the source, its tones, the way to the ears."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from fatsignal.engine.bench import Bench
from fatsignal.engine.capture import Capture
from fatsignal.engine.ears import Ears
from fatsignal.engine.events import Event
from fatsignal.engine.input_monitoring import InputMonitoring
from fatsignal.engine.live_chains import LiveChains
from fatsignal.engine.measurement_capture import MeasurementCapture
from fatsignal.engine.monitor import Monitor
from fatsignal.engine.orders import BenchOrder, CaptureOrder, ListenOrder, RollOrder, StandbyOrder
from fatsignal.engine.playback import Playback
from fatsignal.engine.recorder import Recorder
from fatsignal.engine.sources import source_of


@contextmanager
def capture_of(
    order: CaptureOrder, tell: Callable[[Event], None], ears: Ears | None = None, *, apart: bool = False,
) -> Iterator[Capture]:  # fmt: skip
    """What carries an order out; `run` it. Files that play beside it are closed at the end; `apart` as in `source_of`.

    Raises
    ------
    RollRefused
        If the source cannot be opened.
    """
    if isinstance(order, BenchOrder):
        yield Bench(order, tell, ears)
        return
    source = source_of(order, apart=apart)
    match order:
        case ListenOrder():
            yield MeasurementCapture(order, source, tell)
        case StandbyOrder():
            monitor = Monitor(order.parts, order.cues, ears, rate_hz=order.rate_hz, device=source)
            yield InputMonitoring(order, LiveChains(source, order.parts, monitor.hear), tell, monitor=monitor)
        case RollOrder():
            playback = Playback(order)
            monitor = Monitor(
                order.parts, order.cues, ears, rate_hz=order.rate_hz, plan=order.plan, playback=playback,
                device=source, hurried=not order.paced,
            )  # fmt: skip
            chains = LiveChains(source, order.parts, monitor.hear)
            try:
                yield Recorder(order, chains, tell, monitor=monitor, load=chains.load)
            finally:
                playback.close()
