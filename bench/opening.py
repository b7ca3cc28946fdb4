"""How fast the page opens, measured in the real browser. Run: .venv/bin/python -m bench.opening

Makes a session of 40 takes of 3 channels and 3 minutes each in a database and a folder of its own, opens Takes in
headless Chromium several times, and prints the seconds to drawn waves as the page itself sees them.
"""

import sys
from collections.abc import Iterator
from pathlib import Path
from statistics import median
from uuid import UUID, uuid4

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from bench.long_session import CHANNELS, fingerprint_of_take, shown
from fatsignal.acts.waves import keep_wave
from fatsignal.core.level.waveform_peaks import columns
from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap

TAKES, MINUTES, RATE_HZ = 40, 3, 48_000
SECTIONS = 10
TEMPO = TempoMap.steady(104, rate_hz=RATE_HZ)
SONG = [SongSection(uuid4(), f"Part {number + 1}", 1 + 8 * number, 8, 2) for number in range(SECTIONS)]
# Asked at every frame inside the page: is every line of the sheet drawn, and every row of takes that is in sight?
LOOK = """
  const look = () => {
    const sheet = document.querySelectorAll('[aria-label="Song sheet"] svg path[fill="var(--mic)"]').length
    const rows = [...document.querySelectorAll('[aria-label="Takes of the section"] .group\\\\/row')]
    const drawn = rows.every((row) => row.querySelector('svg path[fill^=var]'))
    if (sheet < SECTIONS || rows.length === 0 || !drawn) requestAnimationFrame(look)
    else requestAnimationFrame(() => (window.drawnAtMs = performance.now()))
  }
  look()
""".replace("SECTIONS", str(SECTIONS))


def recorded(data: Path, takes: int = TAKES) -> Iterator[tuple[UUID, Window]]:
    """Takes of the whole song, whose waves are kept."""
    random = np.random.default_rng(1)
    frames, start = MINUTES * 60 * RATE_HZ, TEMPO.bar_frame(1)
    envelope = np.abs(np.sin(np.arange(frames) / 9000))[:, None]
    for _ in range(takes):
        take_id = uuid4()
        noise = 0.5 * envelope * random.uniform(-1, 1, (frames, len(CHANNELS)))
        keep_wave(data / "waves", fingerprint_of_take(take_id), columns(noise))
        yield take_id, Window(start, start + frames)


def main() -> None:
    with shown(TEMPO, SONG, recorded) as (address, page):
        # One tab, as a person has: the first opening fetches the program, the later ones have it.
        page.add_init_script(LOOK)
        # Nobody opens the address in the very second in which it is printed.
        page.wait_for_timeout(5_000)
        spent = []
        for _ in range(9):
            page.goto(f"{address}/takes")
            page.wait_for_timeout(4_000)
            spent.append(page.evaluate("window.drawnAtMs") / 1000)
    again = sorted(spent[1:])
    print(
        f"opening Takes with {TAKES} takes of 3 x {MINUTES} min, in seconds to drawn waves: "
        f"first {spent[0]:.2f}, then {median(again):.2f} ({again[0]:.2f} to {again[-1]:.2f})"
    )


if __name__ == "__main__":
    main()
