import fcntl
import os
import signal
import time

import psycopg
import pytest

from launcher import commands, setup
from launcher.postgres import Postgres, PostgresFailed

pytestmark = pytest.mark.realtime


def test_the_server_starts_answers_stops_and_starts_again(tmp_path):
    server = Postgres(tmp_path / "postgres")
    url = server.start()
    try:
        with psycopg.connect(url, autocommit=True) as conn:
            conn.execute("CREATE TABLE kept AS SELECT 1 AS number")
        assert server.running()
        assert server.start() == url, "a second start finds it running"
        server.stop()
        assert not server.running()
        with psycopg.connect(server.start()) as conn:
            assert conn.execute("SELECT number FROM kept").fetchone() == (1,)
    finally:
        server.stop()


def test_after_a_crash_it_is_cleared_up_and_started(tmp_path):
    server = Postgres(tmp_path / "postgres")
    server.start()
    pid = int((server.cluster / "postmaster.pid").read_text().split()[0])
    os.kill(pid, signal.SIGKILL)
    deadline = time.monotonic() + 5
    while server.running() and time.monotonic() < deadline:
        time.sleep(0.05)
    try:
        with psycopg.connect(server.start()) as conn:
            assert conn.execute("SELECT 1").fetchone() == (1,)
    finally:
        server.stop()


def test_the_server_listens_on_loopback_only_and_wants_its_password(tmp_path):
    server = Postgres(tmp_path / "postgres")
    url = server.start()
    try:
        with psycopg.connect(url) as conn:
            assert conn.execute("SHOW listen_addresses").fetchone() == ("127.0.0.1",)
        password = (tmp_path / "postgres" / "password").read_text()
        assert (tmp_path / "postgres" / "password").stat().st_mode & 0o077 == 0
        with pytest.raises(psycopg.OperationalError, match="password authentication failed"):
            psycopg.connect(url.replace(password, "guess"))
    finally:
        server.stop()


def test_without_postgresql_the_command_that_installs_it_is_named(tmp_path, monkeypatch):
    monkeypatch.setattr("launcher.postgres.find_binaries", lambda: None)
    with pytest.raises(PostgresFailed, match="apt-get install postgresql"):
        Postgres(tmp_path).start()


def test_what_is_missing_and_may_not_be_installed_is_said_with_the_command(monkeypatch):
    monkeypatch.setattr(setup.shutil, "which", lambda program: None)
    with pytest.raises(setup.SetUpFailed, match="apt-get install"):
        setup.set_up_debian(for_tests=False)


@pytest.mark.parametrize(
    ("arguments", "status"),
    [
        (["--help"], 0), ([], 2), (["dance"], 2), (["start", "--help"], 0), (["stop", "-h"], 0), (["start", "now"], 2),
        (["worker", "--help"], 0), (["test", "--help"], 0),
    ],
)  # fmt: skip
def test_the_command_explains_itself(capsys, arguments, status):
    assert commands.main(arguments) == status
    said = capsys.readouterr()
    assert "./fatsignal" in said.out + said.err


def test_a_second_start_says_so_and_where(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("FATSIGNAL_DATA", str(tmp_path))
    run = tmp_path / "run"
    run.mkdir()
    (run / "server.json").write_text(f'{{"pid": {os.getpid()}, "host": "127.0.0.1", "port": "8417"}}')
    with (run / "start.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        assert commands.main(["start"]) == 0
    assert "runs already at http://127.0.0.1:8417" in capsys.readouterr().out


def test_stopping_what_does_not_run_is_no_error(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("FATSIGNAL_DATA", str(tmp_path))
    assert commands.main(["stop"]) == 0
    assert "does not run" in capsys.readouterr().out


def test_a_worker_without_a_database_says_what_to_do(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("FATSIGNAL_DATA", str(tmp_path))
    monkeypatch.delenv("FATSIGNAL_DATABASE_URL", raising=False)
    monkeypatch.setattr(commands, "set_up_python", lambda **_: None)
    assert commands.main(["worker"]) == 1
    assert "./fatsignal start" in capsys.readouterr().err


def test_every_command_that_is_told_of_explains_itself(capfd):
    told = [line.split()[1] for line in commands.USAGE.splitlines() if line.startswith("  ./fatsignal")]
    assert {"start", "test", "reamp", "timing", "check"} <= set(told)
    for name in told:
        assert commands.main([name, "--help"]) == 0
        assert name in capfd.readouterr().out
