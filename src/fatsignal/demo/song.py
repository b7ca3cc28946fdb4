"""The demonstration song, *Copper Weather* by the invented duo *Moth Parade*: sections and written parts.

Forty bars in E minor, 104 beats a minute, 4/4. Invented data, for the demonstration only.
"""

from fractions import Fraction
from uuid import uuid4

from fatsignal.core.instrument.player import Articulation, Note
from fatsignal.core.song.sections import SongSection

DUO, SONG = "Moth Parade", "Copper Weather"
TEMPO_BPM, BEATS_PER_BAR = Fraction(104), 4
SONG_BARS = 40

SECTIONS = tuple(
    SongSection(uuid4(), name, first_bar, bars, phrase_bars)
    for name, first_bar, bars, phrase_bars in (
        ("Intro", 1, 4, 2), ("Verse 1", 5, 8, 2), ("Chorus 1", 13, 8, 4), ("Verse 2", 21, 8, 2), ("Chorus 2", 29, 8, 4),
        ("Outro", 37, 4, 2),
    )
)  # fmt: skip

# Chords as frets from the lowest string of a baritone in B (B E A D F# B); None is not played.
CHORDS: dict[str, tuple[int | None, ...]] = {
    "Em": (None, 0, 2, 2, 1, 0),
    "C": (1, 3, 3, 2, 1, None),
    "G": (8, None, 10, 9, 8, None),
    "D": (3, 5, 5, 4, 3, None),
    "Am": (None, 5, 7, 7, 6, 5),
    "Bm": (0, 2, 2, 0, 0, None),
}
_VERSE = ("Em", "Em", "C", "G", "Em", "Em", "Am", "D")
_CHORUS = ("C", "G", "D", "Em", "C", "G", "Bm", "Bm")
_INTRO = ("Em", "C", "G", "D")
_OUTRO = ("Em", "C", "D", "Em")
_PROGRESSION = dict(zip(range(1, 41), (*_INTRO, *_VERSE, *_CHORUS, *_VERSE, *_CHORUS, *_OUTRO), strict=True))
# Roots of the bass, as (string, fret) on E A D G.
_ROOTS = {"Em": (0, 0), "C": (1, 3), "G": (0, 3), "D": (1, 5), "Am": (0, 5), "Bm": (1, 2)}


def baritone_part() -> list[Note]:
    """Rhythm guitar: broken chords in intro and outro, palm-muted eighths in verses, open chords in choruses."""
    notes: list[Note] = []
    for bar, chord in _PROGRESSION.items():
        start = Fraction((bar - 1) * BEATS_PER_BAR)
        frets = CHORDS[chord]
        strings = [index for index, fret in enumerate(frets) if fret is not None]
        if bar <= 4 or bar >= 37:
            notes += _broken(start, frets, strings, last=bar == 40)
        elif 13 <= bar <= 20 or 29 <= bar <= 36:
            notes += _open_chords(start, frets, strings)
        else:
            notes += _muted_eighths(start, frets, strings, bar)
    return notes


def bass_part() -> list[Note]:
    """Root eighths with a fifth before each change."""
    notes = []
    for bar, chord in _PROGRESSION.items():
        start = Fraction((bar - 1) * BEATS_PER_BAR)
        string, fret = _ROOTS[chord]
        busy = 13 <= bar <= 20 or 29 <= bar <= 36
        pattern = range(8) if busy else (0, 3, 4, 6)
        for eighth in pattern:
            fifth = busy and eighth == 7
            where = (string + 1, fret + 2) if fifth else (string, fret)
            beats = Fraction(1, 2) if busy else Fraction(1)
            force = 0.8 if eighth in (0, 4) else 0.62
            notes.append(Note(start + Fraction(eighth, 2), beats, *where, force))
    return notes


def lead_part() -> list[Note]:
    """A melody on a six-string guitar over both choruses."""
    notes = []
    for first_bar in (13, 29):
        for index, bar in enumerate(_MELODY):
            for eighth, eighths, string, fret in bar:
                start = Fraction((first_bar + index - 1) * BEATS_PER_BAR) + Fraction(eighth, 2)
                force = 0.9 if eighth == 0 else 0.75
                notes.append(Note(start, Fraction(eighths, 2), string, fret, force))
    return notes


# Bar by bar over C G D Em, C G Bm Bm: eighth, length in eighths, string and fret on E A D G B E.
_MELODY = (
    ((0, 3, 4, 8), (3, 1, 4, 10), (4, 4, 5, 7)),
    ((0, 3, 5, 7), (3, 1, 5, 5), (4, 4, 4, 8)),
    ((0, 2, 4, 7), (2, 2, 5, 5), (4, 4, 5, 10)),
    ((0, 6, 5, 7), (6, 2, 4, 8)),
    ((0, 3, 5, 8), (3, 1, 5, 7), (4, 4, 5, 12)),
    ((0, 3, 5, 10), (3, 1, 5, 7), (4, 4, 5, 10)),
    ((0, 2, 5, 10), (2, 2, 5, 7), (4, 4, 4, 7)),
    ((0, 8, 5, 7),),
)


def _broken(start: Fraction, frets: tuple[int | None, ...], strings: list[int], *, last: bool) -> list[Note]:
    order = [strings[0], strings[2], strings[3], strings[1], strings[-1], strings[3], strings[2], strings[-1]]
    if last:
        return [Note(start, Fraction(4), string, frets[string] or 0, 0.75) for string in strings]
    return [
        Note(start + Fraction(eighth, 2), Fraction(4) - Fraction(eighth, 2), string, frets[string] or 0, force)
        for eighth, (string, force) in enumerate(
            zip(order, (0.95, 0.7, 0.72, 0.75, 0.8, 0.68, 0.72, 0.76), strict=True)
        )
    ]


def _muted_eighths(start: Fraction, frets: tuple[int | None, ...], strings: list[int], bar: int) -> list[Note]:
    notes = []
    low = strings[:2]
    for eighth in range(8):
        accent = eighth in (0, 3, 6)
        last_lifted = bar % 2 == 0 and eighth >= 6
        for string in strings[:4] if last_lifted else low:
            notes.append(
                Note(
                    start + Fraction(eighth, 2), Fraction(1, 2), string, frets[string] or 0,
                    1.0 if accent else 0.8,
                    Articulation.RING if last_lifted else Articulation.MUTE,
                )
            )  # fmt: skip
    return notes


def _open_chords(start: Fraction, frets: tuple[int | None, ...], strings: list[int]) -> list[Note]:
    notes = []
    strokes = ((0, Fraction(3, 2), 0.85), (3, Fraction(1), 0.66), (5, Fraction(1, 2), 0.55), (6, Fraction(1), 0.72))
    for eighth, beats, force in strokes:
        for string in strings:
            notes.append(Note(start + Fraction(eighth, 2), beats, string, frets[string] or 0, force))
    return notes
