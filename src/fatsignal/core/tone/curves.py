"""What each block of a tone does, as a small curve: its response over frequency, or its output over its input."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from fatsignal.core.amp.filters import cookbook_section, response_db
from fatsignal.core.amp.tone_network import NETWORKS, network_response_db
from fatsignal.core.clip import Samples
from fatsignal.core.tone.chain import Runner, runners, speaker_response
from fatsignal.core.tone.document import (
    Block,
    Equaliser,
    FirstStages,
    Gate,
    Power,
    SpeakerAndMics,
    Tone,
    ToneNetwork,
    Trim,
)

_FREQUENCY_HZ = np.geomspace(40.0, 12_000.0, 72)
_LEVEL_DBFS = np.linspace(-54.0, 0.0, 28)
_INNER_RATE_HZ = 192_000
_BASE_RATE_HZ = 48_000
_PROBE_HZ = 400.0
_PROBE_PERIODS = 6


@dataclass(frozen=True, slots=True)
class BlockCurve:
    """A curve with its axes, and what is set, as label and value with unit."""

    kind: str
    title: str
    axis: Literal["frequency", "level", "none"]
    x: list[float]
    y: list[float]
    x_unit: str
    y_unit: str
    values: list[tuple[str, str]]


def block_curves(tone: Tone) -> list[BlockCurve]:
    """One curve a block, in signal order."""
    return [_curve(block, tone) for block in tone.blocks]


def _curve(block: Block, tone: Tone) -> BlockCurve:
    match block:
        case Gate():
            gained = np.where(block.threshold_dbfs <= _LEVEL_DBFS - 20, _LEVEL_DBFS - 20, -74.0)
            values = [("threshold", f"{block.threshold_dbfs:g} dB"), ("release", f"{block.release_ms:g} ms")]
            return _level("gate", "Gate", _LEVEL_DBFS - 20, gained, values)
        case Equaliser():
            total = np.zeros_like(_FREQUENCY_HZ)
            for band in block.bands:
                section = cookbook_section(
                    band.shape, frequency_hz=band.frequency_hz, gain_db=band.gain_db, q=band.q, rate_hz=_INNER_RATE_HZ
                )
                total = total + response_db(*section, _FREQUENCY_HZ, _INNER_RATE_HZ)
            values = [
                (band.shape.replace("_", " "), _band_value(band.frequency_hz, band.gain_db)) for band in block.bands
            ]
            return _frequency("equaliser", "Equaliser", total, values)
        case FirstStages():
            values = [
                ("drive", f"{block.drive:g}"),
                ("stages", f"{block.stages}, {block.voicing}"),
                ("bright", "on" if block.bright else "off"),
            ]
            driven = _driven_levels(block, tone, input_v=tone.full_scale_v)
            return _level("first_stages", "First stages", _LEVEL_DBFS, driven, values)
        case ToneNetwork():
            response = network_response_db(
                NETWORKS[block.network], _FREQUENCY_HZ,
                treble=block.treble / 10, middle=block.middle / 10, bass=block.bass / 10,
            )  # fmt: skip
            values = [("bass", f"{block.bass:g}"), ("middle", f"{block.middle:g}"), ("treble", f"{block.treble:g}")]
            return _frequency("tone_network", "Tone network", response, values)
        case Power():
            values = [("level", f"{block.level:g}"), ("sag", f"{block.sag:g}"), ("presence", f"{block.presence:g}")]
            # A first stage of the amp gives some ten volts to this one.
            return _level("power", "Power stage", _LEVEL_DBFS, _driven_levels(block, tone, input_v=20.0), values)
        case SpeakerAndMics():
            impulse = speaker_response(block, _BASE_RATE_HZ)
            spectrum = np.abs(np.fft.rfft(impulse, 8192))
            bins = np.fft.rfftfreq(8192, 1 / _BASE_RATE_HZ)
            response = 20 * np.log10(np.maximum(np.interp(_FREQUENCY_HZ, bins, spectrum), 1e-9))
            values = [("speaker", block.speaker)]
            values += [(mic.kind, f"{mic.distance_m * 100:g} cm, {mic.off_centre_m * 100:g} off") for mic in block.mics]
            return _frequency("speaker", "Speaker and mics", response - response.max(), values)
        case Trim():
            return BlockCurve(
                "trim", "Trim", "none", [], [], "", "", [("out", f"{block.gain_db:+g} dB".replace("-", "−"))]
            )


def _driven_levels(block: FirstStages | Power, tone: Tone, *, input_v: float) -> Samples:
    """Level that a probe of each input level leaves with, dB against the highest; a fresh circuit for each."""
    frames = round(_PROBE_PERIODS * _INNER_RATE_HZ / _PROBE_HZ)
    probe = np.sin(2 * np.pi * _PROBE_HZ * np.arange(frames) / _INNER_RATE_HZ)
    levels = []
    for level_dbfs in _LEVEL_DBFS:
        signal = input_v * 10 ** (level_dbfs / 20) * probe
        parts: list[Runner] = runners(block, tone, _INNER_RATE_HZ)
        for part in parts:
            signal = part.process(signal)
        levels.append(20 * np.log10(float(np.std(signal[frames // 2 :])) + 1e-9))
    out = np.array(levels)
    return np.asarray(out - out.max())


def _frequency(kind: str, title: str, y_db: Samples, values: list[tuple[str, str]]) -> BlockCurve:
    return _rounded(kind, title, "frequency", _FREQUENCY_HZ, y_db, "Hz", values)


def _level(kind: str, title: str, x: Samples, y_db: Samples, values: list[tuple[str, str]]) -> BlockCurve:
    return _rounded(kind, title, "level", x, y_db, "dB in", values)


def _rounded(
    kind: str, title: str, axis: Literal["frequency", "level"], x: Samples, y: Samples, x_unit: str,
    values: list[tuple[str, str]],
) -> BlockCurve:  # fmt: skip
    shown = [(label, value.replace("-", "−")) for label, value in values]
    return BlockCurve(kind, title, axis, np.round(x, 2).tolist(), np.round(y, 2).tolist(), x_unit, "dB", shown)


def _band_value(frequency_hz: float, gain_db: float) -> str:
    shown = f"{frequency_hz / 1000:g} kHz" if frequency_hz >= 1000 else f"{frequency_hz:g} Hz"
    return f"{shown}, {gain_db:+g} dB" if gain_db else shown
