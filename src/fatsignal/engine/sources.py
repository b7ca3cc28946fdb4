"""The source that an order asks for; with an interface of one's own, this is where it is opened instead."""

from collections.abc import Iterator
from functools import partial
from itertools import count

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.latency import ping_train
from fatsignal.engine.orders import ListenOrder, PartOrder, RollOrder, StandbyOrder
from fatsignal.errors import RollRefused
from fatsignal.rig.cabled import CabledInterface
from fatsignal.rig.check_scenarios import scenario
from fatsignal.rig.delayed_source import DelayedSource
from fatsignal.rig.multi_rig import MultiRigSource, RigRenderer
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.simulated import Performance, SimulatedRig, channels_of
from fatsignal.rig.source import Source
from fatsignal.rig.subprocess_rig import SubprocessRigs
from fatsignal.rig.system_audio import ComputerPlayback

# What plays as fast as it computes does so in such pieces: large ones cost less.
_HURRIED_BLOCK_FRAMES = 4096


def source_of(order: RollOrder | StandbyOrder | ListenOrder, *, apart: bool = False) -> Source:
    """Open the simulated source of an order; its blocks are the interface's buffers, larger ones where nobody waits.

    `apart`: who plays in real time plays in a process of its own (`rig/subprocess_rig.py`).

    Raises
    ------
    RollRefused
        If the interface does not fit the session, or the order names no rig where one is heard.
    """
    pace, interface = RigClock(order.speed), order.device.settings
    frames = interface.buffer_frames if order.paced else _HURRIED_BLOCK_FRAMES
    if not isinstance(order, ListenOrder):
        players = _apart(order) if apart and order.paced else _rigs(order)
        band = MultiRigSource(players, interface=interface, pace=pace, block_frames=frames)
        # Who stands by is not placed in the song: nothing has to lie where it was played.
        return (
            DelayedSource(band, frames=round(interface.round_trip_frames())) if isinstance(order, RollOrder) else band
        )
    match order.happening:
        case "pings":
            return sending(
                CabledInterface(
                    rate_hz=order.rate_hz, interface=interface, pace=pace, block_frames=frames, seed=order.seed
                ),
                ping_train(order.rate_hz),
            )
        case "the computer":
            return ComputerPlayback(
                order.tempo, from_frame=order.from_frame, to_frame=order.to_frame, interface=interface,
                pace=pace, block_frames=frames, seed=order.seed,
            )  # fmt: skip
        case happening:
            if order.setup is None:
                raise RollRefused("a check needs a rig to listen to: choose a part")
            played = scenario(
                happening, order.setup, rate_hz=order.rate_hz,
                seconds=(order.to_frame - order.from_frame) / order.rate_hz, seed=order.seed,
                reference_pitch_hz=order.reference_pitch_hz, click=order.click,
            )  # fmt: skip
            return SimulatedRig(order.setup, played, interface=interface, pace=pace, block_frames=frames)


def sending(device: Source, samples: Samples) -> Source:
    """The device with samples, shape (frames,), on its way out of the first output from its first frame on."""
    out = np.zeros((len(samples), device.outputs))
    out[:, 0] = samples
    device.play(out, 0)
    return device


def _apart(order: RollOrder | StandbyOrder) -> list[RigRenderer]:
    """The rigs of all parts, in a process of their own."""
    channels = [channel for part in order.parts for channel in channels_of(part.setup)]
    return [SubprocessRigs(partial(_rigs, order), rate_hz=order.rate_hz, channels=channels)]


def _rigs(order: RollOrder | StandbyOrder) -> list[SimulatedRig]:
    """A rig and a player for every part."""
    return [
        SimulatedRig(
            part.setup, _passes(order, part) if isinstance(order, RollOrder) else _trying_out(order, part),
            interface=order.device.settings, pace=RigClock(0),
        )
        for part in order.parts
    ]  # fmt: skip


def _trying_out(order: StandbyOrder, part: PartOrder) -> Iterator[Performance]:
    """What a player does who waits: a few bars, then a rest of as many."""
    tempo = order.tempo
    bars = (tempo.bar_frame(1), tempo.bar_frame(3), tempo.bar_frame(5))
    for index in count():
        yield Performance.within(
            Window(bars[0], bars[1]), part.notes, tempo, from_frame=bars[0], to_frame=bars[2], seed=part.seed + index,
            reference_pitch_hz=order.reference_pitch_hz,
        )  # fmt: skip


def _passes(order: RollOrder, part: PartOrder) -> Iterator[Performance]:
    """What the simulated player does, pass by pass: waits for the count-in, plays what is written, never the same."""
    plan = order.plan
    for index in count():
        start = plan.from_frame if index == 0 else plan.again_from_frame
        if start is None:
            # Somebody who has played lets the strings ring until the source is closed.
            yield Performance([], order.tempo, plan.to_frame, plan.to_frame + 3600 * order.rate_hz, part.seed)
            continue
        played = Window(plan.play_from_frame, plan.windows[-1].to_frame if plan.windows else plan.to_frame)
        yield Performance.within(
            played, part.notes, order.tempo, from_frame=start, to_frame=plan.to_frame, seed=part.seed + 101 * index,
            reference_pitch_hz=order.reference_pitch_hz, click=order.click,
        )  # fmt: skip
