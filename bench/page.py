"""What the page costs while it works. Run: .venv/bin/python -m bench.page

The application with its demonstration rolls in real time while headless Chromium shows Takes; printed are the drawings
a second of the page's components, as React itself tells them, and the share of a core that the page takes. Then 20
takes of 3 minutes and 3 channels are played one after the other, and printed is the memory of the page before and
after.
"""

import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from uuid import UUID, uuid4

import numpy as np
import soundfile
from playwright.sync_api import CDPSession, Page, sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from bench.long_session import CHANNELS, shown
from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from launcher.postgres import Postgres
from tests.applications import Application, running_application
from tests.e2e.conftest import CHROMIUM, QUIET

ROLLED_S = 8
TAKES, MINUTES, RATE_HZ = 20, 3, 48_000
TEMPO = TempoMap.steady(104, rate_hz=RATE_HZ)
SONG = [SongSection(uuid4(), f"Part {number + 1}", 1 + 8 * number, 8, 2) for number in range(10)]
# React tells this hook of every commit. Where a part of the page was left alone, its children are those of before; of
# the others a component that was drawn has the first of its flags set.
HOOK = """
  window.drawn = { commits: 0, components: 0 }
  const PERFORMED = 1, FUNCTIONS = new Set([0, 11, 14, 15])
  const visit = (fiber, before) => {
    if (before && FUNCTIONS.has(fiber.tag) && fiber.flags & PERFORMED) window.drawn.components += 1
    if (before && fiber.child === before.child) return
    for (let child = fiber.child; child; child = child.sibling) visit(child, child.alternate)
  }
  window.__REACT_DEVTOOLS_GLOBAL_HOOK__ = {
    supportsFiber: true, isDisabled: false, renderers: new Map(), inject: () => 1, checkDCE() {},
    onCommitFiberUnmount() {}, onPostCommitFiberRoot() {}, onScheduleFiberRoot() {},
    onCommitFiberRoot: (_, root) => {
      window.drawn.commits += 1
      visit(root.current, root.current.alternate)
    },
  }
"""


@contextmanager
def demonstration() -> Iterator[Application]:
    with tempfile.TemporaryDirectory() as scratch:
        server = Postgres(Path(scratch) / "postgres")
        url = server.start()
        try:
            with running_application(Path(scratch) / "data", url, speed=1.0) as app:
                app.ready_to_roll()
                yield app
        finally:
            server.stop()


def busy_s(session: CDPSession) -> float:
    """Seconds that the page's main thread worked until now."""
    metrics = {each["name"]: each["value"] for each in session.send("Performance.getMetrics")["metrics"]}
    return float(metrics["TaskDuration"])


def memory_mb(session: CDPSession, page: Page) -> tuple[float, float]:
    """Of the page's process as the system counts it, and of its script's heap; after the waste is collected."""
    session.send("HeapProfiler.collectGarbage")
    page.wait_for_timeout(500)
    heap = session.send("Runtime.getHeapUsage")
    assert page.context.browser is not None
    browser = page.context.browser.new_browser_cdp_session()
    processes = browser.send("SystemInfo.getProcessInfo")["processInfo"]
    resident = max(resident_mb(each["id"]) for each in processes if each["type"] == "renderer")
    return resident, heap["usedSize"] / 2**20


def resident_mb(pid: int) -> float:
    return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * 4096 / 2**20


def rolling() -> None:
    with demonstration() as app, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, chromium_sandbox=False, args=QUIET)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(HOOK)
        page.goto(f"{app.url}/takes")
        page.wait_for_timeout(15_000)
        session = page.context.new_cdp_session(page)
        session.send("Performance.enable")
        page.keyboard.press("PageDown")
        page.wait_for_timeout(3_000)
        page.keyboard.press("r")  # from the page for across the room back to Takes
        page.wait_for_timeout(1_000)
        before, worked_s = page.evaluate("({...window.drawn})"), busy_s(session)
        page.wait_for_timeout(1_000 * ROLLED_S)
        after, worked_s = page.evaluate("({...window.drawn})"), busy_s(session) - worked_s
        page.keyboard.press("PageDown")
        commits, components = ((after[key] - before[key]) / ROLLED_S for key in ("commits", "components"))
        print(
            f"Takes while rolling: {components:.0f} components drawn a second in {commits:.0f} commits, "
            f"main thread busy {100 * worked_s / ROLLED_S:.0f} % of the time"
        )
        browser.close()


def recorded(data: Path) -> Iterator[tuple[UUID, Window]]:
    random = np.random.default_rng(1)
    frames, start = MINUTES * 60 * RATE_HZ, TEMPO.bar_frame(1)
    noise = (0.1 * random.standard_normal(frames)).clip(-1, 1)
    for number in range(1, TAKES + 1):
        folder = data / "sessions" / "Long" / f"{number}"
        folder.mkdir(parents=True)
        for position in range(len(CHANNELS)):
            soundfile.write(folder / f"{position}.wav", noise, RATE_HZ, subtype="PCM_24")
        yield uuid4(), Window(start, start + frames)


def playing() -> None:
    with shown(TEMPO, SONG, recorded) as (address, page):
        page.goto(f"{address}/takes")
        page.wait_for_timeout(10_000)
        session = page.context.new_cdp_session(page)
        before = memory_mb(session, page)
        page.get_by_text("Part 2", exact=True).click()
        waited_ms, most = [], before
        for index in range(TAKES):
            if index:
                page.keyboard.press("ArrowDown")
            page.keyboard.press(" ")
            began_ms = page.evaluate("performance.now()")
            page.get_by_role("button", name="Stop Space").wait_for(timeout=120_000)
            waited_ms.append(page.evaluate("performance.now()") - began_ms)
            page.wait_for_timeout(1_000)
            most = max(most, memory_mb(session, page))
            page.keyboard.press(" ")
            page.wait_for_timeout(300)
        print(
            f"{TAKES} takes of {MINUTES} min, each heard for a second: the page's process {before[0]:.0f} MB before, "
            f"{most[0]:.0f} MB at most; until it sounds {np.median(waited_ms):.0f} ms"
        )


if __name__ == "__main__":
    rolling()
    playing()
