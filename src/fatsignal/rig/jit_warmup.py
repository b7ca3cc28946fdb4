"""Loading what the rig computes with before anything is played: what is loaded in a roll holds it up."""

from fractions import Fraction

from fatsignal.core.clip import Clip
from fatsignal.core.instrument.player import Note
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.simulated import Performance, SimulatedRig


def warm() -> Clip:
    """Half a second of a note through a rig, as it is played."""
    tempo = TempoMap.steady(120, rate_hz=48_000)
    note, first = Note(Fraction(0), Fraction(1), 0, 0, 0.5), tempo.bar_frame(1)
    rig = SimulatedRig(RigSetup(), Performance([note], tempo, first, first + 24_000, 1), pace=RigClock(0))
    return Clip(rig.render(24_000), tempo.rate_hz)
