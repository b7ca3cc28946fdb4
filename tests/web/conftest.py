"""What tests of the web share."""

import pytest

from fatsignal.store import parts, sessions
from fatsignal.store.database import open_pool
from tests.engine.sources import TEMPO, TWO_CHANNELS
from tests.web.in_process import in_process
from tests.web.studio import Studio


@pytest.fixture
async def client(tmp_path, database_url):
    """Asks the application in this process, which has no engine."""
    async with in_process(tmp_path, database_url) as client:
        yield client


@pytest.fixture
async def studio(tmp_path, database_url, monkeypatch):
    monkeypatch.setattr("fatsignal.web.entering._RETRY_S", 0.05)
    async with open_pool(database_url) as pool:
        async with pool.connection() as conn:
            session = await sessions.add_session(
                conn, name="Song", artist="", depth="24", tempo=TEMPO, song_bars=8, folder="Song"
            )
            of_part = await parts.add_part(
                conn, session_id=session.id, name="Baritone", rig=TWO_CHANNELS.model_dump(mode="json"), written=[],
                armed=True,
            )  # fmt: skip
        yield Studio(tmp_path, database_url, pool, session, of_part)
