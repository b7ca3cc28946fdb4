"""Rendering a whole signal through a tone, in bounded memory and on two cores."""

import queue
import threading
import time
from collections.abc import Iterable, Iterator

import numpy as np

from fatsignal.core.clip import Samples, check_finite
from fatsignal.core.tone.block_row import Run
from fatsignal.core.tone.blocks.block import Channels
from fatsignal.core.tone.chain import ToneChain, separate, together

CHUNK_FRAMES = 16_384
_AHEAD_CHUNKS = 4


def render(chain: ToneChain, signal: Samples) -> Samples:
    """Run all of `signal` through a fresh chain; as long as the input, and aligned with it. Shapes are as in
    `ToneChain.process`.
    """
    nothing = together((np.zeros(0),) * chain.channels_out)
    return np.concatenate([nothing, *render_chunks(chain, [signal])])


def render_chunks(chain: ToneChain, chunks: Iterable[Samples], *, threads: int = 2) -> Iterator[Samples]:
    """Run chunks through a fresh chain, taking its latency off: sample n of the output belongs to n of the input.

    With two threads the chain is cut in the middle of its work and both halves run at once, on
    neighbouring chunks; the samples are the same.
    """
    to_drop = chain.latency_frames
    for channels in _run(chain.steps, map(separate, _flushed(chunks, chain)), threads):
        processed = together(channels)
        dropped = min(to_drop, len(processed))
        to_drop -= dropped
        if dropped < len(processed):
            yield processed[dropped:]


def _flushed(chunks: Iterable[Samples], chain: ToneChain) -> Iterator[Samples]:
    for chunk in chunks:
        if len(chunk):
            check_finite(chunk)
            whole = np.ascontiguousarray(chunk, dtype=np.float64)
            # Pieces whose signals at the inner rate stay in the processor's own memory.
            yield from (whole[start : start + CHUNK_FRAMES] for start in range(0, len(whole), CHUNK_FRAMES))
    if chain.latency_frames:
        yield together((np.zeros(chain.latency_frames),) * chain.channels_in)


def _run(steps: list[Run], chunks: Iterator[Channels], threads: int) -> Iterator[Channels]:
    first = next(chunks, None)
    if first is None:
        return
    # The first chunk tells where half of the work is done.
    spent_s = []
    for step in steps:
        started = time.perf_counter()
        first = step(first)
        spent_s.append(time.perf_counter() - started)
    yield first
    if threads < 2:
        for chunk in chunks:
            yield _through(steps, chunk)
        return
    cut = int(np.argmin(np.abs(np.cumsum(spent_s) - sum(spent_s) / 2))) + 1
    yield from _two_halves(steps[:cut], steps[cut:], chunks)


def _through(steps: list[Run], chunk: Channels) -> Channels:
    for step in steps:
        chunk = step(chunk)
    return chunk


def _two_halves(front: list[Run], back: list[Run], chunks: Iterator[Channels]) -> Iterator[Channels]:
    """The front half in a thread of its own, the back half in the caller's."""
    handover: queue.Queue[Channels | BaseException | None] = queue.Queue(maxsize=_AHEAD_CHUNKS)
    abandoned = threading.Event()

    def offer(item: Channels | BaseException | None) -> bool:
        while not abandoned.is_set():
            try:
                handover.put(item, timeout=0.1)
                return True
            except queue.Full:
                continue
        return False

    def work() -> None:
        try:
            for chunk in chunks:
                if not offer(_through(front, chunk)):
                    return
            offer(None)
        except BaseException as problem:  # handed to the caller, who raises it
            offer(problem)

    worker = threading.Thread(target=work, name="tone-front", daemon=True)
    worker.start()
    try:
        while (item := handover.get()) is not None:
            if isinstance(item, BaseException):
                raise item
            yield _through(back, item)
    finally:
        abandoned.set()
        worker.join()
