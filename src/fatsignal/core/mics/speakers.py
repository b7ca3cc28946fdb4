"""Loudspeakers in their cabinets."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Speaker:
    """A loudspeaker in its cabinet; curves of common practice, no source.

    `decoupling_hz` is where the outer cone stops following: above it the radiating radius shrinks.
    """

    radius_m: float
    depth_m: float
    resonance_hz: float
    resonance_q: float
    decoupling_hz: float
    break_up: tuple[tuple[float, float, float], ...]  # (Hz, dB, Q)
    high_cut_hz: float
    open_back: bool
    coil_corner_hz: float


SPEAKERS: dict[str, Speaker] = {
    "1x12 open": Speaker(
        0.13, 0.045, 82.0, 1.1, 1_100.0,
        ((420.0, -2.5, 1.2), (1_450.0, 2.0, 1.6), (2_600.0, 5.0, 1.7), (3_900.0, -3.0, 4.0), (4_500.0, 3.0, 3.0)),
        5_300.0, True, 1_900.0,
    ),
    "4x12 closed": Speaker(
        0.13, 0.045, 108.0, 1.5, 1_000.0,
        ((180.0, 1.5, 1.2), (480.0, -4.0, 1.0), (1_700.0, 1.0, 2.0), (2_900.0, 4.5, 1.5), (3_600.0, 2.5, 4.0)),
        4_900.0, False, 1_700.0,
    ),
    "1x15 bass": Speaker(
        0.165, 0.06, 48.0, 0.9, 800.0,
        ((250.0, -1.5, 1.0), (1_500.0, 2.5, 1.5), (2_400.0, 2.0, 2.5)),
        3_600.0, False, 1_200.0,
    ),
    # A guitar's top and its air, as a radiator without break-up; drive is the strings' voltage, so it is not loud.
    "acoustic body": Speaker(
        0.18, 0.02, 96.0, 3.0, 1_600.0,
        ((196.0, 6.0, 4.0), (390.0, 3.0, 3.0), (2_600.0, 2.0, 1.0)),
        14_000.0, True, 9_000.0,
    ),
}  # fmt: skip
