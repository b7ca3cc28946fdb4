"""Tempo map and sections as a Standard MIDI File: the conductor's track that other programs read and write.

References
----------
.. [1] Standard MIDI Files 1.0 (MIDI Manufacturers Association, RP-001): tempo (FF 51), time signature (FF 58),
   marker (FF 06); 120 beats a minute where a file names no tempo.
"""

import io
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from uuid import uuid4

import mido

from fatsignal.core.song.sections import LONGEST_SECTION_BARS, SongSection
from fatsignal.core.timing.tempo import (
    FASTEST_BPM,
    LONGEST_SONG_BARS,
    SLOWEST_BPM,
    UNITS,
    MeterChange,
    TempoChange,
    TempoMap,
)
from fatsignal.errors import FileRefused, InvalidSetting

TICKS_PER_QUARTER = 960
LARGEST_BYTES = 4 * 1024 * 1024
_MINUTE_US = 60_000_000
# A marker for the bars between two sections.
_BETWEEN = "-"


@dataclass(frozen=True, slots=True)
class SongFromMidi:
    """What a MIDI file says of a song; `remarks` are sentences about what was rounded, or was not there."""

    tempo: TempoMap
    sections: list[SongSection]
    song_bars: int
    remarks: list[str]


def write_midi(tempo: TempoMap, sections: list[SongSection], *, name: str, song_bars: int) -> bytes:
    """A file of type 1 with one conductor's track; its tick 0 is bar 1.

    A ramp, which the format lacks, becomes a tempo for every beat of it, so that each beat stays in its place.
    """
    track = mido.MidiTrack()
    events: list[tuple[Fraction, int, mido.MetaMessage]] = [(Fraction(0), 0, mido.MetaMessage("track_name", name=name))]
    events += [
        (tempo.bar_quarter(meter.bar), 1, _time_signature(meter)) for meter in tempo.meters if meter.bar <= song_bars
    ]
    for place, bpm in _tempo_events(tempo, song_bars):
        events.append((place, 2, mido.MetaMessage("set_tempo", tempo=min(0xFFFFFF, round(_MINUTE_US / bpm)))))
    for bar, text in _markers(sections, song_bars):
        events.append((tempo.bar_quarter(bar), 3, mido.MetaMessage("marker", text=text)))
    at = 0
    for place, _, message in sorted(events, key=lambda event: event[:2]):
        tick = round(place * TICKS_PER_QUARTER)
        track.append(message.copy(time=tick - at))
        at = tick
    end = round(tempo.bar_quarter(song_bars + 1) * TICKS_PER_QUARTER)
    track.append(mido.MetaMessage("end_of_track", time=max(0, end - at)))
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_PER_QUARTER, charset="utf-8")
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def read_midi(data: bytes, *, shown_name: str, rate_hz: int, bar_one_frame: int) -> SongFromMidi:
    """Tempo, meter and sections of a file of type 0 or 1.

    Changes inside a bar are gathered into that bar's mean tempo, which keeps every bar line where the file has it; a
    marker inside a bar goes to the bar's beginning.

    Raises
    ------
    FileRefused
        If it is no MIDI file, is of type 2 or counts film frames, or asks for what a song cannot have.
    """
    file = _opened(data, shown_name)
    ticks = file.ticks_per_beat
    remarks: list[str] = []
    tempi: dict[int, int] = {}
    meters: dict[int, tuple[int, int]] = {}
    markers: list[tuple[int, str]] = []
    end = 0
    for track in file.tracks:
        at = 0
        for message in track:
            at += message.time
            match message.type:
                case "set_tempo":
                    tempi[at] = message.tempo
                case "time_signature":
                    meters[at] = (message.numerator, message.denominator)
                case "marker":
                    markers.append((at, message.text.strip()))
        end = max(end, at)
    if not tempi:
        remarks.append("the file names no tempo: 120 beats a minute, as the standard says")
    tempi.setdefault(0, 500_000)
    meters.setdefault(0, (4, 4))
    try:
        bars = _bars(meters, ticks, max(end, *(at for at, _ in markers), 1) if markers else max(end, 1), remarks)
        changes = _tempo_changes(tempi, bars.starts, ticks, remarks)
        tempo = TempoMap(rate_hz, changes, bars.meters, bar_one_frame)
        song_bars = len(bars.starts) - 1
        return SongFromMidi(tempo, _sections(markers, bars.starts, song_bars, remarks), song_bars, remarks)
    except InvalidSetting as refusal:
        raise FileRefused(f"{shown_name} does not fit a song: {refusal}") from None


def _opened(data: bytes, shown_name: str) -> mido.MidiFile:
    if len(data) > LARGEST_BYTES:
        raise FileRefused(f"{shown_name} is larger than 4 MB: that is more than a tempo map; export the tempo alone")
    if data[:4] != b"MThd":
        raise FileRefused(f"{shown_name} is not a MIDI file: export the tempo map as a Standard MIDI File")
    kind = int.from_bytes(data[8:10], "big")
    if kind == 2:
        raise FileRefused(f"{shown_name} is of type 2, patterns without a common time: export it as type 0 or 1")
    if int.from_bytes(data[12:14], "big") in (0, *range(0x8000, 0x10000)):
        raise FileRefused(f"{shown_name} counts film frames, not beats: export it with ticks per quarter note")
    try:
        file = mido.MidiFile(file=io.BytesIO(data), charset="utf-8", clip=True)
    except (OSError, EOFError, ValueError, IndexError, KeyError, LookupError) as trouble:
        raise FileRefused(f"{shown_name} is broken ({str(trouble) or 'it ends too early'}): export it again") from None
    if not file.tracks:
        raise FileRefused(f"{shown_name} has no track in it: export it again")
    return file


@dataclass(frozen=True, slots=True)
class _Bars:
    """Tick on which each bar begins, the song's end after the last; and the meters."""

    starts: list[Fraction]
    meters: tuple[MeterChange, ...]


def _bars(meters: dict[int, tuple[int, int]], ticks: int, end: int, remarks: list[str]) -> _Bars:
    starts = [Fraction(0)]
    changes: list[MeterChange] = []
    waiting = sorted(meters.items())
    beats, unit = 4, 4
    moved = False
    while True:
        at = starts[-1]
        while waiting and waiting[0][0] <= at:
            moved = moved or waiting[0][0] < at
            beats, unit = waiting.pop(0)[1]
            if not 1 <= beats <= 32 or unit not in UNITS:
                raise InvalidSetting(f"a meter of {beats}/{unit} cannot be counted")
        if not changes or (changes[-1].beats, changes[-1].unit) != (beats, unit):
            changes.append(MeterChange(len(starts), beats, unit, meant=True))
        starts.append(at + Fraction(4 * beats, unit) * ticks)
        if starts[-1] >= end:
            break
        if len(starts) > LONGEST_SONG_BARS:
            raise InvalidSetting(f"it has more than {LONGEST_SONG_BARS} bars")
    if moved:
        remarks.append("a meter changed inside a bar: it now changes at the next bar")
    return _Bars(starts, tuple(changes))


def _tempo_changes(
    tempi: dict[int, int], starts: list[Fraction], ticks: int, remarks: list[str]
) -> tuple[TempoChange, ...]:
    """One tempo for each bar, those that repeat the last left out."""
    places = sorted(tempi)
    changes: list[TempoChange] = []
    gathered = 0
    index = 0
    for bar, (start, after) in enumerate(pairwise(starts), start=1):
        while index + 1 < len(places) and places[index + 1] <= start:
            index += 1
        inside = [place for place in places[index + 1 :] if place < after]
        if inside:
            gathered += 1
            edges = [start, *(Fraction(place) for place in inside), after]
            spans = [tempi[places[index]], *(tempi[place] for place in inside)]
            total = sum(((b - a) * us for (a, b), us in zip(pairwise(edges), spans, strict=True)), Fraction(0))
            bpm = (_MINUTE_US * (after - start) / total).limit_denominator(1_000_000)
        else:
            bpm = _bpm_of(tempi[places[index]])
        if not SLOWEST_BPM <= bpm <= FASTEST_BPM:
            raise InvalidSetting(f"a tempo of {float(bpm):g} at bar {bar} is outside {SLOWEST_BPM} to {FASTEST_BPM}")
        if not changes or changes[-1].bpm != bpm:
            changes.append(TempoChange(bar, bpm, meant=True))
    if gathered:
        said = "one bar" if gathered == 1 else f"{gathered} bars"
        remarks.append(f"the tempo changes inside {said}: each got its mean tempo, and every bar line stays")
    return tuple(changes)


def _bpm_of(microseconds: int) -> Fraction:
    """The simplest tempo that is written as so many microseconds: 576923 is 104 and not 104.000014."""
    exact = Fraction(_MINUTE_US, microseconds)
    for denominator in (1, 2, 4, 5, 10, 100, 1000):
        simple = Fraction(round(exact * denominator), denominator)
        if simple > 0 and round(_MINUTE_US / simple) == microseconds:
            return simple
    return exact.limit_denominator(1_000_000)


def _sections(
    markers: list[tuple[int, str]], starts: list[Fraction], song_bars: int, remarks: list[str]
) -> list[SongSection]:
    at_bar: dict[int, str] = {}
    for at, text in sorted(markers):
        bar = max(bar for bar, start in enumerate(starts[:-1], start=1) if start <= at)
        if bar in at_bar:
            remarks.append(f'two markers stand in bar {bar}: "{text}" was left out')
            continue
        at_bar[bar] = text[:80]
    sections = []
    for (bar, text), (following, _) in pairwise([*at_bar.items(), (song_bars + 1, "")]):
        if not text or text == _BETWEEN:
            continue
        bars = min(following - bar, LONGEST_SECTION_BARS)
        sections.append(SongSection(uuid4(), text, bar, bars, min(4, bars)))
    return sections


def _tempo_events(tempo: TempoMap, song_bars: int) -> list[tuple[Fraction, Fraction]]:
    """(quarter, mean tempo from there to the next) of every step, and of every beat of a ramp."""
    events: list[tuple[Fraction, Fraction]] = []
    for change, following in zip(tempo.tempos, (*tempo.tempos[1:], None), strict=True):
        if change.bar > song_bars:
            break
        if not change.ramp or following is None:
            events.append((tempo.bar_quarter(change.bar), change.bpm))
            continue
        for bar in range(change.bar, min(following.bar, song_bars + 1)):
            for beat in range(1, tempo.meter_at(bar).beats + 1):
                start = tempo.beat_quarter(bar, beat)
                end = tempo.beat_quarter(bar, beat + 1)
                frames = tempo.quarter_frame(end) - tempo.quarter_frame(start)
                events.append((start, Fraction(60 * tempo.rate_hz) * (end - start) / max(1, frames)))
    return events


def _markers(sections: list[SongSection], song_bars: int) -> list[tuple[int, str]]:
    markers = []
    nexts = [*(section.first_bar for section in sections[1:]), song_bars + 1]
    for section, following_bar in zip(sections, nexts, strict=False):
        markers.append((section.first_bar, section.name))
        if following_bar > section.end_bar:
            markers.append((section.end_bar, _BETWEEN))
    return markers


def _time_signature(meter: MeterChange) -> mido.MetaMessage:
    return mido.MetaMessage("time_signature", numerator=meter.beats, denominator=meter.unit)
