"""Standard MIDI Files: written ones read by two other programs, read ones made by hand."""

import io
import shutil
import subprocess
from fractions import Fraction
from uuid import uuid4

import mido
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.song.sections import SongSection
from fatsignal.core.timing.tempo import MeterChange, TempoChange, TempoMap
from fatsignal.errors import FileRefused
from fatsignal.files.midi import TICKS_PER_QUARTER, read_midi, write_midi

# The example of Standard MIDI Files 1.0 (RP-001), appendix A: 4/4, 120 beats a minute, format 0; from memory. Its
# notes are left out, the last delta ends the file after one bar of 96 ticks a quarter.
HEADER = bytes.fromhex("4D546864 00000006 0000 0001 0060")
TRACK = bytes.fromhex("00 FF58 04 04 02 18 08  00 FF51 03 07A120  8300 FF2F 00")
EXAMPLE = HEADER + b"MTrk" + len(TRACK).to_bytes(4, "big") + TRACK


def read(data, name="song.mid"):
    return read_midi(data, shown_name=name, rate_hz=48_000, bar_one_frame=1_000)


def song():
    tempo = TempoMap(
        48_000, (TempoChange(1, Fraction(104)), TempoChange(5, Fraction("90.5")), TempoChange(9, Fraction(933, 7))),
        (MeterChange(1, 4), MeterChange(7, 7, 8)), 1_000,
    )  # fmt: skip
    sections = [SongSection(uuid4(), "Intro", 1, 4, 2), SongSection(uuid4(), "Straße", 6, 5, 2)]
    return tempo, sections


def test_the_standards_own_example_is_read():
    found = read(EXAMPLE)
    assert [(c.bar, c.bpm) for c in found.tempo.tempos] == [(1, 120)]
    assert [(m.beats, m.unit) for m in found.tempo.meters] == [(4, 4)]
    assert (found.song_bars, found.sections, found.remarks) == (1, [], [])


def test_another_library_reads_what_is_written():
    tempo, sections = song()
    file = mido.MidiFile(file=io.BytesIO(write_midi(tempo, sections, name="Copper", song_bars=16)), charset="utf-8")
    assert (file.type, file.ticks_per_beat) == (1, TICKS_PER_QUARTER)
    at, seen = 0, []
    for message in file.tracks[0]:
        at += message.time
        seen.append((at, message))
    markers = [(at, message.text) for at, message in seen if message.type == "marker"]
    assert markers == [(0, "Intro"), (16 * 960, "-"), (20 * 960, "Straße"), (tempo.bar_quarter(11) * 960, "-")]
    tempi = [(at, message.tempo) for at, message in seen if message.type == "set_tempo"]
    # 60,000,000 microseconds over the tempo.
    assert tempi == [(0, 576_923), (16 * 960, 662_983), (tempo.bar_quarter(9) * 960, 450_161)]
    # Its length in seconds is that of the song, to the microsecond of each tempo.
    assert file.length == pytest.approx((tempo.bar_frame(17) - tempo.bar_frame(1)) / 48_000, abs=1e-4)


@pytest.mark.skipif(shutil.which("midicsv") is None, reason="midicsv is not installed")
def test_a_third_program_reads_the_same(tmp_path):
    tempo, sections = song()
    path = tmp_path / "song.mid"
    path.write_bytes(write_midi(tempo, sections, name="Copper", song_bars=16))
    lines = (
        subprocess.run(["midicsv", str(path)], capture_output=True, check=True).stdout.decode("latin-1").splitlines()
    )
    rows = [line.split(", ") for line in lines]
    assert [int(row[3]) for row in rows if row[2] == "Tempo"] == [576_923, 662_983, 450_161]
    assert [(row[1], row[3], row[4]) for row in rows if row[2] == "Time_signature"] == [
        ("0", "4", "2"), (str(24 * 960), "7", "3"),
    ]  # fmt: skip
    assert next(row[3] for row in rows if row[2] == "Marker_t") == '"Intro"'


def test_what_is_written_is_read_again():
    tempo, sections = song()
    found = read(write_midi(tempo, sections, name="x", song_bars=16))
    assert [(c.bar, c.bpm) for c in found.tempo.tempos][:2] == [(1, 104), (5, Fraction("90.5"))]
    assert [(m.bar, m.beats, m.unit) for m in found.tempo.meters] == [(1, 4, 4), (7, 7, 8)]
    assert [(s.name, s.first_bar, s.bars) for s in found.sections] == [("Intro", 1, 4), ("Straße", 6, 5)]
    assert found.song_bars == 16


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.fractions(30, 300, max_denominator=10), min_size=1, max_size=6),
    st.integers(1, 9),
    st.sampled_from([4, 8]),
)
def test_bars_stay_within_a_millisecond_over_any_song(bpms, beats, unit):
    """A tempo is written in whole microseconds a quarter: at most 0.5 µs each."""
    tempo = TempoMap(
        48_000, tuple(TempoChange(1 + 4 * i, bpm) for i, bpm in enumerate(bpms)), (MeterChange(1, beats, unit),), 0
    )
    found = read_midi(write_midi(tempo, [], name="", song_bars=40), shown_name="x", rate_hz=48_000, bar_one_frame=0)
    for bar in range(1, 41):
        assert abs(found.tempo.bar_frame(bar) - tempo.bar_frame(bar)) <= 48


def test_beats_of_a_ramp_stay_where_they_are():
    tempo = TempoMap(
        48_000, (TempoChange(1, Fraction(80), ramp=True), TempoChange(9, Fraction(140))), (MeterChange(1, 4),), 0
    )
    data = write_midi(tempo, [], name="", song_bars=12)
    file = mido.MidiFile(file=io.BytesIO(data))
    seconds, last, tick, us = {}, 0, 0, 500_000
    total = 0.0
    for message in file.tracks[0]:
        tick += message.time
        total += message.time * us / 960e6
        seconds[tick] = total
        us = message.tempo if message.type == "set_tempo" else us
    for bar, beat, frame in tempo.beats(1, 9):
        place = round(tempo.beat_quarter(bar, beat) * 960)
        assert seconds[place] == pytest.approx(frame / 48_000, abs=0.002), (bar, beat, last)
    # Read again each bar has its mean tempo, and the bar lines stay.
    found = read_midi(data, shown_name="x", rate_hz=48_000, bar_one_frame=0)
    assert "each got its mean tempo" in found.remarks[0]
    for bar in range(1, 13):
        assert abs(found.tempo.bar_frame(bar) - tempo.bar_frame(bar)) < 48


def track(*events, kind=1, ticks=480):
    body = b"".join(events) + b"\x00\xff\x2f\x00"
    header = b"MThd\0\0\0\6" + kind.to_bytes(2, "big") + b"\0\1" + ticks.to_bytes(2, "big")
    return header + b"MTrk" + len(body).to_bytes(4, "big") + body


def test_a_file_without_a_tempo_is_120_as_the_standard_says_and_says_so():
    found = read(track(b"\x00\xff\x58\x04\x03\x02\x18\x08"))
    assert found.tempo.tempos[0].bpm == 120
    assert "names no tempo" in found.remarks[0]


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "is not a MIDI file"),
        (b"RIFF....WAVE", "is not a MIDI file"),
        (EXAMPLE[:30], "is broken"),
        (EXAMPLE[:-3], "is broken"),
        (track(kind=2), "is of type 2"),
        (track(ticks=0xE728), "counts film frames"),
        (track(b"\x00\xff\x51\x03\x00\x00\x01"), "outside 20 to 400"),
        (track(b"\x00\xff\x51\x03\xff\xff\xff"), "outside 20 to 400"),
        (track(b"\x00\xff\x58\x04\x00\x02\x18\x08"), "cannot be counted"),
        (b"MThd\0\0\0\6\0\1\0\0\1\xe0", "has no track"),
        (b"MThd" + bytes(5 * 1024 * 1024), "larger than 4 MB"),
    ],
)
def test_files_that_are_no_song_are_refused_with_what_to_do(data, says):
    with pytest.raises(FileRefused, match=says):
        read(data)
