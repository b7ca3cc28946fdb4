"""A tone as running code: the same blocks stream live and render files, to the same samples."""

import math
from collections.abc import Callable
from itertools import groupby
from typing import Protocol

import numpy as np

from fatsignal.core.amp.cascade import Cascade, Link
from fatsignal.core.amp.circuit import Circuit, transfer_function
from fatsignal.core.amp.filters import RationalFilter, cookbook_section
from fatsignal.core.amp.gate import GateRunner
from fatsignal.core.amp.power_stage import PowerRunner, PowerStage
from fatsignal.core.amp.tone_network import NETWORKS, audio_taper, network_filter
from fatsignal.core.amp.triode import TriodeStage
from fatsignal.core.clip import Samples, check_rate
from fatsignal.core.mics.speaker_field import MicPosition, mic_impulse_response
from fatsignal.core.tone.convolution import Convolver
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
from fatsignal.core.tone.oversampling import Oversampler
from fatsignal.core.units import speed_of_sound_m_s

# Blocks whose curves make new partials; they run at the higher rate.
_OVERSAMPLED = (FirstStages, ToneNetwork, Power)


class Runner(Protocol):
    """Anything that turns samples into samples and remembers where it was."""

    late_frames: int

    def process(self, signal: Samples) -> Samples:
        """Process `signal`, shape (frames,)."""
        ...


class Gain:
    """A factor."""

    late_frames = 0

    def __init__(self, factor: float) -> None:
        self._factor = factor

    def process(self, signal: Samples) -> Samples:
        return np.asarray(signal * self._factor)


class ToneChain:
    """A tone at one rate. `process` takes blocks of any size; `latency_frames` is its delay.

    Parameters
    ----------
    oversample : int, optional
        1, 2, 4 or 8, at 44.1 and 48 kHz; the tone's own when left out. At higher rates it is
        reduced so that the inner rate stays about the same.
    """

    def __init__(self, tone: Tone, *, rate_hz: int, oversample: int | None = None) -> None:
        check_rate(rate_hz)
        self.tone = tone
        self.rate_hz = rate_hz
        self.oversample = inner_factor(oversample or tone.oversample, rate_hz)
        self.latency_frames = 0
        self._steps: list[Callable[[Samples], Samples]] = [Gain(tone.full_scale_v).process]
        for inner, blocks in groupby(tone.blocks, key=lambda block: isinstance(block, _OVERSAMPLED)):
            if not inner:
                for block in blocks:
                    self._steps += [runner.process for runner in runners(block, tone, rate_hz)]
                continue
            inner_rate = rate_hz * self.oversample
            inside = [runner for block in blocks for runner in runners(block, tone, inner_rate)]
            ladder = Oversampler(self.oversample, late_frames=sum(runner.late_frames for runner in inside))
            self.latency_frames += ladder.latency_frames
            self._steps.append(ladder.up)
            self._steps += [runner.process for runner in inside]
            self._steps.append(ladder.down)
        self._steps.append(Gain(1.0 / tone.full_scale_v).process)

    @property
    def steps(self) -> list[Callable[[Samples], Samples]]:
        """The chain in order; a renderer may run parts of it in threads of their own."""
        return self._steps

    def process(self, signal: Samples) -> Samples:
        """Run one block, full scale ±1.0, shape (frames,), through the tone."""
        for step in self._steps:
            signal = step(signal)
        return signal


def inner_factor(oversample: int, rate_hz: int) -> int:
    """Oversampling at `rate_hz` that gives about the inner rate that `oversample` gives at 48 kHz."""
    surplus = max(0, round(math.log2(rate_hz / 48_000)))
    return max(1, oversample >> surplus)


def runners(block: Block, tone: Tone, rate_hz: int) -> list[Runner]:
    """The running parts of one block at the rate it runs at; signals between them are volts."""
    match block:
        case Gate():
            threshold_dbv = block.threshold_dbfs + 20 * math.log10(tone.full_scale_v)
            return [GateRunner(threshold_dbfs=threshold_dbv, release_ms=block.release_ms, rate_hz=rate_hz)]
        case Equaliser():
            return [
                RationalFilter(
                    *cookbook_section(
                        band.shape,
                        frequency_hz=band.frequency_hz,
                        gain_db=band.gain_db,
                        q=band.q,
                        rate_hz=rate_hz,
                    )
                )
                for band in block.bands
            ]
        case FirstStages():
            return _first_stages(block, rate_hz)
        case ToneNetwork():
            return [
                network_filter(
                    NETWORKS[block.network],
                    treble=block.treble / 10,
                    middle=block.middle / 10,
                    bass=block.bass / 10,
                    rate_hz=rate_hz,
                )
            ]
        case Power():
            return _power(block, rate_hz)
        case SpeakerAndMics():
            return [Convolver(tone.full_scale_v * speaker_response(block, rate_hz))]
        case Trim():
            return [Gain(10 ** (block.gain_db / 20))]


# A first stage as it stands behind the jack, and those that follow: bias and bypass make the voice.
_INPUT = TriodeStage(source_ohm=1e3, coupling_farad=1e-6, stopper_ohm=68e3, miller_farad=110e-12)
_FOLLOWING: dict[str, tuple[TriodeStage, ...]] = {
    "warm": (
        TriodeStage(source_ohm=150e3, cathode_ohm=1500, cathode_farad=22e-6),
        TriodeStage(source_ohm=235e3, cathode_ohm=1800, cathode_farad=1e-6),
        TriodeStage(source_ohm=235e3, cathode_ohm=1500, cathode_farad=None),
    ),
    "tight": (
        TriodeStage(source_ohm=150e3, coupling_farad=4.7e-9, cathode_ohm=2700, cathode_farad=680e-9),
        TriodeStage(source_ohm=235e3, coupling_farad=10e-9, cathode_ohm=8200, cathode_farad=None),
        TriodeStage(source_ohm=235e3, coupling_farad=22e-9, cathode_ohm=1500, cathode_farad=None),
    ),
}
# Divider between later stages: two equal resistors, so half.
_BETWEEN = 0.5


def _first_stages(block: FirstStages, rate_hz: int) -> list[Runner]:
    links = [Link(_INPUT)]
    before = drive_control(block, rate_hz)
    for stage in _FOLLOWING[block.voicing][: block.stages - 1]:
        links.append(Link(stage, *before))
        before = np.array([_BETWEEN]), np.ones(1)
    parts: list[Runner] = [Cascade(links, rate_hz)]
    if block.stages == 1:
        parts.append(RationalFilter(*before))
    return parts


def drive_circuit(drive: float, *, bright: bool) -> Circuit:
    """Coupling capacitor, a 1 MΩ audio-taper control and its bright capacitor, loaded by the next grid."""
    share = min(max(audio_taper(drive / 10), 1e-4), 0.9999)
    net = Circuit()
    net.source("in")
    net.resistor("in", "plate", 38e3)
    net.capacitor("plate", "top", 22e-9)
    net.resistor("top", "out", (1 - share) * 1e6)
    net.resistor("out", "0", share * 1e6)
    net.capacitor("top", "out", 220e-12 if bright else 1e-13)
    net.resistor("out", "0", 2.2e6)
    return net


def drive_control(block: FirstStages, rate_hz: int) -> tuple[Samples, Samples]:
    space = drive_circuit(block.drive, bright=block.bright).discretise(rate_hz=rate_hz, outputs=["out"])
    return transfer_function(space)


def power_stage(sag: float) -> PowerStage:
    """The power stage with its supply as stiff (0) or as soft (10) as the knob says."""
    return PowerStage(supply_ohm=20 + 40 * sag, reservoir_farad=80e-6 / (1 + sag / 3))


def presence_section(presence: float, rate_hz: int) -> tuple[Samples, Samples]:
    """The highs that less feedback lets through: a shelf into the power stage, up to 12 dB."""
    return cookbook_section("high_shelf", frequency_hz=2_200, gain_db=1.2 * presence, q=0.6, rate_hz=rate_hz)


def _power(block: Power, rate_hz: int) -> list[Runner]:
    splitter = TriodeStage(source_ohm=100e3, cathode_ohm=1200, cathode_farad=None, supply_v=330.0)
    numerator, denominator = presence_section(block.presence, rate_hz)
    driven = Link(splitter, audio_taper(block.level / 10) * numerator, denominator)
    return [PowerRunner(power_stage(block.sag), rate_hz, driven)]


def speaker_response(block: SpeakerAndMics, rate_hz: int) -> Samples:
    """All microphones of the block in one impulse response, without the travel time they share.

    The level is that of each microphone at its own distance over what one metre gives, with its gain; so
    moving a microphone in makes it louder, as in the room. A constant brings 5 cm to about unity.
    """
    nearest_m = min(mic.distance_m for mic in block.mics)
    shared = math.floor(nearest_m / speed_of_sound_m_s() * rate_hz)
    total = np.zeros(1)
    for mic in block.mics:
        position = MicPosition(mic.kind, mic.distance_m, mic.off_centre_m, mic.angle_deg)
        heard = mic_impulse_response(block.speaker, position, rate_hz)[shared:]
        factor = 10 ** (mic.gain_db / 20) * (-1 if mic.flipped else 1) * 0.1
        longer, shorter = (total, factor * heard) if len(total) > len(heard) else (factor * heard, total)
        total = longer.copy()
        total[: len(shorter)] += shorter
    return total
