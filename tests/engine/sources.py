"""Sources and orders that the tests of the engine share."""

from pathlib import Path
from uuid import uuid4

import numpy as np

from fatsignal.core.takes.roll_plan import RollPlan
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.engine.journal import JOURNAL_NAME, Journal
from fatsignal.engine.orders import PartOrder, RollOrder
from fatsignal.rig.setup import InputUse, MicOnRig, RigSetup
from fatsignal.rig.source import Block, InputChannel, InputsOnly
from tests.signals import FS, sine

TEMPO = TempoMap.steady(120, rate_hz=FS)
TWO_CHANNELS = RigSetup(mics=[MicOnRig(name="mic A", kind="coil", distance_m=0.1, input=InputUse(number=2))])


class Tones:
    """A source of two known sines, 512 frames a block; `lost` are jumps of its clock: {block: frames before it}."""

    rate_hz = FS
    channels = (InputChannel("DI", "di"), InputChannel("mic A", "mic"))
    outputs = 2

    def __init__(self, frames, on_block=None, *, block_frames=512, lost=None):
        self.audio = np.column_stack([0.5 * sine(440, seconds=frames / FS), 0.25 * sine(880, seconds=frames / FS)])
        self.at, self.on_block, self.closed = 0, on_block, False
        self.played = []
        self.block_frames, self.lost = block_frames, lost or {}

    def read_block(self):
        if self.on_block:
            self.on_block(self.at)
        self.at += self.lost.get(self.at // self.block_frames, 0)
        block = self.audio[self.at : self.at + self.block_frames]
        self.at += self.block_frames
        return Block(block, self.at - self.block_frames) if len(block) else None

    def play(self, samples, at_frame):
        """Keeps what is played: how far the device's clock was then, from when on it sounds, and the samples."""
        self.played.append((self.at, at_frame, samples.copy()))

    def close(self):
        self.closed = True


class Counting(InputsOnly):
    """As many channels as asked for, whose samples count up: every frame and channel can be told from every other."""

    rate_hz = FS

    def __init__(self, channels, frames, *, block_frames=480):
        self.channels = tuple(InputChannel(f"ch {number}", "mic") for number in range(channels))
        self.frames, self.block_frames, self.at = frames, block_frames, 0

    def read_block(self):
        if self.at >= self.frames:
            return None
        start, self.at = self.at, min(self.frames, self.at + self.block_frames)
        return Block(counted(start, self.at, len(self.channels)), start)

    def close(self):
        self.frames = 0


def counted(start, end, channels):
    """Words of 24 bits that differ from frame to frame and from channel to channel, as samples."""
    words = (np.arange(start, end)[:, None] * 7 + np.arange(channels) * 1_000_003) % (1 << 23)
    return words / float(1 << 23)


def plan(from_bar=1, play_bar=2, to_bar=3, **changes) -> RollPlan:
    start, end = TEMPO.bar_frame(play_bar), TEMPO.bar_frame(to_bar)
    values = {
        "way": "once", "from_frame": TEMPO.bar_frame(from_bar), "play_from_frame": start, "to_frame": end,
        "windows": (Window(start, end),),
    }  # fmt: skip
    return RollPlan(**(values | changes))


def part(below: Path, **changes) -> PartOrder:
    values = {
        "part_id": uuid4(), "name": "Baritone", "folder": below / changes.get("name", "Baritone"), "first_number": 3,
        "setup": TWO_CHANNELS, "notes": [], "seed": 1,
    }  # fmt: skip
    return PartOrder(**(values | changes))


def order(folder: Path, **changes) -> RollOrder:
    values = {
        "roll_id": uuid4(), "session_id": uuid4(), "rate_hz": FS, "tempo": TEMPO, "plan": plan(),
        "parts": [part(folder)],
    }  # fmt: skip
    return RollOrder(**(values | changes))


def take_folder(of: RollOrder, index: int = 0, part_index: int = 0) -> Path:
    rolled = of.parts[part_index]
    return rolled.folder / f"Take {rolled.first_number + index:02d}"


def take_file(of: RollOrder, channel: str, index: int = 0, part_index: int = 0) -> Path:
    rolled = of.parts[part_index]
    number = rolled.first_number + index
    return take_folder(of, index, part_index) / f"{rolled.name} {number:02d} - {channel}.wav"


def journal(of: RollOrder, index: int = 0, part_index: int = 0) -> Journal:
    return Journal.model_validate_json((take_folder(of, index, part_index) / JOURNAL_NAME).read_text())
