"""Twenty-four channels for minutes of audio: every block on disk, and no more memory at the end than early on."""

import gc
from pathlib import Path

import numpy as np
import pytest

from fatsignal.core.timing.tempo import TempoMap
from fatsignal.engine.recorder import Recorder
from fatsignal.rig.setup import InputUse, MicOnRig, RigSetup
from fatsignal.rig.source import Block, InputChannel, InputsOnly
from tests.engine.sources import order, part, plan, take_file
from tests.signals import FS

pytestmark = pytest.mark.slow

PARTS, MICS = 6, 3
CHANNELS, BLOCK_FRAMES = PARTS * (1 + MICS), 4_800
# The interpreter's own coming and going.
MOST_GROWTH_BYTES = 24 * 2**20
RIG = RigSetup(
    mics=[
        MicOnRig(name=f"mic {number}", kind="coil", distance_m=0.1, input=InputUse(number=2 + number))
        for number in range(MICS)
    ]
)


class Numbered(InputsOnly):
    """Each block repeats the same words but for the first: this one is the block's number. A lost one cannot hide."""

    rate_hz = FS
    channels = PARTS * (InputChannel("DI", "di"), *(InputChannel(f"mic {number}", "mic") for number in range(MICS)))

    def __init__(self, blocks: int) -> None:
        random = np.random.default_rng(24)
        self.words = random.integers(-(2**22), 2**22, (BLOCK_FRAMES, CHANNELS), dtype=np.int32)
        self._samples = self.words / float(1 << 23)
        self.blocks, self.at, self.memory_bytes = blocks, 0, []

    def read_block(self) -> Block | None:
        if self.at == self.blocks:
            return None
        if self.at % (30 * FS // BLOCK_FRAMES) == 0:
            gc.collect()
            self.memory_bytes.append(resident_bytes())
        samples = self._samples.copy()
        samples[0] = (self.at + 1) / float(1 << 23)
        start, self.at = self.at * BLOCK_FRAMES, self.at + 1
        return Block(samples, start)

    def close(self) -> None:
        self.blocks = self.at


@pytest.mark.parametrize("minutes", [2, pytest.param(30, marks=pytest.mark.long)])
def test_minutes_of_twenty_four_channels(tmp_path, minutes):
    blocks = minutes * 60 * FS // BLOCK_FRAMES
    source = Numbered(blocks)
    asked = order(
        tmp_path,
        tempo=TempoMap.steady(120, rate_hz=FS),
        plan=plan(from_bar=1, play_bar=1, to_bar=1 + minutes * 30),
        parts=[part(tmp_path, name=f"Part {number}", setup=RIG) for number in range(PARTS)],
    )
    ended = Recorder(asked, source, lambda _: None, free=lambda _: 10**12).run()
    assert (ended.problem, ended.frames) == ("", blocks * BLOCK_FRAMES)
    for channel, facts in enumerate(source.channels):
        path = take_file(asked, facts.name, part_index=channel // (1 + MICS))
        check_blocks(path, source.words[:, channel], blocks)
        path.unlink()
    # Everything was in use after a minute: from there on nothing is added.
    early, late = max(source.memory_bytes[:3]), max(source.memory_bytes[3:])
    assert len(source.memory_bytes) == 2 * minutes
    assert late - early < MOST_GROWTH_BYTES, [round(each / 2**20) for each in source.memory_bytes]


def check_blocks(path: Path, words, blocks: int) -> None:
    """Every block of a file of 24 bits is there, in order, bit for bit."""
    size = path.stat().st_size
    assert size >= blocks * BLOCK_FRAMES * 3
    stored = np.memmap(path, dtype=np.uint8, mode="r", offset=size - blocks * BLOCK_FRAMES * 3)
    stored = stored.reshape(blocks, BLOCK_FRAMES, 3)
    first = stored[:, 0].astype(np.int64)
    numbers = first[:, 0] | first[:, 1] << 8 | first[:, 2] << 16
    np.testing.assert_array_equal(numbers, np.arange(1, blocks + 1))
    expected = words.astype("<i4").view(np.uint8).reshape(BLOCK_FRAMES, 4)[1:, :3]
    for start in range(0, blocks, 500):
        assert (stored[start : start + 500, 1:] == expected).all(), f"{path.name} from block {start}"


def resident_bytes() -> int:
    import resource

    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize()
