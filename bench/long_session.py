"""A session with many takes, entered without rolling them: what the benches of the pages look at."""

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from uuid import UUID

import psycopg

from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.rig.setup import standard_rig
from fatsignal.store import parts, sections, sessions, takes
from fatsignal.store.database import migrate

CHANNELS = (("DI", "di"), ("mic A", "mic"), ("mic B", "mic"))
_CHECKS = {
    "peak_dbfs": -6.0, "true_peak_dbtp": -6.0, "average_dbfs": -15.0, "loudness_lufs": -18.0, "crest_db": 9.0,
    "dc": 0.0, "flat_top_runs": 0, "advice": None,
}  # fmt: skip


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
            channels = [
                takes.TakeChannel(position=p, name=name, kind=kind, file=f"{p}.wav", sha256="0" * 64, checks=_CHECKS)
                for p, (name, kind) in enumerate(CHANNELS)
            ]
            await takes.add_take(conn, take, channels)
