"""Nothing heavy runs on the event loop, through which the sound flows: no turn of it takes 30 ms of the processor."""

import asyncio
import gc
import time
from contextlib import contextmanager
from datetime import UTC, datetime
from fractions import Fraction
from uuid import uuid4

from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import MeterChange, TempoChange, TempoMap
from fatsignal.store import parts, sections, sessions, takes
from fatsignal.store.takes import Take, TakeChannel
from tests.web.in_process import in_process

BARS, CHANGES, TAKES = 2_000, 300, 300
LONGEST_TURN_S = 0.030
CHECKS = {
    "peak_dbfs": -6.0, "true_peak_dbtp": -6.0, "average_dbfs": -15.0, "loudness_lufs": -18.0, "crest_db": 9.0,
    "dc": 0.0, "flat_top_runs": 0, "advice": None,
}  # fmt: skip


@contextmanager
def turns_timed(monkeypatch):
    """Processor time of every turn of the loop's own thread: what other threads and processes do is not in it."""
    spent, run = [], asyncio.Handle._run

    def timed(self):
        began = time.thread_time()
        run(self)
        spent.append((time.thread_time() - began, repr(self)[:200]))

    monkeypatch.setattr(asyncio.Handle, "_run", timed)
    # As in the server, which sets aside what it has loaded; here that is every module of every test before.
    gc.freeze()
    yield spent
    gc.unfreeze()
    monkeypatch.undo()


async def a_long_song(pool):
    """Bars, changes of tempo and takes by the hundred."""
    step = BARS // CHANGES
    tempos = tuple(
        TempoChange(1 + step * index, Fraction(90 + index % 37) + Fraction(index, 100), ramp=index % 5 == 1)
        for index in range(CHANGES)
    )
    tempo = TempoMap(48_000, tempos, (MeterChange(1, 4), MeterChange(501, 7, 8), MeterChange(1001, 3)), 0)
    async with pool.connection() as conn:
        session = await sessions.add_session(
            conn, name="Long", artist="", depth="24", tempo=tempo, song_bars=BARS, folder="Long"
        )
        song = [SongSection(uuid4(), f"Part {index}", 1 + 20 * index, 20, 4) for index in range(BARS // 20)]
        await sections.replace_sections(conn, session.id, song)
        part = await parts.add_part(conn, session_id=session.id, name="Baritone", rig={}, written=[], armed=True)
        for number in range(1, TAKES + 1):
            start = tempo.bar_frame(1 + 20 * (number % len(song)))
            take = Take(
                id=uuid4(), part_id=part.id, number=number, recorded_at=datetime.now(UTC), rate_hz=48_000,
                from_frame=start, recorded_frame=start, frames=1_000_000, windows=(Window(start, start + 900_000),),
                origin="rolled", rig_sheet={}, folder=f"Long/Baritone/Take {number}",
            )  # fmt: skip
            channel = TakeChannel(position=0, name="DI", kind="di", file="x.wav", sha256="0" * 64, checks=CHECKS)
            await takes.add_take(conn, take, [channel])
        return session.id, part.id


async def test_a_session_of_two_thousand_bars_is_opened_beside_the_loop(tmp_path, database_url, monkeypatch):
    async with in_process(tmp_path, database_url) as client:
        session_id, part_id = await a_long_song(client.pool)
        longest = {}
        with turns_timed(monkeypatch) as spent:
            for path in (
                f"/api/opening?session_id={session_id}", f"/api/sessions/{session_id}",
                f"/api/sessions/{session_id}/sheet?part_id={part_id}", f"/api/sessions/{session_id}/takes",
                f"/api/sessions/{session_id}/bin", f"/api/sessions/{session_id}/history",
                f"/api/sessions/{session_id}/hand-over",
            ):  # fmt: skip
                spent.clear()
                answer = await client.get(path)
                assert answer.status_code == 200, path
                longest[path] = max(spent)
        too_long = {path: turn for path, turn in longest.items() if turn[0] > LONGEST_TURN_S}
        assert not too_long
