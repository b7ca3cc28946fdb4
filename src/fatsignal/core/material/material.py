"""Material: what sounds, whatever it is made of. A take is the case of one piece; a comp that of many.

A source is a set of files that were written once and are time-locked: what a take recorded, a file that was brought
in, a print. A material lays pieces of sources on the session's time line. Whoever plays, draws, measures, prints or
hands over reads a material (`reader.py`) and does not ask what it is made of.
"""

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal
from uuid import UUID

from fatsignal.core.material.channels import Channel
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting

FadeShape = Literal["equal power", "linear"]

# Punched-in audio meets what was there before over this time, half of it on either side of the edge.
CROSSFADE_S = 0.01


@dataclass(frozen=True, slots=True)
class Fade:
    """A ramp whose middle lies on the edge of a piece.

    Of two pieces that meet, one opens as the other closes: "equal power" keeps the sum of squares, as what was played
    twice needs; "linear" keeps the sum, as the same sound needs. What lies between is told by `alike`, the correlation
    of the two sides in a channel, in the place of the shape.
    """

    frames: int
    shape: FadeShape = "equal power"
    alike: tuple[tuple[Channel, float], ...] = ()

    def correlation(self, channel: Channel | None) -> float:
        """Of the two sides of it, in a channel: strangers are 0, the same sound is 1."""
        by_shape = 0.0 if self.shape == "equal power" else 1.0
        return dict(self.alike).get(channel, by_shape) if channel else by_shape


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """Files that were written once: their length, their channels, and what tells their content from any other."""

    id: UUID
    fingerprint: str
    frames: int
    channels: tuple[Channel, ...]

    @property
    def was_played(self) -> bool:
        """Whether a part played it: it is no backing track."""
        return any(channel.kind != "track" for channel in self.channels)


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """A stretch of a source on the session's time line: frame `source_frame` of it sounds at `place.from_frame`.

    A fade reaches as far beyond the place as into it: a source has handles, or is silent there.
    """

    source_id: UUID
    source_frame: int
    place: Window
    gain_db: float = 0.0
    fade_in: Fade | None = None
    fade_out: Fade | None = None

    @property
    def reach(self) -> Window:
        """Where it sounds, its fades included."""
        before = self.fade_in.frames // 2 if self.fade_in else 0
        after = self.fade_out.frames // 2 if self.fade_out else 0
        return Window(self.place.from_frame - before, self.place.to_frame + after)


@dataclass(frozen=True, slots=True, kw_only=True)
class Material:
    """Pieces of sources, time-locked over all channels; frames count from the session's zero."""

    id: UUID
    rate_hz: int
    first_frame: int
    frames: int
    sources: tuple[Source, ...]
    pieces: tuple[Piece, ...]

    def __post_init__(self) -> None:
        known = {source.id for source in self.sources}
        unknown = [piece.source_id for piece in self.pieces if piece.source_id not in known]
        if unknown:
            raise InvalidSetting(f"a piece is taken from a source that is not among those given: {unknown[0]}")

    @property
    def span(self) -> Window:
        """Where it lies."""
        return Window(self.first_frame, self.first_frame + self.frames)

    @property
    def channels(self) -> tuple[Channel, ...]:
        """All channels that any of its sources has, in the order in which they come."""
        return tuple(dict.fromkeys(channel for source in self.sources for channel in source.channels))

    def source(self, source_id: UUID) -> Source:
        return next(source for source in self.sources if source.id == source_id)

    @property
    def fingerprint(self) -> str:
        """Tells its sound from any other, wherever in the song it lies: of one whole source it is that source's own.

        What was measured or drawn of a material is kept under this, and holds for as long as it is the same.
        """
        if len(self.pieces) == 1 and len(self.sources) == 1:
            (piece,), (source,) = self.pieces, self.sources
            whole = Piece(source_id=source.id, source_frame=0, place=Window(0, source.frames))
            if replace(piece, place=piece.place.moved(-self.first_frame)) == whole and self.frames == source.frames:
                return source.fingerprint
        parts = [
            [
                self.source(piece.source_id).fingerprint, piece.source_frame, *piece.place.moved(-self.first_frame),
                piece.gain_db, *_fade_parts(piece.fade_in), *_fade_parts(piece.fade_out),
            ]
            for piece in self.pieces
        ]  # fmt: skip
        return hashlib.sha256(json.dumps([self.rate_hz, self.frames, parts]).encode()).hexdigest()


def fingerprint_of(checksums: Iterable[tuple[Channel, str]]) -> str:
    """Of a source, from the SHA-256 of each of its channels' files (hexadecimal); the database has the same rule."""
    lines = [f"{channel.kind} {channel.name} {checksum}" for channel, checksum in checksums]
    return hashlib.sha256("\n".join(lines).encode()).hexdigest()


def whole(source: Source, *, first_frame: int, rate_hz: int) -> Material:
    """A material of one piece: all of a source, as a take or a print is heard by itself."""
    place = Window(first_frame, first_frame + source.frames)
    return Material(
        id=source.id, rate_hz=rate_hz, first_frame=first_frame, frames=source.frames, sources=(source,),
        pieces=(Piece(source_id=source.id, source_frame=0, place=place),),
    )  # fmt: skip


def edge_fade(place: Window, *, rate_hz: int) -> Fade:
    """The short crossfade at the edges of what was punched in; shorter where the place itself is."""
    return Fade(2 * max(1, min(round(CROSSFADE_S * rate_hz / 2), place.frames // 2)))


def _fade_parts(fade: Fade | None) -> list[object]:
    if fade is None:
        return [0, ""]
    alike = [[channel.kind, channel.name, correlation] for channel, correlation in fade.alike]
    return [fade.frames, fade.shape, *([alike] if alike else [])]
