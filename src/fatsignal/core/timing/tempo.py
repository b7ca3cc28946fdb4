"""Bars and beats of a song, exactly on samples and back, through steps and ramps of the tempo.

Tempo counts quarter notes a minute, whatever the meter's unit. In a ramp the *length of a quarter* changes evenly from
one tempo to the next: the place of every beat is then a fraction, and nothing is rounded before the frame.
"""

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import pairwise

from fatsignal.errors import InvalidSetting

SLOWEST_BPM, FASTEST_BPM = 20, 400
LONGEST_SONG_BARS = 2_000
LEAD_IN_BARS = 4
UNITS = (1, 2, 4, 8, 16, 32)


@dataclass(frozen=True, slots=True)
class TempoChange:
    """The tempo from a bar on; with `ramp` it moves evenly to the next change. `meant` is a person's word for it."""

    bar: int
    bpm: Fraction
    ramp: bool = False
    meant: bool = False


@dataclass(frozen=True, slots=True)
class MeterChange:
    """The meter from a bar on: `beats` of a 1/`unit` note, as in 7/8."""

    bar: int
    beats: int
    unit: int = 4
    meant: bool = False

    @property
    def quarters(self) -> Fraction:
        """Length of one bar."""
        return Fraction(4 * self.beats, self.unit)


@dataclass(frozen=True, slots=True)
class Place:
    """A frame as a musician says it: bar, beat, and the frames after that beat. Bars before the song are 0, −1, …"""

    bar: int
    beat: int
    frames_after: int


@dataclass(frozen=True, slots=True)
class _Stretch:
    """From one tempo change to the next: seconds after its start are period·x + bend·x²/2 after x quarters."""

    from_quarter: Fraction
    from_s: Fraction
    period_s: Fraction
    bend: Fraction


@dataclass(frozen=True)
class TempoMap:
    """Tempo and meter of a whole song. Bar 1 beat 1 lies on `bar_one_frame`: there is room before it.

    Before bar 1 the first tempo and meter go on backwards.
    """

    rate_hz: int
    tempos: tuple[TempoChange, ...]
    meters: tuple[MeterChange, ...] = (MeterChange(1, 4),)
    bar_one_frame: int = 0

    def __post_init__(self) -> None:
        for change in self.tempos:
            if not SLOWEST_BPM <= change.bpm <= FASTEST_BPM:
                raise InvalidSetting(
                    f"a tempo of {float(change.bpm):g} is outside {SLOWEST_BPM} to {FASTEST_BPM} beats a minute"
                )
        for meter in self.meters:
            if not 1 <= meter.beats <= 32:
                raise InvalidSetting(f"{meter.beats} beats in a bar is outside 1 to 32")
            if meter.unit not in UNITS:
                raise InvalidSetting(
                    f"a meter of {meter.beats}/{meter.unit} has no such note: use 1, 2, 4, 8, 16 or 32"
                )
        _check_bars("tempo", [change.bar for change in self.tempos])
        _check_bars("meter", [meter.bar for meter in self.meters])
        if self.tempos[-1].ramp:
            raise InvalidSetting(f"the ramp at bar {self.tempos[-1].bar} has no tempo to go to: add a change after it")

    @classmethod
    def steady(
        cls,
        bpm: Fraction | int,
        *,
        rate_hz: int,
        beats_per_bar: int = 4,
        unit: int = 4,
        lead_in_bars: int = LEAD_IN_BARS,
    ) -> "TempoMap":
        """One tempo and meter; bar 1 lies `lead_in_bars` after the session's zero."""
        from_zero = cls(rate_hz, (TempoChange(1, Fraction(bpm)),), (MeterChange(1, beats_per_bar, unit),))
        return cls(rate_hz, from_zero.tempos, from_zero.meters, from_zero.bar_frame(lead_in_bars + 1))

    def bar_quarter(self, bar: int) -> Fraction:
        """Quarters from bar 1 to the beginning of a bar."""
        meter = self.meter_at(bar)
        return self._meter_quarters[self.meters.index(meter)] + (bar - meter.bar) * meter.quarters

    def quarter_frame(self, quarter: Fraction | int) -> int:
        """Frame of a place counted in quarter notes from bar 1 beat 1; before it they are negative."""
        return self.bar_one_frame + round(self._seconds(Fraction(quarter)) * self.rate_hz)

    def frames_between(self, from_quarter: Fraction, to_quarter: Fraction) -> int:
        """How many frames lie between two places, in quarters from bar 1; what is rounded is their distance."""
        return round((self._seconds(to_quarter) - self._seconds(from_quarter)) * self.rate_hz)

    def quarter_at(self, frame: int) -> Fraction:
        """Quarters from bar 1 to a frame; within a beat the tempo counts as even."""
        place = self.place_at(frame)
        start = self.beat_quarter(place.bar, place.beat)
        following = start + Fraction(4, self.meter_at(place.bar).unit)
        beat_frames = self.quarter_frame(following) - self.quarter_frame(start)
        return start + (following - start) * Fraction(place.frames_after, beat_frames)

    def quarter_s_at(self, frame: int) -> float:
        """How long a quarter note is from a frame on, in seconds."""
        start = self.quarter_at(frame)
        return (self.quarter_frame(start + 1) - self.quarter_frame(start)) / self.rate_hz

    def bar_frame(self, bar: int) -> int:
        """Frame on which a bar begins; the first bar is 1."""
        frame = self._bar_frames.get(bar)
        if frame is None:
            frame = self._bar_frames[bar] = self.quarter_frame(self.bar_quarter(bar))
        return frame

    def beat_quarter(self, bar: int, beat: int, part: Fraction = Fraction(0)) -> Fraction:
        """Quarters from bar 1 to a beat of a bar, both from 1, and a `part` of that beat after it."""
        return self.bar_quarter(bar) + (beat - 1 + part) * Fraction(4, self.meter_at(bar).unit)

    def beat_frame(self, bar: int, beat: int, part: Fraction = Fraction(0)) -> int:
        """Frame of a beat, and of a `part` of it after it."""
        return self.quarter_frame(self.beat_quarter(bar, beat, part))

    def meter_at(self, bar: int) -> MeterChange:
        """The meter of a bar."""
        return self.meters[max(0, bisect_right(self._meter_bars, bar) - 1)]

    def bpm_at(self, bar: int) -> float:
        """The tempo at the beginning of a bar, within a ramp too."""
        quarter = self.bar_quarter(bar)
        stretch = self._stretches[self._stretch_of(quarter)]
        x = max(Fraction(0), quarter - stretch.from_quarter)
        return float(60 / (stretch.period_s + stretch.bend * x))

    def bar_at(self, frame: int) -> int:
        """The bar that sounds at a frame: `bar_frame` taken back."""
        bar = self._bar_near(frame)
        while self.bar_frame(bar + 1) <= frame:
            bar += 1
        while self.bar_frame(bar) > frame:
            bar -= 1
        return bar

    def place_at(self, frame: int) -> Place:
        """Bar, beat and frames after it: nothing is lost, `frame_of` gives the frame back."""
        bar = self.bar_at(frame)
        beat = self.meter_at(bar).beats
        while beat > 1 and self.beat_frame(bar, beat) > frame:
            beat -= 1
        return Place(bar, beat, frame - self.beat_frame(bar, beat))

    def frame_of(self, place: Place) -> int:
        """Frame of a place."""
        return self.beat_frame(place.bar, place.beat) + place.frames_after

    def bar_beat_at(self, frame: int) -> tuple[int, int]:
        """Bar and beat, both from 1, that sound at a frame."""
        place = self.place_at(frame)
        return place.bar, place.beat

    def beats(self, from_bar: int, to_bar: int) -> Iterator[tuple[int, int, int]]:
        """(bar, beat, frame) of every beat of the bars [from_bar, to_bar)."""
        for bar in range(from_bar, to_bar):
            for beat in range(1, self.meter_at(bar).beats + 1):
                yield bar, beat, self.beat_frame(bar, beat)

    def moved_to(self, bar_one_frame: int) -> "TempoMap":
        """The same map with bar 1 elsewhere."""
        return TempoMap(self.rate_hz, self.tempos, self.meters, bar_one_frame)

    @cached_property
    def _bar_frames(self) -> dict[int, int]:
        """Frames of bars that were asked for: exact ones are dear, and often wanted."""
        return {}

    @cached_property
    def _meter_bars(self) -> list[int]:
        return [meter.bar for meter in self.meters]

    @cached_property
    def _meter_quarters(self) -> list[Fraction]:
        places = [Fraction(0)]
        for before, after in pairwise(self.meters):
            places.append(places[-1] + (after.bar - before.bar) * before.quarters)
        return places

    @cached_property
    def _stretches(self) -> list[_Stretch]:
        stretches: list[_Stretch] = []
        at_s = Fraction(0)
        for index, change in enumerate(self.tempos):
            start, period_s, bend = self.bar_quarter(change.bar), 60 / change.bpm, Fraction(0)
            if index + 1 < len(self.tempos):
                following = self.tempos[index + 1]
                length = self.bar_quarter(following.bar) - start
                if change.ramp:
                    bend = (60 / following.bpm - period_s) / length
                stretches.append(_Stretch(start, at_s, period_s, bend))
                at_s += period_s * length + bend * length**2 / 2
            else:
                stretches.append(_Stretch(start, at_s, period_s, bend))
        return stretches

    @cached_property
    def _stretch_quarters(self) -> list[Fraction]:
        return [stretch.from_quarter for stretch in self._stretches]

    @cached_property
    def _stretch_seconds(self) -> list[float]:
        return [float(stretch.from_s) for stretch in self._stretches]

    def _stretch_of(self, quarter: Fraction) -> int:
        return max(0, bisect_right(self._stretch_quarters, quarter) - 1)

    def _seconds(self, quarter: Fraction) -> Fraction:
        """Seconds from bar 1 to a place."""
        stretch = self._stretches[self._stretch_of(quarter)]
        x = quarter - stretch.from_quarter
        bend = stretch.bend if x > 0 else Fraction(0)
        return stretch.from_s + stretch.period_s * x + bend * x * x / 2

    def _bar_near(self, frame: int) -> int:
        """The bar at a frame, to floating point: within one of the true one."""
        at_s = (frame - self.bar_one_frame) / self.rate_hz
        stretch = self._stretches[max(0, bisect_right(self._stretch_seconds, at_s) - 1)]
        after_s, period_s, bend = at_s - float(stretch.from_s), float(stretch.period_s), float(stretch.bend)
        # The root of period·x + bend·x²/2 = after, in the form that does not cancel when bend is small.
        under = max(0.0, period_s**2 + 2 * bend * after_s) if after_s > 0 else period_s**2
        quarter = float(stretch.from_quarter) + 2 * after_s / (period_s + under**0.5)
        index = max(0, bisect_right(self._meter_quarters, quarter) - 1)
        meter = self.meters[index]
        return meter.bar + int((quarter - float(self._meter_quarters[index])) // float(meter.quarters))


def _check_bars(kind: str, bars: list[int]) -> None:
    if not bars or bars[0] != 1:
        raise InvalidSetting(f"the first {kind} must stand at bar 1")
    if len(bars) > LONGEST_SONG_BARS or bars[-1] > LONGEST_SONG_BARS:
        raise InvalidSetting(f"a song has up to {LONGEST_SONG_BARS} bars; the last {kind} stands at bar {bars[-1]}")
    for before, after in pairwise(bars):
        if after <= before:
            raise InvalidSetting(f"two changes of the {kind} stand at bar {after}: each needs a bar of its own")


def parse_tempo(typed: str) -> Fraction:
    """A tempo as a person types it: "104", "104.2", "104,2" or "311/3".

    Raises
    ------
    InvalidSetting
        If it is no number, or outside 20 to 400 beats a minute.
    """
    try:
        bpm = Fraction(typed.strip().replace(",", "."))
    except (ValueError, ZeroDivisionError):
        raise InvalidSetting(
            f'"{typed.strip()[:40]}" is not a tempo: type beats a minute, such as 104 or 104.2'
        ) from None
    if not SLOWEST_BPM <= bpm <= FASTEST_BPM:
        raise InvalidSetting(f"a tempo of {float(bpm):g} is outside {SLOWEST_BPM} to {FASTEST_BPM} beats a minute")
    return bpm.limit_denominator(1_000_000)


def parse_meter(typed: str) -> tuple[int, int]:
    """A meter as a person types it: "4/4", "7/8"."""
    parts = typed.strip().split("/")
    if len(parts) != 2 or not all(part.strip().isdigit() and len(part.strip()) < 4 for part in parts):
        raise InvalidSetting(f'"{typed.strip()[:40]}" is not a meter: type it as 4/4 or 7/8')
    beats, unit = (int(part) for part in parts)
    if not 1 <= beats <= 32 or unit not in UNITS:
        raise InvalidSetting(
            f"a meter of {beats}/{unit} cannot be counted: 1 to 32 beats of a 1, 2, 4, 8, 16 or 32 note"
        )
    return beats, unit
