"""Re-amping a file: any dry recording in, the same length of wet sound out, in bounded memory."""

import math
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.level.depth import Depth
from fatsignal.core.material.channels import Wanted
from fatsignal.core.material.reader import MaterialReader
from fatsignal.core.tone.chain import ToneChain, together
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.print_settings import PrintSettings
from fatsignal.core.tone.render import CHUNK_FRAMES, render_chunks
from fatsignal.core.tone.voltage import UNKNOWN, DiVoltage
from fatsignal.errors import FileRefused
from fatsignal.files.bext import BextChunk
from fatsignal.files.rate_copy import copied_at
from fatsignal.files.sound import facts_of, read_blocks
from fatsignal.files.sound_writer import write_sound

Progress = Callable[[float], None]
MOST_DI_CHANNELS = 2
_USUAL = PrintSettings()
# -100 dBFS: nobody hears it end.
_DIED_AWAY = 1e-5


def peak_dbfs(source: Path) -> float | None:
    """The highest peak of a file's first channel, in bounded memory; None of silence."""
    peak = max((float(np.abs(block[:, 0]).max(initial=0.0)) for block in read_blocks(source)), default=0.0)
    return 20 * math.log10(peak) if peak > 0 else None


def reamp_file(
    source: Path,
    target: Path,
    tone: Tone,
    *,
    rate_hz: int | None = None,
    depth: Depth = "24",
    oversample: int | None = None,
    tail_s: float = 0.0,
    voltage: DiVoltage = UNKNOWN,
    note: BextChunk | None = None,
    threads: int = 2,
    on_progress: Progress | None = None,
) -> int:
    """Render `source` through `tone` into the new file `target`; returns its frames.

    `voltage` is what the source's samples stand for. A source of two channels goes through a chain of two. What rings
    after its end is kept for `tail_s`, or until it has died away.
    `on_progress` is told the share done, 0 to 1; what it raises ends the rendering and leaves no file.
    """
    facts = facts_of(source)
    if facts.channels > MOST_DI_CHANNELS:
        raise FileRefused(
            f"{source.name} has {facts.channels} channels; a DI has one, or two: export it as a file of its own"
        )
    rate = rate_hz or facts.rate_hz
    expected = max(1, round(facts.frames * rate / facts.rate_hz))
    chain = ToneChain(tone, rate_hz=rate, voltage=voltage, oversample=oversample, channels=facts.channels)
    dry = (block[:, 0] if facts.channels == 1 else block for block in read_blocks(source, rate_hz=rate))
    wet = _Rendering(chain, expected, round(tail_s * rate), threads, on_progress)
    return write_sound(target, wet.blocks(dry), rate_hz=rate, channels=chain.channels_out, depth=depth, note=note)


class _Rendering:
    """A source on its way through a chain, and what rings after it."""

    def __init__(
        self, chain: ToneChain, frames: int, tail_frames: int, threads: int, on_progress: Progress | None
    ) -> None:
        self._chain, self._frames, self._tail_frames = chain, frames, tail_frames
        self._threads, self._on_progress = threads, on_progress

    def blocks(self, dry: Iterable[Samples]) -> Iterator[Samples]:
        """What is written, block by block, shape (frames, channels)."""
        done = 0
        for block in render_chunks(self._chain, self._with_tail(dry), threads=self._threads):
            # Of the tail only what sounds, in whole blocks.
            if self._tail_frames and done >= self._frames and np.abs(block).max(initial=0.0) < _DIED_AWAY:
                return
            done += len(block)
            yield block.reshape(len(block), -1)
            if self._on_progress:
                self._on_progress(min(1.0, done / max(1, self._frames + self._tail_frames)))

    def _with_tail(self, dry: Iterable[Samples]) -> Iterator[Samples]:
        yield from dry
        for start in range(0, self._tail_frames, CHUNK_FRAMES):
            yield together((np.zeros(min(CHUNK_FRAMES, self._tail_frames - start)),) * self._chain.channels_in)


def reamp_material(
    reader: MaterialReader, wanted: Wanted, target: Path, tone: Tone, *, voltage: DiVoltage,
    settings: PrintSettings = _USUAL, note: BextChunk | None = None, threads: int = 2,
    on_progress: Progress | None = None, copy: Path | None = None,
) -> tuple[int, int]:  # fmt: skip
    """Render one channel of a material through `tone` into the new file `target`; returns its frames and channels.

    What is made of many pieces is joined first: an amp's sag and ring go on through a join. What rings after the last
    dry sample is kept for the settings' tail, or until it has died away. `on_progress` as in `reamp_file`. The new
    file `copy` is the same sound at the settings' rate.
    """
    material = reader.material
    chain = ToneChain(tone, rate_hz=material.rate_hz, voltage=voltage, oversample=settings.oversample)
    tail_frames = round(settings.tail_s * material.rate_hz)
    wet = _Rendering(chain, material.frames, tail_frames, threads, on_progress)
    blocks, channels = wet.blocks(reader.blocks(wanted)), chain.channels_out
    note = note and note.of_channels(channels)
    if copy is not None and settings.rate_hz is not None:
        blocks = copied_at(
            copy, blocks, rate_hz=material.rate_hz, to_hz=settings.rate_hz, channels=channels, depth=settings.depth,
            note=note,
        )  # fmt: skip
    frames = write_sound(
        target, blocks, rate_hz=material.rate_hz, channels=channels, depth=settings.depth, note=note
    )  # fmt: skip
    return frames, channels
