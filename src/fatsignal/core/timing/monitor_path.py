"""The delay through which a player hears the own playing, part by part."""

from dataclasses import dataclass

from fatsignal.core.timing.buffers import Feel, feel_of


@dataclass(frozen=True, slots=True)
class DelayPart:
    """A share of the delay and where it comes from."""

    name: str
    ms: float


@dataclass(frozen=True, slots=True)
class MonitorDelay:
    """The delay's budget. `measured` says that the round trip was measured, not only added up."""

    parts: list[DelayPart]
    total_ms: float
    feel: Feel
    measured: bool


def monitor_delay(
    round_trip_frames: float, *, buffer_frames: int, chain_frames: float, rate_hz: int, measured: bool
) -> MonitorDelay:
    """Converters, the buffer in and out, and the chain of the tone; nothing in it depends on how much plays besides.

    Parameters
    ----------
    round_trip_frames : float
        From output to input and back, both buffers in it: that is the way of what is heard through the computer too.
    chain_frames : float
        Delay of the tone's running chain; 0 for a sound straight from the interface.
    """
    converters = max(0.0, round_trip_frames - 2 * buffer_frames)
    parts = [
        DelayPart("converters", 1000 * converters / rate_hz),
        DelayPart("buffer in and out", 2000 * buffer_frames / rate_hz),
    ]
    if chain_frames:
        parts.append(DelayPart("tone", 1000 * chain_frames / rate_hz))
    total_ms = sum(part.ms for part in parts)
    return MonitorDelay(parts, total_ms, feel_of(total_ms), measured)
