"""How fast the page opens, measured in the real browser. Run: .venv/bin/python -m bench.opening

Makes a session of 40 takes of 3 channels and 3 minutes each in a database and a folder of its own, opens Takes in
headless Chromium, and prints the time to drawn waves, as a ratio to one second.
"""

import asyncio
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path
from uuid import uuid4

import numpy as np
import psycopg
from playwright.sync_api import sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from fatsignal.acts.survey import keep_wave
from fatsignal.core.clip import Clip
from fatsignal.store import sessions, takes
from fatsignal.store.database import migrate
from launcher.postgres import Postgres
from tests.conftest import running_application
from tests.e2e.test_interface import QUIET

TAKES, MINUTES, RATE_HZ = 40, 3, 48_000
DRAWN_WAVES = 10 + 3 * TAKES


async def fill(url: str, data: Path) -> None:
    await migrate(url)
    random = np.random.default_rng(1)
    envelope = np.abs(np.sin(np.arange(MINUTES * 60 * RATE_HZ) / 9000))[:, None]
    async with await psycopg.AsyncConnection.connect(url) as conn:
        session = await sessions.add_session(
            conn, name="Long", artist="", rate_hz=RATE_HZ, depth="24", tempo_bpm="104", beats_per_bar=4, folder="Long"
        )
        for position in range(10):
            await sessions.add_section(
                conn, session_id=session.id, position=position, name=f"Part {position + 1}",
                first_bar=1 + 8 * position, bars=8, phrase_bars=2,
            )  # fmt: skip
        rig = {"cable_farad": 5e-10, "input_ohm": 1e6, "mics": [], "instrument": "baritone guitar"}
        part = await sessions.add_part(
            conn, session_id=session.id, position=0, name="Baritone", rig=rig, written=[], armed=True
        )
        start = session.tempo.bar_frame(1)
        for number in range(1, TAKES + 1):
            take_id, frames = uuid4(), MINUTES * 60 * RATE_HZ
            noise = 0.5 * envelope * random.uniform(-1, 1, (frames, 3))
            keep_wave(data / "waves", str(take_id), Clip(noise, RATE_HZ))
            take = takes.Take(
                id=take_id, part_id=part.id, number=number, recorded_at=datetime.now(UTC), rate_hz=RATE_HZ,
                from_frame=start, frames=frames, window_from_frame=start, window_to_frame=start + frames,
                origin="imported", rig_sheet={}, note="", folder=f"Long/{number}", binned_at=None,
            )  # fmt: skip
            checks = {
                "peak_dbfs": -6.0, "true_peak_dbtp": -6.0, "average_dbfs": -15.0, "loudness_lufs": -18.0,
                "crest_db": 9.0, "dc": 0.0, "flat_top_runs": 0, "advice": None,
            }  # fmt: skip
            channels = [
                takes.TakeChannel(position=p, name=name, kind=kind, file=f"{p}.wav", sha256="0" * 64, checks=checks)
                for p, (name, kind) in enumerate((("DI", "di"), ("mic A", "mic"), ("mic B", "mic")))
            ]
            await takes.add_take(conn, take, channels)


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        data = Path(scratch) / "data"
        server = Postgres(Path(scratch) / "postgres")
        url = server.start()
        try:
            asyncio.run(fill(url, data))
            with running_application(data, url, demo="0") as app, sync_playwright() as playwright:
                browser = playwright.chromium.launch(
                    executable_path="/usr/bin/chromium", chromium_sandbox=False, args=QUIET
                )
                spent = []
                for _ in range(5):
                    page = browser.new_page(viewport={"width": 1280, "height": 800})
                    started = time.perf_counter()
                    page.goto(f"{app.url}/takes")
                    # The sheet's ten lines, and three phrases of all forty takes in the last section.
                    page.locator("main svg path[fill^=var]").nth(DRAWN_WAVES - 1).wait_for(state="attached")
                    spent.append(time.perf_counter() - started)
                    page.close()
                browser.close()
            print(f"opening Takes with {TAKES} takes of 3 x {MINUTES} min: {sorted(spent)[2]:.2f} of one second")
        finally:
            server.stop()


if __name__ == "__main__":
    main()
