"""The phrase grid with many takes, in the real browser. Run: .venv/bin/python -m bench.grid

60 takes of one section with 24 phrases, every take judged. Prints the seconds from choosing the section to its drawn
rows with their marks, as the page itself sees them, and the frames a second at which it scrolls, beside those of an
empty page of the same browser. Aims: under 0.5 s, and 60 frames a second or as many as the empty page has.
"""

from collections.abc import Iterator
from pathlib import Path
from statistics import median
from uuid import UUID, uuid4

import numpy as np
from playwright.sync_api import Page

from bench.long_session import CHANNELS, channels_of, fingerprint_of_take, shown
from fatsignal.acts.waves import keep_wave
from fatsignal.core.level.waveform_peaks import columns
from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.notes import listen_to
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.files.analysis_cache import save_analysis

TAKES, PHRASES, PHRASE_BARS, RATE_HZ = 60, 24, 2, 48_000
TEMPO = TempoMap.steady(104, rate_hz=RATE_HZ)
SONG = [
    SongSection(uuid4(), "Front", 1, 8, 2), SongSection(uuid4(), "Grid", 9, PHRASES * PHRASE_BARS, PHRASE_BARS),
]  # fmt: skip

# Chooses the section and looks at every frame whether the rows in sight are drawn and marked.
OPEN = """() => new Promise((done) => {
  const began = performance.now()
  const look = () => {
    const rows = [...document.querySelectorAll('[aria-label="Takes of the section"] .group\\\\/row')]
    const marks = document.querySelectorAll('[aria-label="Takes of the section"] li').length
    const drawn = rows.every((row) => row.querySelector('svg path[fill^=var]'))
    if (rows.length < 5 || !drawn || marks === 0) requestAnimationFrame(look)
    else requestAnimationFrame(() => done(performance.now() - began))
  }
  look()
})"""
SCROLL = """(empty) => new Promise((done) => {
  const inside = document.querySelector('[aria-label="Takes of the section"] .overflow-y-auto')
  const times = []
  let at = 0
  const turn = (now) => {
    times.push(now)
    at += 9
    if (!empty) inside.scrollTop = at % (inside.scrollHeight - inside.clientHeight)
    if (times.length < 240) requestAnimationFrame(turn)
    else done(times.slice(1).map((time, index) => time - times[index]))
  }
  requestAnimationFrame(turn)
})"""


def recorded(data: Path) -> Iterator[tuple[UUID, Window]]:
    """Takes of the second section, heard out already; their files are not there."""
    random = np.random.default_rng(1)
    span = Window(TEMPO.bar_frame(SONG[1].first_bar), TEMPO.bar_frame(SONG[1].end_bar))
    for _ in range(TAKES):
        take_id = uuid4()
        strokes = plucks_of(span.from_frame, span.to_frame, random)
        waves = columns(np.repeat(strokes[:, None], len(CHANNELS), axis=1))
        keep_wave(data / "waves", fingerprint_of_take(take_id), waves)
        kept = data / "waves" / f"{channels_of(take_id)[0].sha256}.playing.npz"
        save_analysis(kept, listen_to(strokes, rate_hz=RATE_HZ))
        yield take_id, span


def plucks_of(start: int, end: int, random: np.random.Generator) -> np.ndarray:
    """Eighths of decaying noise, some of them missing or late, so that there is something to mark."""
    out = np.zeros(end - start)
    beat = (TEMPO.bar_frame(2) - TEMPO.bar_frame(1)) // 8
    for place in range(0, end - start - beat, beat):
        if random.random() < 0.02:
            continue
        at = max(0, place + round(random.normal(0, 0.005) * RATE_HZ) + (2400 if random.random() < 0.02 else 0))
        ring = np.exp(-np.arange(beat) / 4000) * random.normal(0, 0.2, beat)
        out[at : at + beat] += ring[: len(out) - at]
    return out


def frames_a_second(page: Page, *, empty: bool) -> tuple[float, float]:
    """In the median, and in the slowest twentieth of the frames."""
    spent_ms = np.array(page.evaluate(SCROLL, empty))
    return 1000 / float(np.median(spent_ms)), 1000 / float(np.quantile(spent_ms, 0.95))


def main() -> None:
    with shown(TEMPO, SONG, recorded) as (address, page):
        drawn_s = []
        for _ in range(6):
            page.goto(f"{address}/takes")
            page.wait_for_timeout(3_000)
            page.get_by_role("button", name=f"Grid {PHRASES * PHRASE_BARS} bars").evaluate("(button) => button.click()")
            drawn_s.append(page.evaluate(OPEN) / 1000)
        scrolled = frames_a_second(page, empty=False)
        page.goto("about:blank")
        blank = frames_a_second(page, empty=True)
    again = sorted(drawn_s[1:])
    print(
        f"grid of {TAKES} takes x {PHRASES} phrases: drawn in {median(again):.2f} s ({again[0]:.2f} to "
        f"{again[-1]:.2f}; first, all judged for it: {drawn_s[0]:.2f}); scrolls at {scrolled[0]:.0f} frames/s, "
        f"{scrolled[1]:.0f} in its slowest twentieth (empty page: {blank[0]:.0f}, {blank[1]:.0f})"
    )


if __name__ == "__main__":
    main()
