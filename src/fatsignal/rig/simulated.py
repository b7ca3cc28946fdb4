"""The simulated rig: a stand-in for instrument, amp, microphones and interface that behaves like hardware.

A seeded player plays on plucked strings; the pickup, loaded by cables and inputs, feeds a DI box or input with a
through: one way to its converter, the other through the amp's circuit and its loudspeaker to the microphones, each at
its distance and on its own input. Hum, buzz, hiss and leaks come in where they do in a room. Blocks come at the pace
of the clock.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np

from fatsignal.core.amp.filters import RationalFilter
from fatsignal.core.clip import Samples
from fatsignal.core.instrument.converter import ConverterRunner
from fatsignal.core.instrument.inputs import BOXES, box_gain_db, gain_of_input_db, volts_from_dbu
from fatsignal.core.instrument.instruments import INSTRUMENTS, string_inharmonicity
from fatsignal.core.instrument.mains import MainsRunner
from fatsignal.core.instrument.pickup_filter import pickup_filter
from fatsignal.core.instrument.player import Hand, Mistake, Note, perform
from fatsignal.core.instrument.plucked_string import StringRunner, StringShape
from fatsignal.core.instrument.string_event import StringEvent
from fatsignal.core.mics.microphone import MIC_KINDS
from fatsignal.core.mics.response import mic_impulse_response
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.click import ClickSettings, render_click
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.convolution import Convolver
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.voltage import DiVoltage
from fatsignal.core.units import amplitude_from_db, equal_tempered_hz
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.noise import REFERENCE_PA, di_noise_dbfs, mic_noise_dbfs
from fatsignal.rig.rig_clock import ClockedSource, RigClock
from fatsignal.rig.setup import MicOnRig, RigSetup
from fatsignal.rig.source import InputChannel

BLOCK_FRAMES = 256
# Sound pressure at one metre for a drive of 1 of the simulated amp; a loud room, no source.
PASCAL_PER_DRIVE = 1.0
# How much of the hum that a single coil catches gets into the others.
_HUM_SHARE = {"single coil": 1.0, "humbucker": 0.05, "piezo": 0.02}
_LEAST_HUM = 0.03
_PHONES_TO_MIC_S = 0.004
_PHANTOM_KILLS_DB = -50.0


def channels_of(setup: RigSetup) -> tuple[InputChannel, ...]:
    """What a rig delivers, in order."""
    return tuple(InputChannel(name, "di" if name == "DI" else "mic") for name, _ in setup.inputs)


@dataclass(frozen=True, slots=True)
class Performance:
    """What is played: notes of the song, and the frames of the session between which they are played.

    `click` is what leaks from the phones, None when the click is off.
    """

    notes: list[Note]
    tempo: TempoMap
    from_frame: int
    to_frame: int
    seed: int
    hand: Hand = field(default_factory=Hand)
    reference_pitch_hz: float = 440.0
    click: ClickSettings | None = None
    mistakes: tuple[Mistake, ...] = ()

    @classmethod
    def within(
        cls, window: Window, notes: list[Note], tempo: TempoMap, *, from_frame: int, to_frame: int, seed: int,
        reference_pitch_hz: float = 440.0, click: ClickSettings | None = None,
    ) -> "Performance":  # fmt: skip
        """A pass of a player who waits for the count-in, plays what is written in the window, and lets it ring."""
        start, end = window
        begun = [note for note in notes if start <= tempo.quarter_frame(note.beat) < end]
        return cls(begun, tempo, from_frame, to_frame, seed, Hand(), reference_pitch_hz, click)


class SimulatedRig(ClockedSource):
    """A source of DI and microphones, time-locked, the same samples for the same seed.

    `performances` follow each other without a break: one for a roll that plays once, as many as there are for a loop.
    """

    def __init__(
        self,
        setup: RigSetup,
        performances: Performance | Iterator[Performance],
        *,
        interface: SimulatedInterface | None = None,
        pace: RigClock | None = None,
        block_frames: int = BLOCK_FRAMES,
    ) -> None:
        interface = interface or SimulatedInterface()
        if isinstance(performances, Performance):
            frames: int | None = performances.to_frame - performances.from_frame
            performances = iter([performances])
        else:
            frames = None
        performance = next(performances)
        rate_hz = performance.tempo.rate_hz
        super().__init__(
            rate_hz=rate_hz, frames=frames, interface=interface, pace=pace or RigClock(), block_frames=block_frames
        )
        self.channels = channels_of(setup)
        self._setup, self._interface = setup, interface
        self._performances = performances
        self._strings = _strings(setup, performance, interface)
        self._played = 0
        self._following_at: int | None = performance.to_frame - performance.from_frame
        self._volts = setup.string_volts
        self._hum = MainsRunner(
            interface.mains_hz, hum_v=_hum_volts(setup, interface), buzz_v=volts_from_dbu(interface.buzz_dbu),
            rate_hz=rate_hz,
        )  # fmt: skip
        self._hiss_v = volts_from_dbu(interface.extra_noise_dbu)
        self._random = np.random.default_rng(performance.seed)
        self._pickup: RationalFilter = pickup_filter(setup.pickup.circuit, setup.load, rate_hz)
        self._di = _DiRunner(setup, interface, rate_hz, performance.seed) if setup.di else None
        self._amp = _amp(setup, rate_hz)
        self._mics = [
            _MicRunner(setup, mic, index, interface, rate_hz, performance.seed) for index, mic in enumerate(setup.mics)
        ]
        self._phones = _Phones(performance, interface)
        # The simulated amp answers later than a real one would; the DI waits for it here, so that the
        # channels stand to each other as they do in a room.
        late = self._amp.latency_frames if self._amp and self._mics else 0
        self._di_waiting = np.zeros(late)
        self._sounding(late)

    def render(self, frames: int) -> Samples:
        """The next frames of all channels."""
        while self._following_at is not None and self._following_at < self._played + frames:
            self._follow(self._following_at)
        leak = self._phones.render(frames)
        di, cone = self._sounding(frames)
        columns = [] if di is None else [di]
        columns += [mic.process(cone, leak) for mic in self._mics]
        return np.column_stack(columns)

    def _sounding(self, frames: int) -> tuple[Samples | None, Samples]:
        self._played += frames
        strings = np.sum([string.process(frames) for string in self._strings], axis=0)
        hiss = self._hiss_v * self._random.standard_normal(frames)
        volts = self._pickup.process(self._volts * strings + self._hum.process(frames) + hiss)
        cone = self._amp.process(volts) if self._amp and self._mics else volts
        if self._di is None:
            return None, cone
        waiting = np.concatenate((self._di_waiting, self._di.process(volts)))
        self._di_waiting = waiting[frames:]
        return waiting[:frames], cone

    def _follow(self, at: int) -> None:
        """The next performance begins at a frame; what still rings rings on."""
        performance = next(self._performances, None)
        if performance is None:
            self._following_at = None
            return
        for string, events in zip(self._strings, _events(self._setup, performance, self._interface), strict=True):
            string.follow([replace(event, frame=event.frame + at) for event in events])
        self._phones.follow(performance, at)
        self._following_at = at + performance.to_frame - performance.from_frame


def _events(setup: RigSetup, performance: Performance, interface: SimulatedInterface) -> list[list[StringEvent]]:
    open_notes = setup.open_notes
    cents = [*interface.string_cents[: len(open_notes)], *[0.0] * (len(open_notes) - len(interface.string_cents))]
    return perform(
        performance.notes, instrument=INSTRUMENTS[setup.instrument], tempo=performance.tempo,
        from_frame=performance.from_frame, to_frame=performance.to_frame, seed=performance.seed,
        hand=performance.hand, open_notes=open_notes, reference_pitch_hz=performance.reference_pitch_hz,
        string_cents=cents, mistakes=performance.mistakes,
    )  # fmt: skip


def _strings(setup: RigSetup, performance: Performance, interface: SimulatedInterface) -> list[StringRunner]:
    instrument, open_notes = INSTRUMENTS[setup.instrument], setup.open_notes
    events = _events(setup, performance, interface)
    return [
        StringRunner(
            StringShape(
                open_hz=equal_tempered_hz(note, reference_pitch_hz=performance.reference_pitch_hz),
                inharmonicity=string_inharmonicity(instrument, index),
            ),
            string_events,
            rate_hz=performance.tempo.rate_hz,
            seed=performance.seed * 31 + index + 1,
        )
        for index, (note, string_events) in enumerate(zip(open_notes, events, strict=True))
    ]


def _amp(setup: RigSetup, rate_hz: int) -> ToneChain | None:
    """The amp's circuit; None where the instrument itself sounds."""
    if setup.amp is None or not setup.amp.blocks:
        return None
    return ToneChain(
        Tone(name="amp", oversample=4, blocks=setup.amp.blocks), rate_hz=rate_hz,
        voltage=DiVoltage(1.0), output_full_scale_v=1.0,
    )  # fmt: skip


def _hum_volts(setup: RigSetup, interface: SimulatedInterface) -> float:
    turned = max(_LEAST_HUM, math.cos(math.radians(interface.guitar_turned_deg)))
    return volts_from_dbu(interface.hum_dbu) * _HUM_SHARE[setup.pickup.kind] * turned


class _DiRunner:
    """DI box or input with its converter: the pickup's voltage in, samples out."""

    def __init__(self, setup: RigSetup, interface: SimulatedInterface, rate_hz: int, seed: int) -> None:
        assert setup.di is not None, "a rig without a DI has no DI runner"
        use, box = setup.di.input, BOXES[setup.di.box]
        alive = box is None or not box.needs_phantom or use.phantom
        through_db = box_gain_db(setup.di.box, ratio=setup.di.ratio) if alive else _PHANTOM_KILLS_DB
        gain = amplitude_from_db(gain_of_input_db(use.kind, gain_db=use.gain_db, pad=use.pad))
        self._gain = gain * amplitude_from_db(through_db) * (-1.0 if use.flipped else 1.0)
        loop_v = 0.0 if setup.di.ground_lift and box is not None else volts_from_dbu(interface.ground_loop_dbu)
        self._loop = MainsRunner(interface.mains_hz, hum_v=loop_v, buzz_v=0.2 * loop_v, rate_hz=rate_hz)
        self._loop_gain = gain
        self._converter = ConverterRunner(
            noise_dbfs=di_noise_dbfs(setup), broken=use.number in interface.broken_inputs, seed=seed
        )

    def process(self, volts: Samples) -> Samples:
        return self._converter.process(self._gain * volts + self._loop_gain * self._loop.process(len(volts)))


class _MicRunner:
    """A microphone with its preamplifier: the cone's drive and the phones' leak in, converter samples out."""

    def __init__(
        self, setup: RigSetup, mic: MicOnRig, index: int, interface: SimulatedInterface, rate_hz: int, seed: int
    ) -> None:
        kind, use = MIC_KINDS[mic.kind], mic.input
        volts_to_full = amplitude_from_db(gain_of_input_db(use.kind, gain_db=use.gain_db, pad=use.pad))
        if kind.needs_phantom and not use.phantom:
            volts_to_full *= amplitude_from_db(_PHANTOM_KILLS_DB)
        elif kind.hurt_by_phantom and use.phantom:
            volts_to_full *= 0.25
        if use.flipped:
            volts_to_full = -volts_to_full
        self._pascal = kind.sensitivity_v_pa * volts_to_full
        response = mic_impulse_response(setup.heard_by(mic), rate_hz)
        self._convolver = Convolver(response * PASCAL_PER_DRIVE * self._pascal)
        self._room_pa = REFERENCE_PA * amplitude_from_db(interface.room_noise_db_spl)
        self._random = np.random.default_rng(seed + 7000 + index)
        self._converter = ConverterRunner(
            noise_dbfs=mic_noise_dbfs(mic), broken=use.number in interface.broken_inputs,
            seed=seed + 1000 * (index + 1),
        )  # fmt: skip

    def process(self, cone: Samples, leak: Samples) -> Samples:
        room = self._room_pa * self._random.standard_normal(len(cone))
        return self._converter.process(self._convolver.process(cone) + self._pascal * (room + leak))


class _Phones:
    """What leaks from closed phones to a microphone a metre away: the click's highs, some milliseconds later."""

    def __init__(self, performance: Performance, interface: SimulatedInterface) -> None:
        self._performance = performance
        self._late = round(_PHONES_TO_MIC_S * performance.tempo.rate_hz)
        self._at = performance.from_frame - self._late
        self._following: list[tuple[int, Performance]] = []
        self._rendered = 0
        leak_db = interface.phones_leak_db if performance.click is not None else None
        # A click at full scale is taken as 1 Pa (94 dB) at the ear.
        self._pascal = 0.0 if leak_db is None else amplitude_from_db(leak_db)
        self._cut = RationalFilter(np.array([1.0, -1.0]), np.array([1.0, -0.85]))

    def follow(self, performance: Performance, at: int) -> None:
        """From frame `at` of the rig on the click is that of another stretch of the song."""
        self._following.append((at + self._late, performance))

    def render(self, frames: int) -> Samples:
        """The leak's next frames."""
        pieces = []
        while frames:
            if self._following and self._following[0][0] <= self._rendered:
                _, self._performance = self._following.pop(0)
                self._at = self._performance.from_frame
            here = frames if not self._following else min(frames, self._following[0][0] - self._rendered)
            pieces.append(self._render(here))
            self._rendered += here
            frames -= here
        return np.concatenate(pieces) if pieces else np.zeros(0)

    def _render(self, frames: int) -> Samples:
        start, self._at = self._at, self._at + frames
        if not self._pascal:
            return np.zeros(frames)
        click = render_click(
            self._performance.tempo, from_frame=start, to_frame=start + frames, settings=self._performance.click
        )
        return self._cut.process(self._pascal * click.channel(0))
