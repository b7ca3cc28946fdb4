"""How far a take or a piece is moved, said in samples, in ms or in note values."""

from fractions import Fraction

from fatsignal.core.timing.tempo import TempoMap


def slip_of(
    tempo: TempoMap, at_frame: int, *, samples: int | None = None, ms: float | None = None,
    quarters: Fraction | None = None,
) -> int:  # fmt: skip
    """Frames of one of the three; a note value is as long as the tempo is where the take begins."""
    if samples is not None:
        return samples
    if ms is not None:
        return round(ms * tempo.rate_hz / 1000)
    if quarters is None:
        return 0
    bar = max(1, tempo.bar_at(at_frame))
    return round(quarters * Fraction(60 * tempo.rate_hz) / Fraction(tempo.bpm_at(bar)).limit_denominator(1_000_000))
