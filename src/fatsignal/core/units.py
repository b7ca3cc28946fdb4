"""Conversions between the units of the job; every function is its formula."""

import math

SPEED_OF_SOUND_0C_M_S = 331.3


def amplitude_from_db(level_db: float) -> float:
    """Factor on a voltage or a sample for a level in dB."""
    return float(10.0 ** (level_db / 20.0))


def db_from_amplitude(amplitude: float) -> float:
    """Level in dB of a factor; ``-inf`` for zero."""
    return 20.0 * math.log10(amplitude) if amplitude > 0 else -math.inf


def cents_between(reference_hz: float, frequency_hz: float) -> float:
    """Distance from `reference_hz` up to `frequency_hz`; 1200 cents are an octave."""
    return 1200.0 * math.log2(frequency_hz / reference_hz)


def equal_tempered_hz(midi_note: float, *, reference_pitch_hz: float = 440.0) -> float:
    """Frequency of a note; 69 is A4, the reference pitch of ISO 16."""
    return float(reference_pitch_hz * 2.0 ** ((midi_note - 69.0) / 12.0))


def speed_of_sound_m_s(temperature_c: float = 20.0) -> float:
    """Speed of sound in dry air, 331.3·sqrt(1 + T/273.15); 343.2 m/s at 20 °C."""
    return SPEED_OF_SOUND_0C_M_S * math.sqrt(1.0 + temperature_c / 273.15)
