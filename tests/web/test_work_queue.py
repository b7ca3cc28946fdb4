"""Asking for what a worker computes: once for the same input, and a word where nobody works."""

import asyncio
from uuid import UUID

import numpy as np
import pytest
import soundfile
from psycopg import AsyncConnection

from fatsignal.config import Settings
from fatsignal.core.tone.chain import ToneChain
from fatsignal.errors import WorkFailed
from fatsignal.jobs import kinds
from fatsignal.jobs.kind import calculation
from fatsignal.jobs.worker import carry_out, make_queue
from fatsignal.store import works
from fatsignal.store.database import open_pool
from fatsignal.tones import shipped_tones
from fatsignal.web import work_queue
from fatsignal.web.live import Hub
from tests.signals import FS
from tests.web.in_process import in_process, session_with_takes, voltage_of


@pytest.fixture
async def queue(tmp_path, database_url, monkeypatch):
    """A queue at which nobody works, and what it told."""
    monkeypatch.setattr(work_queue, "_LOOK_S", 0.05)
    monkeypatch.setattr(work_queue, "_LONG_S", 0.2)
    hub = Hub()
    told = []
    monkeypatch.setattr(hub, "tell", told.append)
    asking = make_queue(database_url)
    async with open_pool(database_url) as pool, asking.open_async():
        settings = Settings(data=tmp_path, database_url=database_url)
        waiting = work_queue.WorkQueue(settings, pool, asking, hub)
        waiting.told, waiting.settings = told, settings
        yield waiting


async def worked(queue, kind):
    """All that waits of a kind is done, in this process."""
    async with await AsyncConnection.connect(queue.settings.database_url, autocommit=True) as conn:
        for work in await works.list_works(conn, kind=kind):
            await carry_out(conn, work.id, queue.settings)


async def test_where_nobody_works_it_is_told_once_and_the_work_is_there_when_somebody_comes(queue, monkeypatch):
    done = []
    double = calculation("double", lambda asked, _: done.append(asked) or 2 * asked["of"], remembered=10)
    monkeypatch.setitem(kinds.KINDS, "double", double)
    both = [asyncio.create_task(queue.computed("double", {"of": 21})) for _ in range(2)]
    for _ in range(100):
        await asyncio.sleep(0.02)
        if queue.told:
            break
    await asyncio.sleep(0.3)
    assert ["no worker runs" in told.problem for told in queue.told] == [True]
    await worked(queue, "double")
    assert await asyncio.gather(*both) == [42, 42]
    assert done == [{"of": 21}]
    # What was computed before is there at once; another input is another work.
    assert await queue.computed("double", {"of": 21}) == 42
    assert len(done) == 1


async def test_what_cannot_be_computed_is_told_with_its_sentence_and_may_be_asked_again(queue, monkeypatch):
    def refuse(asked, _):
        raise WorkFailed("the strings are rusty: change them")

    monkeypatch.setitem(kinds.KINDS, "refused", calculation("refused", refuse, remembered=10))
    for _ in range(2):
        asked = asyncio.create_task(queue.computed("refused", {}))
        await asyncio.sleep(0.1)
        await worked(queue, "refused")
        with pytest.raises(WorkFailed, match="rusty"):
            await asked


async def test_a_stretch_through_a_tone_is_kept_and_made_again_when_it_is_gone(tmp_path, database_url):
    async with in_process(tmp_path, database_url) as client:
        session, _, (take_id,) = await session_with_takes(client)
        take = (await client.get(f"{session}/takes")).json()[0]
        tone = (await client.post("/api/tones", json=shipped_tones()[0].model_dump(mode="json"))).json()
        span = {"from_frame": take["from_frame"], "to_frame": take["from_frame"] + 24_000}
        compared = await client.get("/api/takes/compared", params={"id": take_id, "tone": tone["id"], **span})
        assert compared.status_code == 200, compared.text
        (sound,) = compared.json()["sounds"]
        assert UUID(sound["take_id"]) == UUID(take_id)
        (kept,) = (tmp_path / "excerpts").iterdir()

        async def heard(from_frame, frames):
            answer = await client.get(f"{sound['sound_url']}&from_frame={from_frame}&frames={frames}")
            assert answer.status_code == 200, answer.text
            return np.frombuffer(answer.content, dtype="<f4")

        first = await heard(0, 24_000)
        assert np.abs(first).max() > 1e-3
        np.testing.assert_array_equal(first, np.load(kept))
        # It is what rendering gives, in its place: the amp's own delay is taken off.
        dry, _ = soundfile.read(tmp_path / "sessions" / take["folder"] / take["channels"][0]["file"])
        chain = ToneChain(shipped_tones()[0], rate_hz=FS, voltage=await voltage_of(client, take_id))
        late, run_in = chain.latency_frames, FS // 2
        fed = np.concatenate((np.zeros(run_in), dry[:24_000], np.zeros(late)))
        np.testing.assert_allclose(first, chain.process(fed)[late + run_in :], atol=1e-6)
        # Through another tone it is another sound.
        other = (await client.post("/api/tones", json=shipped_tones()[1].model_dump(mode="json"))).json()
        await client.get("/api/takes/compared", params={"id": take_id, "tone": other["id"], **span})
        assert len(list((tmp_path / "excerpts").iterdir())) == 2
        kept.unlink()
        np.testing.assert_array_equal(await heard(0, 24_000), first)
        kept.write_bytes(b"half a file")
        np.testing.assert_array_equal(await heard(1_000, 500), first[1_000:1_500])
        # Behind its end it is silent, however long a piece is asked for.
        beyond = await heard(23_000, 2_000)
        np.testing.assert_array_equal(beyond[:1_000], first[23_000:])
        assert not beyond[1_000:].any()
