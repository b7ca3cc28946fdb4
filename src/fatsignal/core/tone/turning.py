"""A running tone whose values are turned: the changed chain goes on where the old one is, and fades in over it.

A chain is made beside the one that sounds, in whatever thread; the thread that brings sound only lets it take over,
for which it copies what the old one remembers, and runs both while the one fades into the other. Both answer nearly the
same to what comes in, so that an even fade between them neither clicks nor dips.
"""

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.tone.chain import ToneChain

FADE_S = 0.015
# What it took over fits its values nearly; the rest has rung out by then, before anything of it is heard.
SETTLES_S = 0.002


class TurningChain:
    """Runs the newest chain it was given, one channel in; `turn_to` may be called from any thread."""

    def __init__(self, chain: ToneChain) -> None:
        self._chain = chain
        self._leaving: ToneChain | None = None
        self._waiting: ToneChain | None = None
        self._fade_frames = round(FADE_S * chain.rate_hz)
        self._settle_frames = round(SETTLES_S * chain.rate_hz)
        self._faded = 0

    @property
    def chain(self) -> ToneChain:
        """The newest that sounds."""
        return self._chain

    @property
    def latency_frames(self) -> int:
        return self._chain.latency_frames

    def turn_to(self, chain: ToneChain) -> None:
        """Go over to a fresh chain at the next block; of several that come meanwhile the last counts."""
        self._waiting = chain

    def process(self, signal: Samples) -> Samples:
        """Run one block, shape (frames,); what comes out has one channel or two, as the chain has."""
        # One that is turned again while it fades in has to wait: what leaves is never cut off.
        if self._leaving is None and self._waiting is not None:
            following, self._waiting = self._waiting, None
            following.take_over(self._chain)
            self._leaving, self._chain, self._faded = self._chain, following, -self._settle_frames
        sound = self._chain.process(signal)
        if self._leaving is None:
            return sound
        old = self._leaving.process(signal)
        rise = risen(self._faded, len(signal), self._fade_frames)
        self._faded += len(signal)
        if self._faded >= self._fade_frames:
            self._leaving = None
        return blended(old, sound, rise)


def risen(faded: int, frames: int, fade_frames: int) -> Samples:
    """The share of what comes in, shape (frames,), when so many frames of its fade are over; none of it before them.

    Half a cosine begins and ends without a corner.
    """
    at = np.clip((faded + 1 + np.arange(frames)) / fade_frames, 0.0, 1.0)
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * at))


def blended(old: Samples, new: Samples, share: Samples) -> Samples:
    """From `old` to `new`, `share` of shape (frames,); where one has two channels, the other sounds in both."""
    if old.ndim != new.ndim:
        old, new = (np.column_stack((each, each)) if each.ndim == 1 else each for each in (old, new))
    weight = share if new.ndim == 1 else share[:, None]
    return np.asarray(old + weight * (new - old))
