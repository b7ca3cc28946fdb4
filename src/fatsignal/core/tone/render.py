"""Rendering a whole signal through a tone, in bounded memory and on two cores."""

import time
from collections import deque
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np

from fatsignal.core.clip import Samples, check_finite
from fatsignal.core.tone.block_row import Run
from fatsignal.core.tone.blocks.block import Channels
from fatsignal.core.tone.chain import ToneChain, separate, together

CHUNK_FRAMES = 16_384
_AHEAD_CHUNKS = 3


def render(chain: ToneChain, signal: Samples) -> Samples:
    """Run all of `signal` through a fresh chain; as long as the input, and aligned with it. Shapes are as in
    `ToneChain.process`.
    """
    nothing = together((np.zeros(0),) * chain.channels_out)
    return np.concatenate([nothing, *render_chunks(chain, [signal])])


def render_chunks(chain: ToneChain, chunks: Iterable[Samples], *, threads: int = 2) -> Iterator[Samples]:
    """Run chunks through a fresh chain, taking its latency off: sample n of the output belongs to n of the input.

    With two threads the dearest stretch of the chain runs in one and what lies around it in the other, on
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
    # The first chunk tells what each step takes.
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
    start, stop = dearest_stretch(spent_s)
    yield from _side_by_side(steps[:start], steps[start:stop], steps[stop:], chunks)


def dearest_stretch(spent_s: Sequence[float]) -> tuple[int, int]:
    """First step and step after the last of the stretch that takes about as long as all the others together."""
    until_s = np.concatenate(([0.0], np.cumsum(spent_s)))
    within_s = until_s[None, :] - until_s[:, None]
    longer_s = np.where(within_s < 0.0, np.inf, np.maximum(within_s, until_s[-1] - within_s))
    start, stop = np.unravel_index(np.argmin(longer_s), longer_s.shape)
    return int(start), int(stop)


def _through(steps: list[Run], chunk: Channels) -> Channels:
    for step in steps:
        chunk = step(chunk)
    return chunk


def _side_by_side(
    before: list[Run], middle: list[Run], after: list[Run], chunks: Iterator[Channels]
) -> Iterator[Channels]:
    """The middle in the caller's thread; in another one by turns what comes before it, of a later chunk, and what comes
    after it, of an earlier one. Each step meets the chunks in their order.
    """

    def ahead() -> Channels | None:
        chunk = next(chunks, None)
        return None if chunk is None else _through(before, chunk)

    with ThreadPoolExecutor(1, "tone-beside") as beside:
        coming = deque(beside.submit(ahead) for _ in range(_AHEAD_CHUNKS))
        going: deque[Future[Channels]] = deque()
        try:
            while (chunk := coming.popleft().result()) is not None:
                coming.append(beside.submit(ahead))
                going.append(beside.submit(_through, after, _through(middle, chunk)))
                if len(going) == _AHEAD_CHUNKS:
                    yield going.popleft().result()
            while going:
                yield going.popleft().result()
        finally:
            beside.shutdown(cancel_futures=True)
