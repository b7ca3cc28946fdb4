"""A PostgreSQL of the tests' own, an empty database for each test that asks, and the running application."""

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest

from fatsignal.config import current_settings
from launcher.postgres import Postgres
from tests.applications import (
    Application,
    WarmApplications,
    copied_application,
    kept_demonstration,
    migrated_server,
    new_database,
    restore_demonstration,
)

DIED = 3


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="also what goes on for long or tries what is random")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """What goes on for long or tries what is random only with `--long`, alone.

    Files with slow tests first, then those with pages: at the end, nobody waits for one that began last.
    """
    chosen = [item for item in items if config.getoption("long") or not item.get_closest_marker("long")]
    config.hook.pytest_deselected(items=[item for item in items if item not in set(chosen)])
    items[:] = chosen
    slow, pages = ({item.path for item in items if item.get_closest_marker(mark)} for mark in ("slow", "browser"))
    items.sort(key=lambda item: (item.path not in slow, item.path not in pages))


@pytest.hookimpl(optionalhook=True)
def pytest_testnodedown(node: Any, error: object) -> None:
    """The run ends at once, and is none: of what a process that died had still to run, nobody runs the rest."""
    if error:
        pytest.exit(f"{node.gateway.id} died: what it had still to run was not run", returncode=DIED)


@pytest.fixture(autouse=True)
def settings_of_its_own() -> Iterator[None]:
    """What a test says in the environment counts for it, whichever test asked for the settings before."""
    current_settings.cache_clear()
    yield
    current_settings.cache_clear()


@pytest.fixture(scope="session")
def database_server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Postgres]:
    """A server that lives as long as the test run, with a migrated template."""
    with migrated_server(tmp_path_factory.mktemp("postgres")) as server:
        yield server


@pytest.fixture(scope="session")
def postgres(database_server: Postgres) -> str:
    """Connection string of the server."""
    return database_server.url


@pytest.fixture
def database_url(postgres: str) -> Iterator[str]:
    """An empty, migrated database of one test's own."""
    with new_database(postgres) as url:
        yield url


@pytest.fixture(scope="session")
def demonstration(postgres: str, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The data of an application with a short demonstration, its prints made; its database is a template now.

    It is made once for the same sources, whoever needs it first, and kept in `build`.
    """
    with kept_demonstration(postgres) as data:
        # A copy of one's own: the next run may make it anew.
        mine = tmp_path_factory.mktemp("demonstration") / "data"
        shutil.copytree(data, mine)
        restore_demonstration(postgres)
    return mine


@pytest.fixture(scope="session")
def warm_applications(demonstration: Path, postgres: str, tmp_path_factory: pytest.TempPathFactory):
    warm = WarmApplications(demonstration, postgres, tmp_path_factory.mktemp("warm"))
    yield warm
    warm.close()


@pytest.fixture(scope="module")
def application(warm_applications: WarmApplications) -> Application:
    """The application with a short demonstration, its rig as fast as it computes; each test file finds it as it was."""
    return warm_applications.get()


@pytest.fixture
def paced_application(warm_applications: WarmApplications) -> Application:
    """The same, its rig in real time; each test finds it as it was."""
    return warm_applications.get(speed=1.0)


@pytest.fixture
def start_application(demonstration: Path, postgres: str, tmp_path: Path):
    """Start applications that a test kills or sets up in its own way, by `with start_application(...) as app`."""

    @contextmanager
    def start(**options):
        with copied_application(demonstration, postgres, tmp_path / "data", **options) as app:
            yield app

    return start
