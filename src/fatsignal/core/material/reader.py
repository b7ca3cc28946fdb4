"""Reading a material: any stretch of any channel, piece by piece, without more of it in memory than is asked for."""

from collections.abc import Callable, Iterator
from typing import Protocol

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import Channel, Wanted, find
from fatsignal.core.material.material import Fade, Material, Piece, Source
from fatsignal.core.takes.windows import Window
from fatsignal.core.units import amplitude_from_db

BLOCK_FRAMES = 65_536
# Two sides of a crossfade never cancel each other by more in what is told of their correlation: each side stays below
# its own level.
LEAST_ALIKE = -0.3


class ChannelSource(Protocol):
    """One channel of a source, by frames of its file."""

    def read(self, from_frame: int, frames: int) -> Samples:
        """Samples of shape (frames,); silence before its beginning and after its end."""
        ...


# Opens a channel of a source, by its kind and name.
OpenChannel = Callable[[Source, Wanted], ChannelSource | None]


class MaterialReader:
    """Reads what a material sounds like. Reading in pieces of any length gives the same samples, bit for bit."""

    def __init__(self, material: Material, open_channel: OpenChannel) -> None:
        self.material = material
        self._open_channel = open_channel

    def has(self, wanted: Wanted) -> bool:
        """Whether any source has what is wanted."""
        return any(find(source.channels, wanted) is not None for source in self.material.sources)

    def read(self, wanted: Wanted, from_frame: int, frames: int) -> Samples:
        """Frames of the session from `from_frame` on, shape (frames,); silence where nothing of it lies.

        A source that lacks the channel is silent: its other channels are time-locked to it, and stay where they are.
        """
        out = np.zeros(frames)
        span = Window(from_frame, from_frame + frames)
        for piece in self.material.pieces:
            reach = piece.reach
            first, last = max(reach.from_frame, span.from_frame), min(reach.to_frame, span.to_frame)
            if first >= last:
                continue
            source = self.material.source(piece.source_id)
            channel = self._open_channel(source, wanted)
            if channel is None:
                continue
            samples = channel.read(piece.source_frame + first - piece.place.from_frame, last - first)
            shaped = _shaped(piece, Window(first, last), samples, find(source.channels, wanted))
            out[first - from_frame : last - from_frame] += shaped
        return out

    def blocks(self, wanted: Wanted, span: Window | None = None, *, frames: int = BLOCK_FRAMES) -> Iterator[Samples]:
        """A stretch block by block, all of the material where none is given; every block but the last has `frames`."""
        span = span or self.material.span
        for start in range(span.from_frame, span.to_frame, frames):
            yield self.read(wanted, start, min(frames, span.to_frame - start))


def _shaped(piece: Piece, span: Window, samples: Samples, channel: Channel | None) -> Samples:
    gate = gate_of(piece, span, channel)
    if gate is not None:
        samples = gate * samples
    return amplitude_from_db(piece.gain_db) * samples if piece.gain_db else samples


def gate_of(piece: Piece, span: Window, channel: Channel | None = None) -> Samples | None:
    """How open a piece is at each frame of `span`, 0 to 1, in a channel; None where it is open throughout."""
    opens = _gate(piece.fade_in, piece.place.from_frame, span, channel, opening=True)
    closes = _gate(piece.fade_out, piece.place.to_frame, span, channel, opening=False)
    if opens is None or closes is None:
        return closes if opens is None else opens
    return np.minimum(opens, closes)


def _gate(fade: Fade | None, edge: int, span: Window, channel: Channel | None, *, opening: bool) -> Samples | None:
    """One edge: a ramp over a fade's frames, its middle on the edge; None where all of `span` lies on its open side."""
    if fade is None:
        return None
    half = fade.frames // 2
    if (span.from_frame >= edge + half) if opening else (span.to_frame <= edge - half + 1):
        return None
    # Only over the fade there is anything to compute: before it and after it the piece is open, or closed.
    first, last = (min(max(at, span.from_frame), span.to_frame) for at in (edge - half, edge + half))
    gate = np.empty(span.frames)
    before, fading = gate[: first - span.from_frame], gate[first - span.from_frame : last - span.from_frame]
    before[:], gate[last - span.from_frame :] = (0.0, 1.0) if opening else (1.0, 0.0)
    share = np.interp(np.arange(first, last), [edge - half, edge + half], [0.0, 1.0])
    fading[:] = crossfade(share if opening else 1 - share, fade.correlation(channel))
    return gate


def crossfade(share: Samples, correlation: float) -> Samples:
    """Gain of the side that opens, over the share of the fade that has passed, 0 to 1, shape of `share`.

    With h the gain of the side that closes, g² + h² + 2ρ·g·h = 1: two signals of correlation ρ that are equally loud
    stay as loud. Strangers cross by sine and cosine, the same sound by straight lines.
    """
    if correlation == 0.0:
        return np.asarray(np.sin(share * (np.pi / 2)))
    if correlation == 1.0:
        return share
    straight = max(correlation, 0.0)
    opens, closes = (
        np.sin(side * (np.pi / 2)) ** (1 - straight) * side**straight for side in (share, 1 - share)
    )  # fmt: skip
    return np.asarray(opens / np.sqrt(opens**2 + closes**2 + 2 * correlation * opens * closes))


def crossfaded(closes: Samples, opens: Samples, share: Samples, correlation: float) -> Samples:
    """One side over into the other, shape of `share`, by the gains of `crossfade`."""
    return np.asarray(crossfade(1 - share, correlation) * closes + crossfade(share, correlation) * opens)
