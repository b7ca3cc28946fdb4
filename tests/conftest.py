"""A PostgreSQL of the tests' own, an empty database for each test that asks, and the running application."""

import asyncio
import fcntl
import hashlib
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from uuid import uuid4

import psycopg
import pytest
from psycopg import sql

from fatsignal.store.database import migrate
from launcher.postgres import Postgres, find_binaries

ROOT = Path(__file__).resolve().parents[1]
EMPTY = "template_empty"
DEMONSTRATION = "template_demonstration"


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="what goes on for long, or tries many moments, at full length")


@pytest.fixture(scope="session")
def at_length(request: pytest.FixtureRequest) -> bool:
    """Whether a test that can go on for long shall: `./fatsignal test --long`."""
    return bool(request.config.getoption("long"))


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Files with slow tests first: at the end, nobody waits for one that began last."""
    slow = {item.path for item in items if item.get_closest_marker("slow")}
    items.sort(key=lambda item: item.path not in slow)


@pytest.fixture(scope="session")
def database_server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Postgres]:
    """A server that lives as long as the test run, with a migrated template."""
    server = Postgres(tmp_path_factory.mktemp("postgres"))
    url = server.start()
    with psycopg.connect(url, autocommit=True) as conn:
        conn.execute(f"CREATE DATABASE {EMPTY}")
    asyncio.run(migrate(_renamed(url, EMPTY)))
    yield server
    server.stop()


@pytest.fixture(scope="session")
def postgres(database_server: Postgres) -> str:
    """Connection string of the server."""
    return database_server.url


@pytest.fixture
def database_url(postgres: str) -> Iterator[str]:
    """An empty, migrated database of one test's own."""
    with _database(postgres) as url:
        yield url


@contextmanager
def _database(server_url: str, template: str = EMPTY) -> Iterator[str]:
    name = f"t{uuid4().hex}"
    made = sql.SQL("CREATE DATABASE {} TEMPLATE {} STRATEGY file_copy")
    with psycopg.connect(server_url, autocommit=True) as conn:
        conn.execute(made.format(sql.Identifier(name), sql.Identifier(template)))
    yield _renamed(server_url, name)
    # A connection of its own: a test may have killed the server meanwhile.
    with psycopg.connect(server_url, autocommit=True) as conn:
        conn.execute(sql.SQL("DROP DATABASE {} WITH (FORCE)").format(sql.Identifier(name)))


def _renamed(url: str, database: str) -> str:
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


@pytest.fixture(scope="session")
def demonstration(postgres: str, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The data of an application with a short demonstration, its prints made; its database is a template now.

    It is made once for the same sources, whoever needs it first, and kept in `build`.
    """
    kept = ROOT / "build" / "test-demonstration"
    data, dump, made_of = kept / "data", kept / "database.dump", kept / "made-of"
    kept.mkdir(parents=True, exist_ok=True)
    sources = _digest_of_sources()
    with (kept / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made_of.exists() or made_of.read_text() != sources:
            made_of.unlink(missing_ok=True)
            shutil.rmtree(data, ignore_errors=True)
            _make_demonstration(postgres, data, dump)
            made_of.write_text(sources)
        # A copy of one's own: the next run may make it anew.
        mine = tmp_path_factory.mktemp("demonstration") / "data"
        shutil.copytree(data, mine)
        with psycopg.connect(postgres, autocommit=True) as conn:
            conn.execute(f"CREATE DATABASE {DEMONSTRATION} TEMPLATE template0")
        _with_database(
            "pg_restore", "--no-owner", "--exit-on-error", "-d", _renamed(postgres, DEMONSTRATION), str(dump)
        )
    return mine


def _make_demonstration(postgres: str, data: Path, dump: Path) -> None:
    with _database(postgres) as url:
        with running_application(data, url) as app:
            prints = f"/api/sessions/{app.session['id']}/prints"
            app.wait_for(
                lambda: {each["state"] for each in app.get(prints)} == {"ready"}, seconds=180, what="the prints"
            )
            app.ready_to_roll()
        _with_database("pg_dump", "-Fc", "-f", str(dump), url)
    shutil.rmtree(data / "run")


def _with_database(program: str, *arguments: str) -> None:
    binaries = find_binaries()
    assert binaries is not None, "the tests run a server"
    subprocess.run([str(binaries / program), *arguments], check=True, capture_output=True)


def _digest_of_sources() -> str:
    digest = hashlib.sha256()
    for path in sorted((ROOT / "src" / "fatsignal").rglob("*")):
        if path.suffix in (".py", ".sql", ".json"):
            digest.update(f"{path.relative_to(ROOT)}\n".encode() + path.read_bytes())
    return digest.hexdigest()


@contextmanager
def copied_application(demonstration: Path, postgres: str, data: Path, **options) -> Iterator[Application]:
    """An application that begins with a copy of the demonstration."""
    shutil.copytree(demonstration, data)
    with _database(postgres, DEMONSTRATION) as url, running_application(data, url, **options) as app:
        yield app


@pytest.fixture(scope="module")
def application(demonstration: Path, postgres: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    """The application with a short demonstration, its rig as fast as it computes; one for each test file."""
    with copied_application(demonstration, postgres, tmp_path_factory.mktemp("application") / "data") as app:
        yield app


@pytest.fixture
def start_application(demonstration: Path, postgres: str, tmp_path: Path):
    """Start applications of one test's own, by `with start_application(...) as app`."""

    @contextmanager
    def start(**options):
        with copied_application(demonstration, postgres, tmp_path / "data", **options) as app:
            yield app

    return start


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
