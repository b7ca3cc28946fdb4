"""The audio interface as it is set, and what of a recording its latency takes."""

from fatsignal.rig.interface import NAME, SimulatedInterface
from fatsignal.store import interfaces
from fatsignal.store.database import Connection


async def interface_now(conn: Connection) -> SimulatedInterface:
    """The interface as it is set."""
    return SimulatedInterface.model_validate(await interfaces.get_settings(conn, NAME))


async def record_offset_frames(conn: Connection, settings: SimulatedInterface, *, rate_hz: int) -> int:
    """What is left out at the beginning of a recording; 0 where the latency was never measured."""
    found = await interfaces.get_offset(conn, NAME, rate_hz=rate_hz, buffer_frames=settings.buffer_frames)
    return found.whole_frames if found else 0
