"""What the checks cost. Run: .venv/bin/python -m bench.checks

Prints, measured in one run: the share of one core that tuner and meters take together while the engine rolls in real
time at 30 messages a second, and how many times faster than real time each check measures a file. Aims: under 10 % and
at least 100 times.
"""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

import numpy as np

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.level.bleed import measure_bleed
from fatsignal.core.level.level_check import check_levels
from fatsignal.core.level.noise import measure_noise
from fatsignal.core.mono_sound import MonoInMemory
from fatsignal.core.pitch.note_list import list_notes
from fatsignal.core.pitch.notes import targets_of
from fatsignal.core.timing.beat_tracking import find_pulse
from fatsignal.core.timing.click import render_click
from fatsignal.core.timing.latency import measure_round_trip, ping_train
from fatsignal.engine.measurement_capture import MeasurementCapture
from fatsignal.engine.orders import ListenOrder
from fatsignal.rig.check_scenarios import check_tempo, scenario
from fatsignal.rig.happening import Situation
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.simulated import SimulatedRig
from fatsignal.rig.source import Block, InputChannel, InputsOnly
from fatsignal.rig.system_audio import drum_loop

RATE_HZ, SECONDS, TIMES = 48_000, 30.0, 3


class Recorded(InputsOnly):
    """Blocks of 256 frames that were played before: what is timed is the listening, not the simulation."""

    rate_hz = RATE_HZ
    channels: tuple[InputChannel, ...] = (
        InputChannel("DI", "di"),
        InputChannel("mic A", "mic"),
        InputChannel("mic B", "mic"),
    )

    def __init__(self, samples: Samples) -> None:
        self._samples, self._at = samples, 0

    def read_block(self) -> Block | None:
        block = self._samples[self._at : self._at + 256]
        self._at += 256
        return Block(block, self._at - 256) if len(block) else None

    def close(self) -> None:
        pass


def played(happening: Situation, seconds: float) -> Samples:
    setup = RigSetup()
    rig = SimulatedRig(
        setup, scenario(happening, setup, rate_hz=RATE_HZ, seconds=seconds, seed=1), pace=RigClock(0), block_frames=4096
    )
    blocks = []
    while (block := rig.read_block()) is not None:
        blocks.append(block.samples)
    return np.concatenate(blocks)


def listening_share(samples: Samples, *, tuner: bool) -> float:
    """CPU seconds of a listening that writes, meters and, if asked, tunes, over the seconds that it heard."""
    with tempfile.TemporaryDirectory() as folder:
        order = ListenOrder(
            roll_id=uuid4(), session_id=uuid4(), kind="tuning" if tuner else "level",
            happening="string by string" if tuner else "loudest", follows_pitch=tuner, folder=Path(folder) / "x",
            stem="x", rate_hz=RATE_HZ, tempo=check_tempo(RATE_HZ), from_frame=0, to_frame=len(samples), seed=1,
            setup=RigSetup(),
        )  # fmt: skip
        started = time.process_time()
        MeasurementCapture(order, Recorded(samples), lambda _: None).run()
        return (time.process_time() - started) / (len(samples) / RATE_HZ)


def times_real_time(check: Callable[[], object], seconds: float) -> float:
    """The best of some runs."""
    best = 0.0
    for _ in range(TIMES):
        started = time.perf_counter()
        check()
        best = max(best, seconds / (time.perf_counter() - started))
    return best


def main() -> None:
    happenings: tuple[Situation, ...] = ("string by string", "loudest", "hands off")
    strings, strokes, rest = (played(each, SECONDS) for each in happenings)
    listening_share(strings[: 2 * RATE_HZ], tuner=True)
    plain, tuned = (min(listening_share(strings, tuner=tuner) for _ in range(TIMES)) for tuner in (False, True))
    print(f"writing and metering three channels: {100 * plain:.1f} % of a core; with the tuner {100 * tuned:.1f} %")
    clip = Clip(strokes, RATE_HZ)
    di, mic = (np.ascontiguousarray(rest[:, index]) for index in (0, 1))
    click = render_click(check_tempo(RATE_HZ), from_frame=0, to_frame=len(mic)).channel(0)
    targets = targets_of(RigSetup().open_notes)
    loop = Clip(drum_loop(check_tempo(RATE_HZ), from_frame=0, to_frame=len(mic)), RATE_HZ)
    pings = np.concatenate((ping_train(RATE_HZ), np.zeros(RATE_HZ // 2)))
    kinds, inputs = ["di", "mic", "mic"], ["input 1", "input 2", "input 3"]
    checks: dict[str, tuple[Callable[[], object], float]] = {
        "level, three channels": (lambda: check_levels(clip, kinds=kinds, inputs=inputs), SECONDS),
        "tuning": (lambda: list_notes(Clip.mono(strings[:, 0], RATE_HZ), targets), SECONDS),
        "noise": (lambda: measure_noise(di, rate_hz=RATE_HZ), SECONDS),
        "bleed": (lambda: measure_bleed(mic, click, rate_hz=RATE_HZ, playing_dbfs=-16), SECONDS),
        "latency": (lambda: measure_round_trip(pings, rate_hz=RATE_HZ), len(pings) / RATE_HZ),
        "pulse of a backing track": (lambda: find_pulse(MonoInMemory.of(loop)), SECONDS),
    }
    for name, (check, seconds) in checks.items():
        print(f"{name:26s} {times_real_time(check, seconds):8.0f} × real time")


if __name__ == "__main__":
    main()
