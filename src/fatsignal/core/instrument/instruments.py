"""Instruments and their tunings: open strings as MIDI notes, from the lowest."""

from dataclasses import dataclass, field

from fatsignal.core.instrument.pickup import PickupKind


@dataclass(frozen=True, slots=True)
class Instrument:
    """An instrument, how it rings, and what it usually carries; values of common practice, no source."""

    name: str
    tunings: dict[str, tuple[int, ...]]
    decay_s: float = 6.0
    brightness: float = 0.62
    pickup: PickupKind = "single coil"
    string_volts: float = 0.85
    bass: bool = False
    # Strings of a stiff set bend their partials more; from the lowest string to the highest.
    inharmonicity: tuple[float, float] = field(default=(1.2e-4, 4.5e-5))

    @property
    def open_notes(self) -> tuple[int, ...]:
        """The first tuning."""
        return next(iter(self.tunings.values()))

    @property
    def strings(self) -> int:
        return len(self.open_notes)


_SIX: dict[str, tuple[int, ...]] = {
    "standard": (40, 45, 50, 55, 59, 64),
    "drop D": (38, 45, 50, 55, 59, 64),
    "half a step down": (39, 44, 49, 54, 58, 63),
    "a whole step down": (38, 43, 48, 53, 57, 62),
    "open G": (38, 43, 50, 55, 59, 62),
    "open D": (38, 45, 50, 54, 57, 62),
    "D A D G A D": (38, 45, 50, 55, 57, 62),
}

INSTRUMENTS: dict[str, Instrument] = {
    instrument.name: instrument
    for instrument in (
        Instrument("six-string guitar", _SIX, 5.5, 0.66),
        Instrument(
            "seven-string guitar",
            {"standard": (35, 40, 45, 50, 55, 59, 64), "drop A": (33, 40, 45, 50, 55, 59, 64)},
            5.5, 0.64, "humbucker", 1.3,
        ),
        Instrument(
            "baritone guitar",
            {
                "B standard": (35, 40, 45, 50, 54, 59),
                "A standard": (33, 38, 43, 48, 52, 57),
                "drop A": (33, 40, 45, 50, 54, 59),
            },
            6.5, 0.62,
        ),
        Instrument(
            "four-string bass",
            {"standard": (28, 33, 38, 43), "drop D": (26, 33, 38, 43), "half a step down": (27, 32, 37, 42)},
            8.0, 0.5, "single coil", 1.6, bass=True,
        ),
        Instrument(
            "five-string bass", {"B standard": (23, 28, 33, 38, 43), "E to C": (28, 33, 38, 43, 48)},
            8.0, 0.5, "humbucker", 1.9, bass=True,
        ),
        Instrument("acoustic guitar", _SIX, 4.5, 0.72, "piezo", 0.4),
    )
}  # fmt: skip


def string_inharmonicity(instrument: Instrument, string: int) -> float:
    """B of f_n = n·f0·sqrt(1 + B·n²) of a string, 0 the lowest."""
    low, high = instrument.inharmonicity
    share = string / max(1, instrument.strings - 1)
    return low + (high - low) * share
