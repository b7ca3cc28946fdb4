"""Running applications for tests: the process, what is asked of it, the demonstration, and a pool of warm ones."""

import asyncio
import contextlib
import fcntl
import hashlib
import http.client
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from uuid import uuid4

import psycopg
from psycopg import sql

from fatsignal.store.database import migrate
from launcher.postgres import Postgres, find_binaries

ROOT = Path(__file__).resolve().parents[1]
# The demonstration as it was made for the sources there are.
KEPT = ROOT / "build" / "test-demonstration"
DUMP = KEPT / "database.dump"
EMPTY = "template_empty"
DEMONSTRATION = "template_demonstration"


@contextmanager
def new_database(server_url: str, template: str = EMPTY) -> Iterator[str]:
    name = f"t{uuid4().hex}"
    made = sql.SQL("CREATE DATABASE {} TEMPLATE {} STRATEGY file_copy")
    with psycopg.connect(server_url, autocommit=True) as conn:
        conn.execute(made.format(sql.Identifier(name), sql.Identifier(template)))
    yield renamed(server_url, name)
    # A connection of its own: a test may have killed the server meanwhile.
    with psycopg.connect(server_url, autocommit=True) as conn:
        conn.execute(sql.SQL("DROP DATABASE {} WITH (FORCE)").format(sql.Identifier(name)))


def renamed(url: str, database: str) -> str:
    return url.rsplit("/", 1)[0] + "/" + database


@dataclass
class Application:
    """A running application; `url` is its address, `data` its folder."""

    url: str
    data: Path
    database_url: str
    process: subprocess.Popen[bytes]
    environment: dict[str, str]

    def get(self, path: str) -> Any:
        with urllib.request.urlopen(self.url + path, timeout=120) as answer:
            return json.load(answer)

    def raw(self, path: str) -> bytes:
        with urllib.request.urlopen(self.url + path, timeout=120) as answer:
            return answer.read()

    def send(self, method: str, path: str, body: object = None) -> tuple[int, object]:
        """Status and decoded answer; problems are answers too."""
        request = urllib.request.Request(
            self.url + path,
            method=method,
            data=None if body is None else json.dumps(body).encode(),
            headers={"Content-Type": "application/json"},
        )
        try:
            with urllib.request.urlopen(request, timeout=120) as answer:
                text = answer.read()
                return answer.status, json.loads(text) if text else None
        except urllib.error.HTTPError as refusal:
            return refusal.code, json.loads(refusal.read())

    def upload(self, path: str, files: dict[str, bytes], **fields: object) -> tuple[int, Any]:
        """Send files by their names, as a page does: status and decoded answer."""
        boundary = "----many"
        body = b"".join(
            f'--{boundary}\r\nContent-Disposition: form-data; name="{name}"\r\n\r\n{value}\r\n'.encode()
            for name, value in fields.items()
        )
        for name, content in files.items():
            head = f'--{boundary}\r\nContent-Disposition: form-data; name="files"; filename="{name}"\r\n\r\n'
            body += head.encode() + content + b"\r\n"
        body += f"--{boundary}--\r\n".encode()
        host, port = self.url.removeprefix("http://").split(":")
        connection = http.client.HTTPConnection(host, int(port), timeout=120)
        connection.request("POST", path, body, {"Content-Type": f"multipart/form-data; boundary={boundary}"})
        answer = connection.getresponse()
        return answer.status, json.loads(answer.read())

    @property
    def session(self) -> dict:
        return self.get(f"/api/sessions/{self.get('/api/sessions')[0]['id']}")

    def takes(self) -> list[dict]:
        return self.get(f"/api/sessions/{self.session['id']}/takes")

    def hand_over(self, items: list[str], **form: str) -> bytes:
        """The ZIP of some items, made and saved."""
        parcels = f"/api/sessions/{self.session['id']}/parcels"
        status, made = self.send("POST", parcels, {"items": items, **form})
        assert status == 201, made
        parcel = self.wait_for(
            lambda: next(
                (p for p in self.get(parcels) if p["id"] == made["id"] and p["state"] in ("done", "failed")), None
            ),
            what="the ZIP",
        )
        assert parcel["state"] == "done", parcel["problem"]
        with urllib.request.urlopen(self.url + parcel["url"], timeout=120) as answer:
            assert "Copper%20Weather.zip" in answer.headers["content-disposition"]
            data = answer.read()
        assert len(data) == parcel["bytes"]
        return data

    def wait_for(self, condition, *, seconds: float = 30.0, what: str = "it"):
        """The first true answer of `condition`, asked ten times a second."""
        deadline = time.monotonic() + seconds
        while time.monotonic() < deadline:
            found = condition()
            if found:
                return found
            time.sleep(0.1)
        raise AssertionError(f"{what} did not come within {seconds} s")

    def answers(self) -> bool:
        """Whether it and its database can be reached."""
        try:
            return bool(self.get("/api/sessions"))
        except OSError:
            return False

    def ready_to_roll(self) -> None:
        """Wait until the engine has loaded its kernels."""
        self.wait_for((self.data / "run" / "engine.json").exists, what="the engine")

    def stop(self) -> None:
        self.process.send_signal(signal.SIGTERM)
        self.process.wait(timeout=20)


@contextmanager
def running_application(
    data: Path, database_url: str, *, demo: str = "short", speed: float = 0.0, wait: bool = True,
    variables: dict[str, str] | None = None,
) -> Iterator[Application]:  # fmt: skip
    port = _free_port()
    environment = {
        **os.environ,
        "FATSIGNAL_DATA": str(data),
        "FATSIGNAL_DATABASE_URL": database_url,
        "FATSIGNAL_PORT": str(port),
        "FATSIGNAL_DEMO": demo,
        "FATSIGNAL_RIG_SPEED": str(speed),
        # Many applications, few that compute: workers import what they need when they need it.
        "FATSIGNAL_PRELOAD": "0",
        **(variables or {}),
    }
    process = subprocess.Popen([sys.executable, "-m", "fatsignal.cli", "serve"], env=environment, cwd=ROOT)
    app = Application(f"http://127.0.0.1:{port}", data, database_url, process, environment)
    try:
        if wait:
            app.wait_for(lambda: _answers(app), seconds=180, what="the application")
        yield app
    finally:
        # A test may have put another process in its place.
        if app.process.poll() is None:
            app.stop()


@contextmanager
def migrated_server(folder: Path) -> Iterator[Postgres]:
    """A database server, with a migrated template."""
    server = Postgres(folder, synced=False)
    url = server.start()
    try:
        with psycopg.connect(url, autocommit=True) as conn:
            conn.execute(f"CREATE DATABASE {EMPTY}")
        asyncio.run(migrate(renamed(url, EMPTY)))
        yield server
    finally:
        server.stop()


@contextmanager
def kept_demonstration(postgres: str) -> Iterator[Path]:
    """The data of the demonstration for the sources there are, held: made where they are not there yet."""
    data, made_of = KEPT / "data", KEPT / "made-of"
    KEPT.mkdir(parents=True, exist_ok=True)
    sources = digest_of_sources()
    with (KEPT / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made_of.exists() or made_of.read_text() != sources:
            made_of.unlink(missing_ok=True)
            shutil.rmtree(data, ignore_errors=True)
            make_demonstration(postgres, data)
            made_of.write_text(sources)
        yield data


def make_demonstration(postgres: str, data: Path) -> None:
    with new_database(postgres) as url:
        with running_application(data, url) as app:
            prints = f"/api/sessions/{app.session['id']}/prints"
            app.wait_for(
                lambda: {each["state"] for each in app.get(prints)} == {"ready"}, seconds=180, what="the prints"
            )
            app.ready_to_roll()
        with_database("pg_dump", "-Fc", "-f", str(DUMP), url)
    shutil.rmtree(data / "run")


def restore_demonstration(postgres: str) -> None:
    """Make the template of a server's databases with the demonstration."""
    with psycopg.connect(postgres, autocommit=True) as conn:
        conn.execute(f"CREATE DATABASE {DEMONSTRATION} TEMPLATE template0")
    made = renamed(postgres, DEMONSTRATION)
    with_database("pg_restore", "--no-owner", "--exit-on-error", "-d", made, str(DUMP))
    with psycopg.connect(made, autocommit=True) as conn:
        conn.execute(KEEP)


def with_database(program: str, *arguments: str) -> None:
    binaries = find_binaries()
    assert binaries is not None, "the tests run a server"
    subprocess.run([str(binaries / program), *arguments], check=True, capture_output=True)


def digest_of_sources() -> str:
    digest = hashlib.sha256()
    for path in sorted((ROOT / "src" / "fatsignal").rglob("*")):
        if path.suffix in (".py", ".sql", ".json"):
            digest.update(f"{path.relative_to(ROOT)}\n".encode() + path.read_bytes())
    return digest.hexdigest()


@contextmanager
def copied_application(demonstration: Path, postgres: str, data: Path, **options) -> Iterator[Application]:
    """An application that begins with a copy of the demonstration."""
    shutil.copytree(demonstration, data)
    with new_database(postgres, DEMONSTRATION) as url, running_application(data, url, **options) as app:
        yield app


class WarmApplications:
    """Applications that run on, one for each pace of the rig: whoever takes one finds the demonstration as it was."""

    def __init__(self, demonstration: Path, postgres: str, folder: Path) -> None:
        self._demonstration, self._postgres, self._folder = demonstration, postgres, folder
        self._running = ExitStack()
        self._warm: dict[float, Application] = {}

    def get(self, *, speed: float = 0.0) -> Application:
        """One that nobody else uses meanwhile."""
        app = self._warm.get(speed)
        if app is not None and app.process.poll() is None and app.answers():
            self._bring_back(app)
            return app
        data = self._folder / f"{speed:g}-{uuid4().hex[:6]}" / "data"
        app = self._running.enter_context(copied_application(self._demonstration, self._postgres, data, speed=speed))
        self._warm[speed] = app
        return app

    def close(self) -> None:
        self._running.close()

    def _bring_back(self, app: Application) -> None:
        """Stop what goes on in it, and make its data what they were."""
        for session in app.get("/api/sessions"):
            app.send("DELETE", f"/api/sessions/{session['id']}/standby")
            app.send("DELETE", f"/api/sessions/{session['id']}/roll")
        app.send("DELETE", "/api/checks")
        sessions = app.data / "sessions"
        with contextlib.suppress(AssertionError):  # one that can never be entered goes with the rest
            app.wait_for(lambda: not list(sessions.glob("*/*/*/roll.json")), seconds=3)
        with psycopg.connect(app.database_url, autocommit=True) as conn:
            conn.execute("UPDATE work SET state = 'stopped', holder = NULL WHERE state IN ('waiting', 'working')")
            app.wait_for(
                lambda: conn.execute("SELECT count(*) FROM procrastinate_jobs").fetchone() == (0,), what="the workers"
            )
            conn.execute(_BRING_BACK)
        shutil.rmtree(sessions)
        shutil.copytree(self._demonstration / "sessions", sessions)
        app.send("POST", "/api/takes/waiting/try")


# A copy of every table as the demonstration left it, in a schema of its own; and what puts it in their place.
_TABLES = "SELECT tablename FROM pg_tables WHERE schemaname = 'public' AND tablename NOT LIKE 'procrastinate%'"
KEEP = f"""
DO $$ DECLARE name text; BEGIN
    CREATE SCHEMA kept;
    FOR name IN {_TABLES} LOOP EXECUTE format('CREATE TABLE kept.%I AS TABLE public.%I', name, name); END LOOP;
END $$
"""
_BRING_BACK = f"""
DO $$ DECLARE name text; BEGIN
    -- Neither triggers nor references are looked at: all of it comes back together.
    SET LOCAL session_replication_role = replica;
    FOR name IN {_TABLES} LOOP EXECUTE format('TRUNCATE public.%I CASCADE', name); END LOOP;
    FOR name IN {_TABLES} LOOP
        EXECUTE format('INSERT INTO public.%I OVERRIDING SYSTEM VALUE SELECT * FROM kept.%I', name, name);
    END LOOP;
END $$
"""


def _answers(app: Application) -> bool:
    assert app.process.poll() is None, "the application ended while starting"
    try:
        app.get("/api/sessions")
    except OSError:
        return False
    return True


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]
