"""The simulated rig: a stand-in for instrument, amp, microphones and interface that behaves like hardware.

A seeded player plays a written part on plucked strings; the pickup, loaded by cable and input, feeds a DI box with a
through: one way to the instrument input, the other through the amp's circuit and its loudspeaker to the
microphones, each at its distance. Blocks come at the pace of the clock they are given.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from fatsignal.core.amp.filters import RationalFilter
from fatsignal.core.clip import Samples
from fatsignal.core.instrument.di_input import InputRunner, InstrumentInput
from fatsignal.core.instrument.pickup import Load, Pickup, pickup_filter
from fatsignal.core.instrument.player import INSTRUMENTS, Hand, Note, perform
from fatsignal.core.instrument.plucked_string import StringRunner, StringShape
from fatsignal.core.mics.microphone import MIC_KINDS
from fatsignal.core.mics.speaker_field import MicPosition, mic_impulse_response
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.convolution import Convolver
from fatsignal.core.tone.document import Tone
from fatsignal.core.units import equal_tempered_hz
from fatsignal.errors import RollRefused
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.source import InputChannel

BLOCK_FRAMES = 256
# A real interface drops blocks when nobody fetches them; half a second is a generous buffer.
_BUFFER_S = 0.5


@dataclass(frozen=True, slots=True)
class Performance:
    """What is played: notes of the song, and the frames of the session between which they are played."""

    notes: list[Note]
    tempo: TempoMap
    from_frame: int
    to_frame: int
    seed: int
    hand: Hand = field(default_factory=Hand)

    @classmethod
    def within(
        cls, window: tuple[int, int], notes: list[Note], tempo: TempoMap, *, from_frame: int, to_frame: int, seed: int
    ) -> "Performance":
        """A pass of a player who waits for the count-in, plays what is written in the window, and lets it ring."""
        begun = [note for note in notes if window[0] <= tempo.beat_frame(note.beat) < window[1]]
        return cls(begun, tempo, from_frame, to_frame, seed)


@dataclass(frozen=True, slots=True)
class Pace:
    """When blocks arrive: `speed` 1 is real time, 0 is as fast as they are computed."""

    speed: float = 1.0
    now_s: Callable[[], float] = time.monotonic
    sleep_s: Callable[[float], None] = time.sleep


class SimulatedRig:
    """A source of DI and microphones, time-locked, the same samples for the same seed."""

    def __init__(
        self,
        setup: RigSetup,
        performance: Performance,
        *,
        pace: Pace | None = None,
        block_frames: int = BLOCK_FRAMES,
    ) -> None:
        rate_hz = performance.tempo.rate_hz
        self.rate_hz = rate_hz
        self.channels = (
            InputChannel("DI", "di"),
            *(InputChannel(mic.name, "mic") for mic in setup.mics),
        )
        self._pace = pace or Pace()
        self._block_frames = block_frames
        self._left = performance.to_frame - performance.from_frame
        instrument = INSTRUMENTS[setup.instrument]
        events = perform(
            performance.notes, instrument=instrument, tempo=performance.tempo,
            from_frame=performance.from_frame, to_frame=performance.to_frame,
            seed=performance.seed, hand=performance.hand,
        )  # fmt: skip
        self._strings = [
            StringRunner(
                StringShape(open_hz=equal_tempered_hz(open_note), inharmonicity=1.2e-4 - 1.5e-5 * index),
                string_events,
                rate_hz=rate_hz,
                seed=performance.seed * 31 + index + 1,
            )
            for index, (open_note, string_events) in enumerate(zip(instrument.open_notes, events, strict=True))
        ]
        self._volts = setup.string_volts
        self._pickup: RationalFilter = pickup_filter(
            Pickup(setup.pickup_inductance_h, setup.pickup_resistance_ohm, setup.pickup_capacitance_farad),
            Load(setup.cable_farad, setup.input_ohm),
            rate_hz,
        )
        self._input = InputRunner(
            InstrumentInput(setup.full_scale_v, setup.input_noise_dbfs, setup.hum_dbfs, setup.mains_hz),
            rate_hz=rate_hz,
            seed=performance.seed,
        )
        amp = Tone(name=setup.amp_name, full_scale_v=1.0, oversample=4, blocks=setup.amp)
        self._amp = ToneChain(amp, rate_hz=rate_hz)
        self._mics = [_MicRunner(setup, index, rate_hz, performance.seed) for index in range(len(setup.mics))]
        # The simulated amp answers later than a real one would; the DI waits for it here, so that the
        # channels stand to each other as they do in a room.
        self._amp_latency = self._amp.latency_frames
        self._di_waiting = np.zeros(self._amp_latency)
        self._render(self._amp_latency)
        self._started_s: float | None = None
        self._delivered = 0

    def read_block(self) -> Samples | None:
        """The next block, shape (frames, channels); the last block may be shorter."""
        if self._left <= 0:
            return None
        frames = min(self._block_frames, self._left)
        self._wait(frames)
        self._left -= frames
        self._delivered += frames
        return self._render(frames)

    def close(self) -> None:
        self._left = 0

    def _wait(self, frames: int) -> None:
        """A block is there when its last frame has sounded, not earlier."""
        if self._pace.speed <= 0:
            return
        now_s = self._pace.now_s()
        if self._started_s is None:
            self._started_s = now_s
        due_s = self._started_s + (self._delivered + frames) / self.rate_hz / self._pace.speed
        if now_s - due_s > _BUFFER_S / self._pace.speed:
            late_ms = 1000 * (now_s - due_s)
            raise RollRefused(
                f"the interface lost audio: the machine was {late_ms:.0f} ms behind; what was rolled until then is kept"
            )
        if due_s > now_s:
            self._pace.sleep_s(due_s - now_s)

    def _render(self, frames: int) -> Samples:
        strings = np.sum([string.process(frames) for string in self._strings], axis=0)
        volts = self._pickup.process(self._volts * strings)
        di = self._input.process(volts)
        waiting = np.concatenate((self._di_waiting, di))
        self._di_waiting = waiting[frames:]
        cone = self._amp.process(volts)
        return np.column_stack([waiting[:frames], *(mic.process(cone) for mic in self._mics)])


class _MicRunner:
    """A microphone with its preamplifier: the cone's drive in, converter samples out."""

    def __init__(self, setup: RigSetup, index: int, rate_hz: int, seed: int) -> None:
        mic = setup.mics[index]
        position = MicPosition(mic.kind, mic.distance_m, mic.off_centre_m, mic.angle_deg)
        response = mic_impulse_response(setup.speaker, position, rate_hz)
        self._convolver = Convolver(response * 0.1 * 10 ** (mic.gain_db / 20))
        noise = InstrumentInput(
            full_scale_v=1.0, noise_dbfs=MIC_KINDS[mic.kind].noise_dbfs, hum_dbfs=-100.0, mains_hz=setup.mains_hz
        )
        self._input = InputRunner(noise, rate_hz=rate_hz, seed=seed + 1000 * (index + 1))

    def process(self, cone: Samples) -> Samples:
        return self._input.process(self._convolver.process(cone))
