"""The source that an order asks for; with an interface of one's own, this is where it is opened instead."""

from fatsignal.engine.protocol import ListenOrder, RollOrder
from fatsignal.errors import RollRefused
from fatsignal.rig.computer import ComputerPlayback
from fatsignal.rig.late import Late
from fatsignal.rig.loopback import Loopback
from fatsignal.rig.pace import Pace
from fatsignal.rig.simulated import BLOCK_FRAMES, Performance, SimulatedRig
from fatsignal.rig.situations import situation
from fatsignal.rig.source import Source


def source_of(order: RollOrder | ListenOrder, *, block_frames: int = BLOCK_FRAMES) -> Source:
    """Open the simulated source of an order.

    Raises
    ------
    RollRefused
        If the interface does not fit the session, or the order names no rig where one is heard.
    """
    pace = Pace(order.speed)
    late = round(order.interface.round_trip_frames())
    if isinstance(order, RollOrder):
        performance = Performance.within(
            (order.window_from_frame, order.window_to_frame), order.notes, order.tempo, from_frame=order.from_frame,
            to_frame=order.to_frame, seed=order.seed, reference_pitch_hz=order.reference_pitch_hz, click=order.click,
        )  # fmt: skip
        return Late(
            SimulatedRig(order.setup, performance, interface=order.interface, pace=pace, block_frames=block_frames),
            frames=late,
        )
    match order.kind:
        case "latency":
            return Loopback(
                rate_hz=order.rate_hz, interface=order.interface, pace=pace, block_frames=block_frames, seed=order.seed
            )
        case "computer":
            return ComputerPlayback(
                order.tempo, from_frame=order.from_frame, to_frame=order.to_frame, interface=order.interface,
                pace=pace, block_frames=block_frames, seed=order.seed,
            )  # fmt: skip
        case kind:
            if order.setup is None:
                raise RollRefused("a check needs a rig to listen to: choose a part")
            happening = situation(
                kind, order.setup, rate_hz=order.rate_hz, seconds=(order.to_frame - order.from_frame) / order.rate_hz,
                seed=order.seed, reference_pitch_hz=order.reference_pitch_hz, click=order.click,
            )  # fmt: skip
            return SimulatedRig(order.setup, happening, interface=order.interface, pace=pace, block_frames=block_frames)
