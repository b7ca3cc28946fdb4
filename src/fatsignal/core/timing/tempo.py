"""Bars and beats of a song at one tempo, exactly on samples and back."""

from dataclasses import dataclass
from fractions import Fraction

from fatsignal.errors import SettingRefused


@dataclass(frozen=True, slots=True)
class TempoMap:
    """A constant tempo. Bar 1 beat 1 lies `lead_in_bars` after the session's zero: there is room before it.

    `tempo_bpm` is kept as an exact fraction, so that no rounding gathers over a song.
    """

    tempo_bpm: Fraction
    beats_per_bar: int
    rate_hz: int
    lead_in_bars: int = 2

    def __post_init__(self) -> None:
        if not 20 <= self.tempo_bpm <= 400:
            raise SettingRefused(f"a tempo of {float(self.tempo_bpm):g} is outside 20 to 400 beats a minute")
        if not 1 <= self.beats_per_bar <= 32:
            raise SettingRefused(f"{self.beats_per_bar} beats in a bar is outside 1 to 32")

    def beat_frame(self, beat: Fraction | int) -> int:
        """Frame of a beat counted from bar 1 beat 1; beats before it are negative."""
        from_zero = Fraction(beat) + self.lead_in_bars * self.beats_per_bar
        return round(from_zero * 60 * self.rate_hz / self.tempo_bpm)

    def bar_frame(self, bar: int) -> int:
        """Frame on which a bar begins; the first bar is 1."""
        return self.beat_frame((bar - 1) * self.beats_per_bar)

    def beat_at(self, frame: int) -> int:
        """Whole beat that sounds at a frame, counted from bar 1 beat 1: `beat_frame` taken back."""
        beat = int(Fraction(frame) * self.tempo_bpm / (60 * self.rate_hz)) - self.lead_in_bars * self.beats_per_bar
        while self.beat_frame(beat + 1) <= frame:
            beat += 1
        while self.beat_frame(beat) > frame:
            beat -= 1
        return beat

    def bar_beat_at(self, frame: int) -> tuple[int, int]:
        """Bar and beat, both from 1, that sound at a frame; bars before the song are 0, −1, …"""
        bar, beat = divmod(self.beat_at(frame), self.beats_per_bar)
        return bar + 1, beat + 1
