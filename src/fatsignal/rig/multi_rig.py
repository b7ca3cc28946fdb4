"""Several simulated rigs on one interface: the channels of all of them in one time-locked stream."""

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.errors import RollRefused
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.rig_clock import ClockedSource, RigClock
from fatsignal.rig.simulated import BLOCK_FRAMES
from fatsignal.rig.source import MOST_CHANNELS, InputChannel


class RigRenderer(Protocol):
    """One or several who play: a rig here, or rigs in a process of their own."""

    rate_hz: int
    channels: tuple[InputChannel, ...]

    def render(self, frames: int) -> Samples:
        """The next frames, shape (frames, channels)."""
        ...

    def close(self) -> None:
        """They stop playing."""
        ...


class MultiRigSource(ClockedSource):
    """Rigs that play together: the channels of the first, then of the second, and so on; one clock for all."""

    def __init__(
        self, players: Sequence[RigRenderer], *, interface: SimulatedInterface, pace: RigClock | None = None,
        block_frames: int = BLOCK_FRAMES,
    ) -> None:  # fmt: skip
        super().__init__(
            rate_hz=players[0].rate_hz,
            frames=None,
            interface=interface,
            pace=pace or RigClock(),
            block_frames=block_frames,
        )
        self._players = players
        self.channels = tuple(channel for each in players for channel in each.channels)
        if len(self.channels) > MOST_CHANNELS:
            raise RollRefused(f"{len(self.channels)} channels are more than {MOST_CHANNELS}: disarm a part")

        self._ready = np.zeros((0, len(self.channels)))

    def render(self, frames: int) -> Samples:
        """The next frames of all channels."""
        if len(self._ready) < frames:
            # The players do not hear what is asked of them: small buffers are cut from larger pieces, which costs less.
            more = max(BLOCK_FRAMES, frames - len(self._ready))
            played = np.concatenate([each.render(more) for each in self._players], axis=1)
            self._ready = np.concatenate((self._ready, played))
        now, self._ready = self._ready[:frames], self._ready[frames:]
        return now

    def close(self) -> None:
        super().close()
        for each in self._players:
            each.close()
