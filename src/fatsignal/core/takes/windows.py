"""Windows: the ranges of a take that are used. What lies around them is kept as handles."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, order=True, slots=True)
class Window:
    """Frames [from_frame, to_frame) on the session's time line, or in a file where that is said."""

    from_frame: int
    to_frame: int

    def __iter__(self) -> Iterator[int]:
        return iter((self.from_frame, self.to_frame))

    @property
    def frames(self) -> int:
        return self.to_frame - self.from_frame

    def moved(self, by_frames: int) -> "Window":
        return Window(self.from_frame + by_frames, self.to_frame + by_frames)


@dataclass(frozen=True, slots=True)
class Gap:
    """Frames of a take's file that the device lost: they are silence there, so that everything after keeps its time."""

    at_frame: int
    frames: int


def joined(windows: Iterable[Window]) -> tuple[Window, ...]:
    """In order, without empty ones; those that touch or overlap become one."""
    kept: list[Window] = []
    for window in sorted(windows):
        if window.frames <= 0:
            continue
        if kept and window.from_frame <= kept[-1].to_frame:
            kept[-1] = Window(kept[-1].from_frame, max(kept[-1].to_frame, window.to_frame))
        else:
            kept.append(window)
    return tuple(kept)


def clipped(windows: Iterable[Window], within: Window) -> tuple[Window, ...]:
    """What of the windows lies inside `within`."""
    return joined(
        Window(max(window.from_frame, within.from_frame), min(window.to_frame, within.to_frame)) for window in windows
    )


def holds(windows: Sequence[Window], span: Window) -> bool:
    """Whether one window holds all of `span`."""
    return any(window.from_frame <= span.from_frame and span.to_frame <= window.to_frame for window in windows)


def touches(windows: Sequence[Window], span: Window) -> bool:
    """Whether any window has a frame in common with `span`."""
    return any(window.from_frame < span.to_frame and span.from_frame < window.to_frame for window in windows)
