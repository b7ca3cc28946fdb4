"""What takes cost. Run: .venv/bin/python -m bench.takes

Prints, measured in one run on one core: seconds that all checks of a 3-minute take of 4 channels take, part by part;
and the share of a core that the engine takes for 24 channels. Aims: under 2 s and under 25 %.
"""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from bench.rendering import played
from fatsignal.core.clip import Clip
from fatsignal.core.level.bleed import measure_bleed_while_playing
from fatsignal.core.level.peak import flat_tops
from fatsignal.core.level.report import measure_level
from fatsignal.core.takes.judge import JudgedTake, judge
from fatsignal.core.takes.notes import listen_to
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.click import ClickSettings, render_click
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.demo import song
from fatsignal.engine.events import Event
from fatsignal.engine.recorder import Recorder
from fatsignal.files.sound import read_clip
from fatsignal.rig.source import Block, InputsOnly
from tests.engine.sources import order, part, plan
from tests.engine.test_long_rolls import CHANNELS, PARTS, RIG, Numbered

RATE_HZ, SECONDS, TIMES = 48_000, 180, 3
TEMPO = TempoMap.steady(song.TEMPO_BPM, rate_hz=RATE_HZ)
KINDS = ("di", "mic", "mic", "sim")
ENGINE_S = 60


def best(act: Callable[[], object]) -> float:
    """CPU seconds of the best of some runs."""
    spent = []
    for _ in range(TIMES):
        started = time.process_time()
        act()
        spent.append(time.process_time() - started)
    return min(spent)


def checks_of_a_take(folder: Path) -> None:
    di = played(SECONDS)
    files = []
    for number, kind in enumerate(KINDS):
        files.append((folder / f"{number}.wav", kind))
        soundfile.write(files[-1][0], np.clip((1 - 0.1 * number) * di, -1, 1), RATE_HZ, subtype="PCM_24")
    clips = [(read_clip(file), kind) for file, kind in files]
    begin = TEMPO.bar_frame(1)
    whole = Window(begin, begin + len(di))
    phrases = [Window(start, start + 8 * RATE_HZ) for start in range(begin, whole.to_frame - 8 * RATE_HZ, 8 * RATE_HZ)]
    takes = [JudgedTake(listen_to(np.roll(di, 40 * number), rate_hz=RATE_HZ), begin, (whole,)) for number in range(4)]
    click = render_click(TEMPO, from_frame=begin, to_frame=begin + 8 * RATE_HZ, settings=ClickSettings()).channel(0)

    def bleed(clip: Clip) -> object:
        return measure_bleed_while_playing(clip.channel(0)[: len(click)], click, rate_hz=RATE_HZ, playing_dbfs=-18)

    parts: dict[str, Callable[[], object]] = {
        "reading its files": lambda: [read_clip(file) for file, _ in files],
        "levels of every channel": lambda: [measure_level(clip) for clip, _ in clips],
        "flat tops, click bleed": lambda: [(flat_tops(clip.channel(0)), bleed(clip)) for clip, _ in clips[1:3]],
        "strokes and pitches of the DI": lambda: listen_to(clips[0][0].channel(0), rate_hz=RATE_HZ),
        "against three others, 22 phrases": lambda: judge(takes, phrases, TEMPO),
    }
    total = 0.0
    print(f"checks of a take of {SECONDS // 60} min and {len(KINDS)} channels, on one core:")
    for name, act in parts.items():
        act()
        spent = best(act)
        total += spent
        print(f"  {name:34s} {spent:5.2f} s")
    print(f"  {'all':34s} {total:5.2f} s, {SECONDS / total:.0f} x real time")


class Beforehand(InputsOnly):
    """The blocks of a source, read before the clock starts: what is timed is the engine."""

    def __init__(self, source: Numbered) -> None:
        self.rate_hz, self.channels = source.rate_hz, source.channels
        self._blocks: list[Block] = []
        while (block := source.read_block()) is not None:
            # As hardware delivers them.
            for start in range(0, len(block.samples), 256):
                self._blocks.append(Block(block.samples[start : start + 256], block.at_frame + start))
        self._blocks.reverse()

    def read_block(self) -> Block | None:
        return self._blocks.pop() if self._blocks else None

    def close(self) -> None:
        self._blocks.clear()


def engine_share(folder: Path) -> None:
    source = Beforehand(Numbered(ENGINE_S * 10))
    asked = order(
        folder, plan=plan(from_bar=1, play_bar=1, to_bar=1 + ENGINE_S // 2),
        parts=[part(folder, name=f"Part {number}", setup=RIG) for number in range(PARTS)],
    )  # fmt: skip
    told: list[Event] = []
    started = time.process_time()
    Recorder(asked, source, told.append, free=lambda _: 10**12).run()
    share = (time.process_time() - started) / ENGINE_S
    print(f"engine with {CHANNELS} channels in blocks of 256 frames: {100 * share:.1f} % of a core")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        checks_of_a_take(Path(folder))
    with tempfile.TemporaryDirectory() as folder:
        engine_share(Path(folder))


if __name__ == "__main__":
    main()
