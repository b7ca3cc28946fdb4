"""What the simulated player does while something is checked, and what it plays for a part without written notes."""

from fractions import Fraction

from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.core.instrument.player import Hand, Note
from fatsignal.core.timing.click import ClickSettings
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.rig.happening import Situation
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.simulated import Performance

_STRING_EVERY_QUARTERS = 4
_STEADY = Hand(timing_s=0.004, force_spread=0.05, detune_cents=0.0, late_chance=0, fluffed_chance=0, missed_chance=0)


def scenario(
    happening: Situation, setup: RigSetup, *, rate_hz: int, seconds: float, seed: int,
    reference_pitch_hz: float = 440.0, click: ClickSettings | None = None,
) -> Performance:  # fmt: skip
    """What happens in front of the microphones while a check listens for `seconds`.

    It is played as loud as it goes, or string by string, or all hands are off the strings.
    """
    tempo = check_tempo(rate_hz)
    quarters = int(seconds * 2)
    match happening:
        case "loudest":
            notes = loudest(setup, quarters=quarters)
        case "string by string":
            notes = string_by_string(setup, quarters=quarters)
        case _:
            notes = []
    heard = (click or ClickSettings()) if happening.endswith("the click in the phones") else None
    return Performance(
        notes, tempo, 0, round(seconds * rate_hz), seed, _STEADY, reference_pitch_hz, heard
    )  # fmt: skip


def check_tempo(rate_hz: int) -> TempoMap:
    """The beat of every check: 120 a minute from its first frame on."""
    return TempoMap.steady(120, rate_hz=rate_hz, lead_in_bars=0)


def loudest(setup: RigSetup, *, quarters: int) -> list[Note]:
    """As hard as it goes, with a bar of rest in the middle: a guitar's strings together, a bass's one by one."""
    strings = range(len(setup.open_notes))
    bass = INSTRUMENTS[setup.instrument].bass
    notes = []
    for quarter in range(quarters):
        if quarters // 2 <= quarter < quarters // 2 + 4:
            continue
        struck = [strings[quarter % len(strings)]] if bass else list(strings)
        notes += [Note(Fraction(quarter), Fraction(1), string, 0, 1.0) for string in struck]
    return notes


def string_by_string(setup: RigSetup, *, quarters: int) -> list[Note]:
    """Each open string in turn, from the lowest, again and again."""
    strings = len(setup.open_notes)
    return [
        Note(Fraction(start), Fraction(_STRING_EVERY_QUARTERS), start // _STRING_EVERY_QUARTERS % strings, 0, 0.7)
        for start in range(0, quarters, _STRING_EVERY_QUARTERS)
    ]


def made_up_notes(setup: RigSetup, tempo: TempoMap, *, from_bar: int, to_bar: int) -> list[Note]:
    """Something to roll for a part for which nothing is written: its strings, up and down in eighths."""
    count = len(setup.open_notes)
    order = [*range(count), *range(count - 2, 0, -1)]
    notes = []
    for bar in range(from_bar, to_bar):
        start, quarters = tempo.bar_quarter(bar), tempo.meter_at(bar).quarters
        for eighth in range(int(2 * quarters)):
            string = order[eighth % len(order)]
            fret = (0, 3, 5, 2)[bar % 4] if string == order[0] else 0
            notes.append(Note(start + Fraction(eighth, 2), Fraction(1), string, fret, 0.85 if eighth == 0 else 0.65))
    return notes
