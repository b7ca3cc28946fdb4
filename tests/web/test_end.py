"""The worker beside the server: it comes back when it dies, and goes when the server does."""

import asyncio
import contextlib
import os
import signal
import stat

from fatsignal.config import Settings
from fatsignal.web.work_queue import keep_a_worker


async def test_a_worker_that_dies_is_started_again_and_ends_with_the_server(tmp_path, monkeypatch):
    program = tmp_path / "worker"
    program.write_text(f"#!/bin/sh\necho $$ >> {tmp_path}/pids\nexec sleep 60\n")
    program.chmod(program.stat().st_mode | stat.S_IXUSR)
    monkeypatch.setattr("fatsignal.web.work_queue.sys.executable", str(program))
    monkeypatch.setattr("fatsignal.web.work_queue._RECONNECT_S", 0.05)
    keeping = asyncio.create_task(keep_a_worker(Settings(data=tmp_path, database_url="postgresql://nowhere")))

    async def started(count):
        while not (tmp_path / "pids").exists() or len((tmp_path / "pids").read_text().split()) < count:
            await asyncio.sleep(0.02)
        return int((tmp_path / "pids").read_text().split()[-1])

    first = await asyncio.wait_for(started(1), 10)
    os.kill(first, signal.SIGKILL)
    second = await asyncio.wait_for(started(2), 10)
    assert second != first
    keeping.cancel()
    with contextlib.suppress(asyncio.CancelledError):
        await keeping
    with contextlib.suppress(ProcessLookupError):
        os.kill(second, 0)
        raise AssertionError("it is still there")
