"""A plain riff on which tones are measured: the same for all of an instrument, played by the seeded player.

Low chords, a rest, single notes upwards: what shows a tone's lows, how it sorts out a chord, how it lets go. It is the
voltage at the jack.
"""

from fractions import Fraction
from functools import lru_cache

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.instrument.instruments import INSTRUMENTS, string_inharmonicity
from fatsignal.core.instrument.pickup import PICKUPS, Load
from fatsignal.core.instrument.pickup_filter import pickup_filter
from fatsignal.core.instrument.player import Articulation, Hand, Note, perform
from fatsignal.core.instrument.plucked_string import StringRunner, StringShape
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.tone.instruments import For
from fatsignal.core.units import equal_tempered_hz

RIFF_RATE_HZ = 48_000
RIFF_S = 5.0
_BPM = 108
_SEED = 20

_INSTRUMENT: dict[For, str] = {
    "guitar": "six-string guitar", "baritone": "baritone guitar", "bass": "four-string bass",
    "acoustic": "acoustic guitar",
}  # fmt: skip
# Five metres of cable into a megohm.
_LOAD = Load(5 * 100e-12, 1e6)


@lru_cache(maxsize=8)
def riff(instrument: For) -> Samples:
    """Volts at the jack, shape (frames,), at `RIFF_RATE_HZ`; the last of it rings."""
    of = INSTRUMENTS[_INSTRUMENT[instrument]]
    tempo = TempoMap.steady(_BPM, rate_hz=RIFF_RATE_HZ)
    start = tempo.bar_frame(1)
    frames = round(RIFF_S * RIFF_RATE_HZ)
    events = perform(
        _notes(of.strings, bass=of.bass), instrument=of, tempo=tempo, from_frame=start, to_frame=start + frames,
        seed=_SEED, hand=Hand(0.0, 0.0, 0.0, 0.0, 0.0, 0.0),
    )  # fmt: skip
    total = np.zeros(frames)
    for index, (note, of_string) in enumerate(zip(of.open_notes, events, strict=True)):
        shape = StringShape(open_hz=equal_tempered_hz(note), inharmonicity=string_inharmonicity(of, index))
        total += StringRunner(shape, of_string, rate_hz=RIFF_RATE_HZ, seed=_SEED + index).process(frames)
    played = pickup_filter(PICKUPS[of.pickup], _LOAD, RIFF_RATE_HZ).process(of.string_volts * total)
    played.flags.writeable = False
    return played


def _notes(strings: int, *, bass: bool) -> list[Note]:
    """Two bars: a low figure, a rest of a beat, then upwards."""

    def note(beat: float, string: int, fret: int, beats: float = 0.5, force: float = 0.8, muted: bool = False) -> Note:
        articulation = Articulation.MUTE if muted else Articulation.RING
        return Note(Fraction(beat), Fraction(beats), string, fret, force, articulation)

    low = [note(0, 0, 0, 1), note(1.5, 0, 0, 0.5, 0.9, True), note(2, 0, 3, 1)]
    if not bass:
        low += [note(0, 1, 2, 1), note(0, 2, 2, 1), note(2, 1, 5, 1), note(2, 2, 5, 1)]
    upwards = [note(4 + 0.5 * step, min(strings - 1, 1 + step // 2), (2, 4)[step % 2]) for step in range(6)]
    return [*low, *upwards, note(7, min(strings - 1, 2), 2, 2)]
