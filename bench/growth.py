"""A session with as many takes as nobody has. Run: .venv/bin/python -m bench.growth

2000 takes of 16 s over a song of ten sections, heard out already: seconds that the lists of a session take with 100
takes and with all of them, the drift of its tuning when nothing of it is known and after one more take; then 60 pages
that ask for the whole session at once, ten times: how many are answered, and how long the slowest waits. Aims: every
list under 0.3 s, drift under 1 s, and no page without an answer.
"""

import asyncio
import tempfile
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from statistics import median
from typing import Any
from urllib.request import Request, urlopen
from uuid import UUID, uuid4

import numpy as np

from bench.grid import plucks_of
from bench.long_session import channels_of, enter
from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.notes import listen_to
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.files.analysis_cache import save_analysis
from launcher.postgres import Postgres
from tests.applications import Application, running_application

FEW, MANY, PAGES, ROUNDS = 100, 2_000, 60, 10
TEMPO = TempoMap.steady(104, rate_hz=48_000)
SONG = [SongSection(uuid4(), f"Part {number}", 1 + 7 * number, 7, 2) for number in range(10)]
DIFFERENT = 40


def recorded(data: Path, takes: int) -> Iterator[tuple[UUID, Window]]:
    """Takes of one section after the other, heard out already; their files are not there."""
    random = np.random.default_rng(3)
    spans = [Window(TEMPO.bar_frame(each.first_bar), TEMPO.bar_frame(each.end_bar)) for each in SONG]
    first = spans[0]
    heard = [listen_to(plucks_of(first.from_frame, first.to_frame, random), rate_hz=48_000) for _ in range(DIFFERENT)]
    for number in range(takes):
        take_id = uuid4()
        kept = data / "waves" / f"{channels_of(take_id)[0].sha256}.playing.npz"
        save_analysis(kept, heard[number % DIFFERENT])
        yield take_id, spans[number % len(spans)]


def seconds(ask: Callable[[], Any], *, times: int = 5) -> float:
    spent = []
    for _ in range(times):
        began = time.perf_counter()
        ask()
        spent.append(time.perf_counter() - began)
    return median(spent)


def lists(app: Application) -> dict[str, float]:
    """Seconds of each list of the session, and of what is found in its takes."""
    session = app.session
    below, part = f"/api/sessions/{session['id']}", f"/api/parts/{session['parts'][0]['id']}"
    found = {
        name: seconds(lambda path=path: app.get(path))  # type: ignore[misc]
        for name, path in {
            "opening": "/api/opening", "takes": f"{below}/takes", "hand-over": f"{below}/hand-over",
            "sheet": f"{below}/sheet?part_id={session['parts'][0]['id']}", "bin": f"{below}/bin",
        }.items()
    }  # fmt: skip
    found["drift, nothing known"] = seconds(lambda: app.get(f"{part}/tuning-drift"), times=1)
    # One take more, and one less.
    take = app.takes()[0]["id"]
    app.send("POST", f"/api/takes/{take}/bin")
    found["drift, a take changed"] = seconds(lambda: app.get(f"{part}/tuning-drift"), times=1)
    found["judging a section"] = seconds(lambda: app.get(f"{part}/judged/{session['sections'][0]['id']}"), times=1)
    return found


def pages_at_once(app: Application) -> tuple[int, int, float]:
    """Questions that were answered, that failed, and the longest wait, seconds."""
    session = app.session["id"]
    paths = ["/api/opening", f"/api/sessions/{session}/takes", f"/api/sessions/{session}/hand-over"]

    def one(page: int) -> tuple[bool, float]:
        began = time.perf_counter()
        # As a browser asks; what it makes of the answer is not the server's time.
        asked = Request(app.url + paths[page % len(paths)], headers={"Accept-Encoding": "gzip"})
        try:
            with urlopen(asked, timeout=120) as answer:
                good = len(answer.read()) > 0
        except OSError:
            good = False
        return good, time.perf_counter() - began

    with ThreadPoolExecutor(PAGES) as pool:
        answers = [answer for _ in range(ROUNDS) for answer in pool.map(one, range(PAGES))]
    good = sum(ok for ok, _ in answers)
    return good, len(answers) - good, max(waited for _, waited in answers)


def main() -> None:
    found = {}
    for takes in (FEW, MANY):
        with tempfile.TemporaryDirectory() as scratch:
            data = Path(scratch) / "data"
            (data / "waves").mkdir(parents=True)
            server = Postgres(Path(scratch) / "postgres")
            url = server.start()
            try:
                asyncio.run(enter(url, TEMPO, SONG, recorded(data, takes)))
                with running_application(data, url, demo="0") as app:
                    found[takes] = lists(app)
                    if takes == MANY:
                        pages = pages_at_once(app)
            finally:
                server.stop()
    for name, many in found[MANY].items():
        print(f"{name}: {found[FEW][name]:.3f} s with {FEW} takes, {many:.3f} s with {MANY}")
    good, failed, slowest = pages
    print(f"{PAGES} pages at once: {good} answers, {failed} failed, the slowest after {slowest:.1f} s")


if __name__ == "__main__":
    main()
