"""What a roll plays through: once, round and round, or past windows; and where each of its passes lies.

A roll is one unbroken stream. Its passes are stretches of that stream, each laid on the song where it was played.
Passes overlap by their handles: the last moment before a seam is also in the file that begins there, so that an early
first note, or the ring of a last one, is whole in its own take, and nothing is lost between two.
"""

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from fatsignal.core.documents import Kept
from fatsignal.core.takes.windows import Window, joined
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import InvalidSetting

RollMode = Literal["once", "loop", "windows"]
# The last chord rings into the handle for two quarters where no post-roll is asked for.
_RINGS_QUARTERS = 2
MOST_ROLL_BARS = 16
MOST_WINDOWS = 64


class RollPlan(BaseModel):
    """A roll in frames of the session.

    The first pass runs from `from_frame` to `to_frame`; each further one from `again_from_frame`, until it is stopped.
    None: there is one pass. `windows` are used in every pass; empty while they come by hand. Before `play_from_frame`
    only the click counts in.
    """

    model_config = ConfigDict(extra="ignore", frozen=True)

    way: RollMode
    from_frame: int = Field(ge=0)
    play_from_frame: int
    to_frame: int
    again_from_frame: int | None = None
    handle_frames: int = Field(default=0, ge=0)
    windows: tuple[Window, ...] = ()
    by_hand: bool = False

    @model_validator(mode="after")
    def _runs_forward(self) -> "RollPlan":
        if self.to_frame <= self.from_frame:
            raise ValueError("a roll has to end after it begins")
        if self.again_from_frame is not None and self.again_from_frame >= self.to_frame:
            raise ValueError("a pass has to begin before it ends")
        return self

    @property
    def pass_frames(self) -> int:
        """Length of every pass after the first, without handles; 0 where there is one only."""
        return 0 if self.again_from_frame is None else self.to_frame - self.again_from_frame

    def song_frame_at(self, stream_frame: int) -> int:
        """Place in the song of a frame of the stream."""
        first = self.to_frame - self.from_frame
        if stream_frame < first or self.again_from_frame is None:
            return self.from_frame + stream_frame
        return self.again_from_frame + (stream_frame - first) % self.pass_frames

    def segments(self, stream_frame: int, frames: int) -> list[tuple[int, Window]]:
        """The stretches of the song that some frames of the stream lie on, each with its offset among those frames."""
        found, at = [], 0
        while at < frames:
            song = self.song_frame_at(stream_frame + at)
            room = frames - at
            if self.again_from_frame is not None:
                room = min(room, self.to_frame - song)
            found.append((at, Window(song, song + room)))
            at += room
        return found

    def pass_at(self, index: int) -> "Pass":
        """Pass `index`, from 0.

        Raises
        ------
        IndexError
            If a roll that plays once is asked for another.
        """
        first = self.to_frame - self.from_frame
        if index == 0:
            after = self.handle_frames if self.again_from_frame is not None else 0
            return Pass(0, 0, first + after, self.from_frame, 0, first)
        if self.again_from_frame is None:
            raise IndexError(index)
        start = first + (index - 1) * self.pass_frames
        # A handle reaches back no farther than the session's zero, or the roll's beginning.
        before = min(self.handle_frames, self.again_from_frame, start)
        end = start + self.pass_frames
        return Pass(index, start - before, end + self.handle_frames, self.again_from_frame - before, start, end)


@dataclass(frozen=True, slots=True)
class Pass:
    """One pass: [stream_from, stream_to) of the stream goes into its files, which begin at `song_from` of the song.

    `seam_from` and `seam_to` are where it begins and ends without its handles.
    """

    index: int
    stream_from: int
    stream_to: int
    song_from: int
    seam_from: int
    seam_to: int


class RollSettings(Kept):
    """How a session rolls; what a person sets once and then only presses a pedal for."""

    way: RollMode = "once"
    from_here: bool = Field(default=False, description="Once: from the playhead to the song's end, not a section.")
    loop_bar: int = Field(default=1, ge=1, description="First bar of the loop.")
    loop_bars: int = Field(default=4, ge=1, le=1000)
    windows: tuple[Window, ...] = Field(
        default=(), max_length=MOST_WINDOWS, description="Ranges to punch in, in frames."
    )
    pre_roll_bars: int = Field(
        default=0, ge=0, le=MOST_ROLL_BARS, description="Of the song, heard before; once, windows."
    )
    post_roll_bars: int = Field(default=0, ge=0, le=MOST_ROLL_BARS)
    again: bool = Field(default=False, description="Start again after each pass, with a count-in, until stopped.")


@dataclass(frozen=True, slots=True)
class Range:
    """Bars [first_bar, end_bar) that are to be played."""

    first_bar: int
    end_bar: int


def plan_once(
    tempo: TempoMap, played: Range, settings: RollSettings, *, count_in_bars: int, from_frame: int | None = None,
    by_hand: bool = False,
) -> RollPlan:  # fmt: skip
    """Play a range of bars once; or, with `again`, over and over with a count-in before each.

    Parameters
    ----------
    from_frame : int, optional
        Where playing begins inside the range, if not at its first bar.
    by_hand : bool
        Nothing is used but what is pressed in on the way.
    """
    start = tempo.bar_frame(played.first_bar) if from_frame is None else from_frame
    first_bar = played.first_bar if from_frame is None else tempo.bar_at(from_frame)
    end = tempo.bar_frame(played.end_bar)
    heard = _bars_before(tempo, start, first_bar, settings.pre_roll_bars)
    begin = _bars_before(tempo, start, first_bar, settings.pre_roll_bars + count_in_bars)
    return RollPlan(
        way="once", from_frame=begin, play_from_frame=heard, to_frame=_end(tempo, played.end_bar, settings),
        again_from_frame=begin if settings.again else None, by_hand=by_hand,
        windows=() if by_hand else (Window(start, end),),
    )  # fmt: skip


def plan_loop(tempo: TempoMap, settings: RollSettings, *, count_in_bars: int) -> RollPlan:
    """Play the loop's bars round and round without a break, after one count-in; each time is a pass of its own."""
    first, end_bar = settings.loop_bar, settings.loop_bar + settings.loop_bars
    start, end = tempo.bar_frame(first), tempo.bar_frame(end_bar)
    beat = (
        tempo.beat_frame(first, 2) - start if tempo.meter_at(first).beats > 1 else (end - start) // settings.loop_bars
    )
    return RollPlan(
        way="loop", from_frame=_bars_before(tempo, start, first, count_in_bars), play_from_frame=start, to_frame=end,
        again_from_frame=start, handle_frames=min(beat, (end - start) // 2), windows=(Window(start, end),),
    )  # fmt: skip


def plan_windows(tempo: TempoMap, settings: RollSettings, *, count_in_bars: int) -> RollPlan:
    """Roll past all windows, from the pre-roll before the first to the post-roll after the last.

    Raises
    ------
    InvalidSetting
        If there is no window.
    """
    windows = joined(settings.windows)
    if not windows:
        raise InvalidSetting(
            "there is no window yet: drag one over bars of the song sheet, or mark one while listening"
        )
    start, end = windows[0].from_frame, windows[-1].to_frame
    first_bar = tempo.bar_at(start)
    heard = _bars_before(tempo, start, first_bar, settings.pre_roll_bars)
    begin = _bars_before(tempo, start, first_bar, settings.pre_roll_bars + count_in_bars)
    end_bar = tempo.bar_at(end - 1) + 1
    after = _end(tempo, end_bar, settings) - tempo.bar_frame(end_bar)
    return RollPlan(
        way="windows", from_frame=begin, play_from_frame=heard, to_frame=end + after,
        again_from_frame=begin if settings.again else None, windows=windows,
    )  # fmt: skip


def _bars_before(tempo: TempoMap, frame: int, bar: int, bars: int) -> int:
    """As many whole bars before a frame, not before the session's zero: the beat stays where it is in its bar."""
    within = frame - tempo.bar_frame(bar)
    return max(0, tempo.bar_frame(bar - bars) + within)


def _end(tempo: TempoMap, end_bar: int, settings: RollSettings) -> int:
    if settings.post_roll_bars:
        return tempo.bar_frame(end_bar + settings.post_roll_bars)
    return tempo.quarter_frame(tempo.bar_quarter(end_bar) + Fraction(_RINGS_QUARTERS))
