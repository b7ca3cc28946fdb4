"""How fast tones render, as ratios measured in one run. Run: .venv/bin/python -m bench.rendering

Prints, for the high-gain tone at 4 times oversampling:
- re-amp of a 3-minute DI at 48 kHz on one core and on two, in multiples of real time, and the memory
  it takes, also of a longer file;
- where its time goes, block by block, and how fast the slowest kinds of tones are;
- one 128-frame block in the live form: median and 99th percentile, as a share of the block's own time;
- for every tone, the largest inharmonic component of a hard-driven 4186 Hz sine against its fundamental.
"""

import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.tone.chain import ToneChain, separate
from fatsignal.core.tone.render import CHUNK_FRAMES
from fatsignal.demo import song
from fatsignal.files.reamp import reamp_file
from fatsignal.files.sound_writer import write_sound
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.simulated import Performance, SimulatedRig
from fatsignal.tones import find_tone, shipped_tones

RATE_HZ = 48_000
MINUTES = 3
BLOCK_FRAMES = 128


def played(seconds: float) -> np.ndarray:
    """A dry baritone of the simulated rig, repeated to the length."""
    tempo = TempoMap.steady(song.TEMPO_BPM, rate_hz=RATE_HZ, beats_per_bar=song.BEATS_PER_BAR)
    performance = Performance(song.baritone_part(), tempo, tempo.bar_frame(1), tempo.bar_frame(21), 7)
    rig = SimulatedRig(RigSetup(mics=[]), performance, pace=RigClock(0), block_frames=8192)
    blocks = []
    while (block := rig.read_block()) is not None:
        blocks.append(block.samples[:, 0])
    once = np.concatenate(blocks)
    return np.tile(once, int(np.ceil(seconds * RATE_HZ / len(once))))[: round(seconds * RATE_HZ)]


def whole_files(di: np.ndarray, folder: Path) -> None:
    tone = find_tone("Foundry")
    source = folder / "di.wav"
    write_sound(source, [di[:, None]], rate_hz=RATE_HZ, channels=1)
    # The first run loads the kernels.
    write_sound(folder / "short.wav", [di[:RATE_HZ, None]], rate_hz=RATE_HZ, channels=1)
    reamp_file(folder / "short.wav", folder / "warm.wav", tone)
    print(f"re-amp of {MINUTES} min, {tone.name}, 4x:")
    for threads in (1, 2):
        started = time.perf_counter()
        reamp_file(source, folder / f"wet{threads}.wav", tone, threads=threads)
        spent = time.perf_counter() - started
        print(f"  {threads} core{'s'[: threads > 1]}: {MINUTES * 60 / spent:6.1f} x real time")
    longer = folder / "longer.wav"
    write_sound(longer, [di[:, None]] * 4, rate_hz=RATE_HZ, channels=1)
    for minutes, file in ((MINUTES, source), (4 * MINUTES, longer)):
        print(f"  largest memory of a process that re-amps {minutes} min: {memory_mb(file, folder):.0f} MB")


def memory_mb(source: Path, folder: Path) -> float:
    """Largest resident memory of `reamp` in a process of its own, as the system counts it."""
    asked = ["reamp", str(source), "--tone", "Foundry", "--out", str(folder / f"memory {source.name}"), "--quiet"]
    program = (
        f"from fatsignal.cli import app; app({asked!r}, standalone_mode=False); print(open('/proc/self/status').read())"
    )
    status = subprocess.run([sys.executable, "-c", program], check=True, capture_output=True, text=True).stdout
    (kilobytes,) = re.findall(r"VmHWM:\s+(\d+) kB", status)
    return int(kilobytes) / 1024


def where_the_time_goes(di: np.ndarray, name: str) -> None:
    """Each step of a chain on one core, under the title of its block; ladders and gains have none."""
    chain = ToneChain(find_tone(name), rate_hz=RATE_HZ)
    titles = {id(step): block.TITLE for block, steps in chain._row._blocks for step in steps}
    spent_s = np.zeros(len(chain.steps))
    chunks = len(di) // CHUNK_FRAMES
    for number in range(chunks):
        channels = separate(np.ascontiguousarray(di[number * CHUNK_FRAMES : (number + 1) * CHUNK_FRAMES]))
        for place, step in enumerate(chain.steps):
            began = time.perf_counter()
            channels = step(channels)
            spent_s[place] += time.perf_counter() - began
    each_ns = 1e9 * spent_s / (chunks * CHUNK_FRAMES)
    told: dict[str, float] = {}
    for step, ns in zip(chain.steps, each_ns, strict=True):
        title = titles.get(id(getattr(step, "__self__", None)), "oversampling and gains")
        told[title] = told.get(title, 0.0) + ns
    said = ", ".join(f"{title} {ns:.0f}" for title, ns in sorted(told.items(), key=lambda each: -each[1]))
    print(f"{name}: {1e9 / RATE_HZ / each_ns.sum():.1f} x real time; ns a frame: {said}")


def live_blocks(di: np.ndarray) -> None:
    chain = ToneChain(find_tone("Foundry"), rate_hz=RATE_HZ)
    spent = []
    for start in range(0, 20 * RATE_HZ, BLOCK_FRAMES):
        block = di[start : start + BLOCK_FRAMES]
        began = time.perf_counter()
        chain.process(block)
        spent.append(time.perf_counter() - began)
    settled = 1000 * np.array(spent[200:])
    own_ms = 1000 * BLOCK_FRAMES / RATE_HZ
    for name, value in (("median", np.median(settled)), ("99 %", np.percentile(settled, 99))):
        print(f"one {BLOCK_FRAMES}-frame block, {name}: {value:.3f} ms, {value / own_ms:.2f} of its own time")


def aliases() -> None:
    sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
    from tests.aliases import alias_db

    for tone in shipped_tones():
        print(f"aliases of 4186 Hz at 1.5 V, {tone.name} at {tone.oversample}x: {alias_db(tone):.1f} dB")


if __name__ == "__main__":
    dry = played(60.0 * MINUTES)
    with tempfile.TemporaryDirectory() as scratch:
        whole_files(dry, Path(scratch))
    for tone_name in ("Foundry", "Ember Road", "Black Loam", "Long Corridor"):
        where_the_time_goes(dry[: 20 * RATE_HZ], tone_name)
    live_blocks(dry)
    aliases()
