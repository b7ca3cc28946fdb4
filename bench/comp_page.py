"""Comp as it is felt at the keys, in the real browser. Run: .venv/bin/python -m bench.comp_page

Opens Takes and Comp in turns with 60 takes of 3 minutes, and prints the seconds to drawn rows of both: Comp is to be as
fast as Takes. Then, in the demonstration with six takes of some bars: from the key that goes to another cell while
one sounds to the first sample of it that is handed to the audio clock (at most 150 ms), and from the key of undo to the
cell that is framed again (100 ms).
"""

from functools import partial
from statistics import median

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.long_session import shown
from bench.opening import SONG, TEMPO, recorded
from bench.page import demonstration
from tests.applications import Application
from tests.e2e.conftest import CHROMIUM, QUIET
from tests.signals import plucks
from tests.web.test_imports import as_file, upload

TAKES, TIMES = 60, 12
# Inside the page, at every frame: are the rows in sight drawn?
LOOK = """
  const look = () => {
    const rows = document.querySelectorAll('[aria-label="Takes of the section"] path[fill^=var]').length
    const sheet = document.querySelectorAll('main section svg path[fill^=var]').length - rows
    if (rows < 3 || sheet < 5) requestAnimationFrame(look)
    else requestAnimationFrame(() => (window.drawnAtMs = performance.now()))
  }
  look()
"""
WATCH = """() => {
  window.started = []
  const start = AudioBufferSourceNode.prototype.start
  AudioBufferSourceNode.prototype.start = function (...given) {
    window.started.push(performance.now())
    return start.apply(this, given)
  }
  window.addEventListener('keydown', () => { window.keyAt = performance.now(); window.started = [] }, true)
}"""


def wait_for(page: Page, true: str) -> None:
    """Until something is true in the page, which evaluates no strings by itself."""
    for _ in range(3_000):
        if page.evaluate(true):
            return
        page.wait_for_timeout(20)
    raise TimeoutError(true)


def opening_s(page: Page, address: str, station: str) -> float:
    page.goto(f"{address}/{station}")
    wait_for(page, "window.drawnAtMs !== undefined")
    page.wait_for_timeout(2_000)
    return float(page.evaluate("window.drawnAtMs")) / 1000


def openings() -> None:
    with shown(TEMPO, SONG, partial(recorded, takes=TAKES)) as (address, page):
        page.add_init_script(LOOK)
        page.wait_for_timeout(5_000)
        took = np.array([[opening_s(page, address, station) for station in ("takes", "comp")] for _ in range(6)])[1:]
    print(
        f"{TAKES} takes of 3 min, to drawn rows: Takes {median(took[:, 0]):.2f} s,"
        f" Comp {median(took[:, 1]):.2f} s"
        f" ({took[:, 1].min():.2f} to {took[:, 1].max():.2f})"
    )


def bring_takes(application: Application) -> None:
    for seed in range(6):
        dry = plucks(20.0, seed=seed)
        files = {"DI.wav": as_file(dry), "mic A.wav": as_file(0.5 * np.roll(dry, 96))}
        status, taken = upload(application, files, kinds="di,mic", placing="bar", bar="1")
        assert status == 201, taken


def heard_after_ms(page: Page, key: str) -> float:
    """From a key to the first piece of sound that begins after it."""
    page.keyboard.press(key)
    wait_for(page, "window.started.length > 0")
    after = float(page.evaluate("window.started[0] - window.keyAt"))
    page.wait_for_timeout(1_500)
    return after


def at_the_keys() -> None:
    with demonstration() as application, sync_playwright() as playwright:
        bring_takes(application)
        browser = playwright.chromium.launch(
            executable_path=CHROMIUM,
            chromium_sandbox=False,
            args=[*QUIET, "--autoplay-policy=no-user-gesture-required"],
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{application.url}/comp?bar=1")
        page.wait_for_timeout(6_000)
        page.evaluate(WATCH)
        page.keyboard.press(" ")
        page.wait_for_timeout(2_000)
        ways = ("ArrowDown", "ArrowDown", "ArrowUp", "ArrowRight", "ArrowDown", "ArrowLeft")
        heard = [heard_after_ms(page, ways[turn % len(ways)]) for turn in range(TIMES)]
        page.keyboard.press(" ")
        undone = []
        for _ in range(TIMES):
            page.keyboard.press("ArrowDown")
            page.keyboard.press("Enter")
            framed = page.locator('[aria-pressed="true"][aria-label*=", used"]')
            framed.wait_for(timeout=10_000)
            page.wait_for_timeout(600)
            began = page.evaluate("performance.now()")
            page.keyboard.press("u")
            framed.wait_for(state="detached", timeout=10_000)
            undone.append(page.evaluate("performance.now()") - began)
            page.wait_for_timeout(400)
        browser.close()
    print(
        f"another cell is heard {median(heard):.0f} ms after its key ({min(heard):.0f} to {max(heard):.0f}; wanted 150)"
    )
    print(f"undo is seen {median(undone):.0f} ms after its key ({min(undone):.0f} to {max(undone):.0f}; wanted 100)")


def main() -> None:
    """Print all three."""
    openings()
    at_the_keys()


if __name__ == "__main__":
    main()
