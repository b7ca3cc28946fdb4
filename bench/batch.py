"""How busy a batch of prints keeps the cores. Run: .venv/bin/python -m bench.batch

The demonstration's dry takes through every tone that comes with the program, asked for at once of a running
application: how many times real time all of them go together, and which share of the cores its worker has meanwhile.
"""

import os
import tempfile
import time
from pathlib import Path

from tests.applications import Application, migrated_server, new_database, running_application

CELLS = 72


def cpu_s_of_worker(app: Application) -> float:
    """Processor time of the worker beside an application so far."""
    ticks = 0
    for process in Path("/proc").glob("[0-9]*"):
        try:
            told = (process / "stat").read_text().rsplit(")", 1)[1].split()
            is_worker = b"worker" in (process / "cmdline").read_bytes()
        except OSError:
            continue
        if is_worker and int(told[1]) == app.process.pid:
            ticks += int(told[11]) + int(told[12])
    return ticks / os.sysconf("SC_CLK_TCK")


def batch(app: Application) -> None:
    address = f"/api/sessions/{app.session['id']}"
    tones = app.get("/api/tones")
    takes = [
        take for take in app.get(f"{address}/takes") if any(channel["kind"] == "di" for channel in take["channels"])
    ]
    cells = [
        {"material_id": take["id"], "tone_revision_id": tone["id"], "seconds": take["frames"] / take["rate_hz"]}
        for take in takes
        for tone in tones
    ][:CELLS]

    def left() -> int:
        told = app.get(f"{address}/printing")
        return int(told["waiting"] + told["rendering"])

    def ask(wanted: list[dict[str, object]], depth: str) -> None:
        body = {
            "cells": [{key: each[key] for key in ("material_id", "tone_revision_id")} for each in wanted],
            "settings": {"depth": depth},
        }
        assert app.send("POST", "/api/print-batches", body)[0] == 202

    # What the worker computes with is loaded first.
    ask(cells[:2], "16")
    while left():
        time.sleep(0.5)
    cpu_s, began = cpu_s_of_worker(app), time.perf_counter()
    ask(cells, "32f")
    while left() > (os.cpu_count() or 1):
        time.sleep(0.2)
    spent_s, cpu_s = time.perf_counter() - began, cpu_s_of_worker(app) - cpu_s
    played_s = sum(each["seconds"] for each in cells[: len(cells) - left()])
    print(f"{len(cells)} prints at once: {played_s / spent_s:.1f} x real time together")
    while left():
        time.sleep(0.2)
    print(f"cores that its worker kept busy: {100 * cpu_s / spent_s / (os.cpu_count() or 1):.0f} %")


def main() -> None:
    with (
        tempfile.TemporaryDirectory() as scratch,
        migrated_server(Path(scratch) / "postgres") as server,
        new_database(server.url) as url,
        running_application(Path(scratch) / "data", url) as app,
    ):
        app.ready_to_roll()
        batch(app)


if __name__ == "__main__":
    main()
