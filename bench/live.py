"""Overruns of the live chain. Run: .venv/bin/python -m bench.live [MINUTES]

The whole application rolls round and round in real time at 128 frames; the player hears the part through a tone, which
is printed too, and a browser shows Takes and listens. Prints how many gaps the takes have, and which share of its own
time a block took. Aim: no gap in 10 minutes.
"""

import json
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
from websockets.sync.client import connect

from launcher.postgres import Postgres
from tests.applications import running_application
from tests.e2e.conftest import CHROMIUM, QUIET

MINUTES, BUFFER_FRAMES, TONE = 10.0, 128, "Kiln"


def main() -> None:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else MINUTES
    with tempfile.TemporaryDirectory() as scratch:
        server = Postgres(Path(scratch) / "postgres")
        url = server.start()
        try:
            with running_application(Path(scratch) / "data", url, speed=1.0) as app, sync_playwright() as playwright:
                app.ready_to_roll()
                session = app.session
                path = f"/api/sessions/{session['id']}"
                tone = next(each for each in app.get("/api/tones") if each["name"] == TONE)
                app.send(
                    "PUT", f"/api/parts/{session['parts'][0]['id']}/monitoring",
                    {"hear": "tone", "tone_revision_id": tone["id"], "print_sim": True},
                )  # fmt: skip
                settings = app.get(f"{path}/interface")["settings"]
                app.send("PUT", f"{path}/interface", {**settings, "buffer_frames": BUFFER_FRAMES})
                app.send("PUT", f"{path}/roll/settings", {"way": "loop", "loop_bar": 13, "loop_bars": 8})
                browser = playwright.chromium.launch(executable_path=CHROMIUM, chromium_sandbox=False, args=QUIET)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(f"{app.url}/takes")
                page.wait_for_timeout(10_000)
                before = {take["id"] for take in app.takes()}
                page.keyboard.press("PageDown")
                loads = listen(app.url, 60 * minutes)
                page.keyboard.press("PageDown")
                page.wait_for_timeout(3_000)
                takes = [take for take in app.takes() if take["id"] not in before]
                gaps = [gap for take in takes for gap in take["gaps"]]
                browser.close()
        finally:
            server.stop()
    rolled_s = sum(take["frames"] for take in takes) / session["rate_hz"]
    late = float(np.mean(np.array(loads) > 1.0))
    print(
        f"{minutes:g} min at {BUFFER_FRAMES} frames through {TONE}, printed, with a browser: {len(gaps)} gaps in "
        f"{len(takes)} takes ({rolled_s:.0f} s); a block took {100 * np.median(loads):.0f} % of its time in the median "
        f"of the largest of each thirtieth of a second, {100 * np.quantile(loads, 0.99):.0f} % in the 99th percentile "
        f"of these, more than all of it in {100 * late:.2f} % of them"
    )


def listen(url: str, seconds: float) -> list[float]:
    """The load that each message of the meters tells."""
    loads = []
    with connect(url.replace("http", "ws") + "/api/live") as live:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            message = json.loads(live.recv(timeout=30))
            if message["event"] == "meters" and message["monitor_worst"] is not None:
                loads.append(message["monitor_worst"])
    return loads


if __name__ == "__main__":
    main()
