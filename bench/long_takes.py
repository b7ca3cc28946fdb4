"""What a long take costs. Run: .venv/bin/python -m bench.long_takes

Measures, in processes of their own and in one run, a take of an hour against one of three minutes, both of 3 channels:
the memory that entering it takes, hearing out its DI, and bringing one of its files in as a backing track with its
pulse; and how many times faster than real time each goes.
Aim: flat, under 500 MB for any length.
"""

import resource
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any, cast
from uuid import uuid4

import numpy as np
import soundfile

from bench.rendering import played

RATE_HZ = 48_000
MINUTES = (3, 60)
CHANNELS = ("DI", "mic A", "mic B")


def record(folder: Path, minutes: int) -> None:
    """A take as an engine leaves it, of a minute played over and over."""
    from fatsignal.core.takes.windows import Window
    from fatsignal.engine.journal import Journal
    from fatsignal.engine.protocol import ChannelFile
    from fatsignal.rig.setup import RigSetup

    folder.mkdir(parents=True)
    minute = np.clip(played(60), -1, 1)
    for name in CHANNELS:
        with soundfile.SoundFile(folder / f"{name}.wav", "w", RATE_HZ, 1, "PCM_24") as out:
            for _ in range(minutes):
                out.write(minute)
    frames = minutes * len(minute)
    journal = Journal(
        take_id=uuid4(), roll_id=uuid4(), session_id=uuid4(), part_id=uuid4(), number=1, rate_hz=RATE_HZ, from_frame=0,
        windows=[Window(0, frames)], setup=RigSetup(), started_at=datetime.now(UTC), ended="section",
        channels=[
            ChannelFile(name=name, kind="di" if name == "DI" else "mic", file=f"{name}.wav") for name in CHANNELS
        ],
    )  # fmt: skip
    journal.write(folder)


def entered(folder: Path) -> None:
    from fatsignal.acts.enter_roll import measure_roll

    measure_roll(folder, sessions_folder=folder.parent, waves_folder=folder.parent / "waves")


def heard_out(folder: Path) -> None:
    from fatsignal.core.material.channels import Channel, Wanted
    from fatsignal.core.material.material import Source, whole
    from fatsignal.core.takes.notes import listen_through
    from fatsignal.files.material_files import MaterialOnDisk, SourceFile

    channel = Channel("di", "DI")
    frames = soundfile.info(folder / "DI.wav").frames
    source = Source(id=uuid4(), fingerprint="", frames=frames, channels=(channel,))
    recorded = MaterialOnDisk(
        whole(source, first_frame=0, rate_hz=RATE_HZ), (SourceFile(source.id, channel, folder / "DI.wav"),)
    )
    with recorded.reader() as reader:
        listen_through(partial(reader.read, Wanted()), frames=frames, rate_hz=RATE_HZ)


def brought_in(folder: Path) -> None:
    from fatsignal.acts.import_backing import import_backing
    from fatsignal.core.timing.tempo import TempoMap

    session = SimpleNamespace(rate_hz=RATE_HZ, tempo=TempoMap.steady(120, rate_hz=RATE_HZ), folder="Song")
    import_backing(
        folder / "mic A.wav", shown_name="mic A.wav", session=cast(Any, session),
        sessions_folder=folder / "sessions", waves_folder=folder / "waves",
    )  # fmt: skip


STEPS = {"entered": entered, "its DI heard out": heard_out, "one as a backing": brought_in}


def main() -> None:
    if len(sys.argv) == 3:
        began_s = time.monotonic()
        STEPS[sys.argv[1]](Path(sys.argv[2]))
        print(time.monotonic() - began_s, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
        return
    with tempfile.TemporaryDirectory() as scratch:
        for minutes in MINUTES:
            folder = Path(scratch) / f"{minutes}"
            record(folder, minutes)
            for step in STEPS:
                command = [sys.executable, "-m", "bench.long_takes", step, str(folder)]
                done = subprocess.run(command, check=True, capture_output=True, text=True)
                spent_s, memory_mb = (float(figure) for figure in done.stdout.split())
                what = f"{minutes:3d} min of {len(CHANNELS)} channels, {step:17s}"
                print(f"{what} {memory_mb:4.0f} MB, {60 * minutes / spent_s:4.0f} x real time")


if __name__ == "__main__":
    main()
