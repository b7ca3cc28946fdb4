"""What is computed for a rig: the figures that its nodes show. `rig.path` computes them."""

from dataclasses import dataclass
from typing import Literal

from fatsignal.core.material.channels import RecordedKind
from fatsignal.core.timing.buffers import Feel


@dataclass(frozen=True, slots=True)
class PathWarning:
    """What is wrong at a node; `fix` loses a take or hurts a device, `look` costs quality."""

    node: str
    verdict: Literal["look", "fix"]
    says: str


@dataclass(frozen=True, slots=True)
class ChannelFigures:
    """One channel at its converter: the loudest strokes, and the noise at rest. Levels in dBFS."""

    name: str
    kind: RecordedKind
    input: int
    peak_dbfs: float
    average_dbfs: float
    noise_dbfs: float
    turn_db: int


@dataclass(frozen=True, slots=True)
class LoadCurve:
    """Gain of the pickup into its load, and for comparison into a short cable and 1 MΩ; shapes of `frequency_hz`."""

    frequency_hz: list[float]
    gain_db: list[float]
    unloaded_db: list[float]
    resonance_hz: float | None
    peak_db: float
    load_ohm: float
    cable_farad: float


@dataclass(frozen=True, slots=True)
class EarPath:
    """How the player hears the instrument, and how late."""

    way: str
    delay_ms: float
    feel: Feel


@dataclass(frozen=True, slots=True)
class RigPath:
    """All that is computed for a rig."""

    channels: list[ChannelFigures]
    curve: LoadCurve
    ears: list[EarPath]
    warnings: list[PathWarning]
