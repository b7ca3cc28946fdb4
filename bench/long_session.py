"""A session with many takes, entered without rolling them: what the benches of the pages look at."""

import asyncio
import hashlib
import tempfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from uuid import UUID

import psycopg
from playwright.sync_api import Page, sync_playwright

from fatsignal.core.material.channels import RecordedKind
from fatsignal.core.material.material import fingerprint_of
from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.rig.setup import standard_rig
from fatsignal.store import parts, sections, sessions, takes
from fatsignal.store.database import migrate
from launcher.postgres import Postgres
from tests.applications import running_application
from tests.e2e.conftest import CHROMIUM, QUIET

CHANNELS: tuple[tuple[str, RecordedKind], ...] = (("DI", "di"), ("mic A", "mic"), ("mic B", "mic"))
_CHECKS = {
    "peak_dbfs": -6.0, "true_peak_dbtp": -6.0, "average_dbfs": -15.0, "loudness_lufs": -18.0, "crest_db": 9.0,
    "dc": 0.0, "flat_top_runs": 0, "advice": None,
}  # fmt: skip


def channels_of(take_id: UUID) -> list[takes.TakeChannel]:
    """Channels of a take, with checksums of files that nobody wrote."""
    return [
        takes.TakeChannel(
            position=p, name=name, kind=kind, file=f"{p}.wav",
            sha256=hashlib.sha256(f"{take_id} {p}".encode()).hexdigest(), checks=_CHECKS,
        )
        for p, (name, kind) in enumerate(CHANNELS)
    ]  # fmt: skip


def fingerprint_of_take(take_id: UUID) -> str:
    """What its wave is kept under."""
    return fingerprint_of((channel.key, channel.sha256) for channel in channels_of(take_id))


@contextmanager
def shown(
    tempo: TempoMap, song: Sequence[SongSection], recorded: Callable[[Path], Iterable[tuple[UUID, Window]]]
) -> Iterator[tuple[str, Page]]:
    """The application with the session, and a page of headless Chromium; `recorded` makes the takes below its data.

    Yields the application's address and the page.
    """
    with tempfile.TemporaryDirectory() as scratch:
        data = Path(scratch) / "data"
        server = Postgres(Path(scratch) / "postgres")
        url = server.start()
        try:
            asyncio.run(enter(url, tempo, song, recorded(data)))
            with running_application(data, url, demo="0") as app, sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, chromium_sandbox=False, args=QUIET)
                yield app.url, browser.new_page(viewport={"width": 1280, "height": 800})
                browser.close()
        finally:
            server.stop()


async def enter(
    url: str, tempo: TempoMap, song: Sequence[SongSection], recorded: Iterable[tuple[UUID, Window]]
) -> None:
    """Make the session in an empty database; `recorded` gives its takes in order, each with its place."""
    await migrate(url)
    async with await psycopg.AsyncConnection.connect(url) as conn:
        session = await sessions.add_session(
            conn, name="Long", artist="", depth="24", tempo=tempo, folder="Long", song_bars=song[-1].end_bar - 1
        )
        await sections.replace_sections(conn, session.id, list(song))
        rig = standard_rig("baritone guitar").model_dump(mode="json")
        part = await parts.add_part(conn, session_id=session.id, name="Baritone", rig=rig, written=[], armed=True)
        for number, (take_id, span) in enumerate(recorded, start=1):
            take = takes.Take(
                id=take_id, part_id=part.id, number=number, recorded_at=datetime.now(UTC), rate_hz=tempo.rate_hz,
                from_frame=span.from_frame, recorded_frame=span.from_frame, frames=span.frames, windows=(span,),
                origin="imported", rig_sheet={}, folder=f"Long/{number}",
            )  # fmt: skip
            await takes.add_take(conn, take, channels_of(take_id))
