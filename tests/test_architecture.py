"""The house's rules: arrows run downwards only."""

import ast
import importlib.util
import re
import subprocess
import sys
from pathlib import Path

import pytest

from fatsignal.preload import OF_A_WORKER, OF_THE_SERVER

PACKAGE = Path(__file__).resolve().parents[1] / "src" / "fatsignal"
MODULES = sorted(PACKAGE.rglob("*.py"))

# What each room may use of our own package; `errors` and `config` are open to those named.
MAY_USE = {
    "core": {"core", "errors"},
    "tones": {"core", "errors"},
    "files": {"core", "errors"},
    "rig": {"core", "errors", "rig"},
    "engine": {"core", "errors", "log", "files", "rig", "engine"},
    "store": {"core", "errors", "store"},
    "acts": {"core", "errors", "files", "rig", "engine", "store", "tones", "acts"},
    "demo": {"core", "errors", "files", "rig", "engine", "store", "acts", "jobs", "tones", "demo"},
    "jobs": {"core", "errors", "files", "rig", "engine", "acts", "store", "config", "jobs"},
    "web": {"rig", "core", "errors", "files", "engine", "store", "acts", "jobs", "config", "preload", "web"},
}
CORE_NEEDS = {"numpy", "scipy", "numba", "pydantic"}


def imports(path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module:
            yield node.module


@pytest.mark.parametrize("path", MODULES, ids=lambda path: str(path.relative_to(PACKAGE)))
def test_arrows_run_downwards_only(path):
    room = path.relative_to(PACKAGE).parts[0]
    for name in imports(path):
        first, _, rest = name.partition(".")
        if first == "fatsignal" and room in MAY_USE and rest:
            used = rest.split(".")[0]
            assert used in MAY_USE[room] | {room}, f"{room} uses {used}"
        elif room == "core" and first not in sys.stdlib_module_names and first != "fatsignal":
            assert first in CORE_NEEDS, f"core uses {first}"


def test_core_reads_no_files_no_clock_and_no_environment():
    forbidden = {"os", "pathlib", "datetime", "socket", "subprocess", "psycopg", "fastapi", "soundfile"}
    for path in (PACKAGE / "core").rglob("*.py"):
        used = {name.split(".")[0] for name in imports(path)}
        assert not used & forbidden, f"{path.name} uses {used & forbidden}"


def test_loops_are_compiled_where_several_processes_may_keep_them():
    users = {path.name for path in MODULES if "numba" in {name.split(".")[0] for name in imports(path)}}
    assert users == {"compiled.py"}


@pytest.mark.parametrize("name", [*OF_THE_SERVER, *OF_A_WORKER])
def test_what_is_imported_early_is_there(name):
    """A module that was renamed would end the warming up, and with it all that comes after, unseen."""
    assert importlib.util.find_spec(name) is not None


def test_no_router_asks_another():
    """What several of them show stands in `web/views`, what they decide in `acts`."""
    for path in (PACKAGE / "web" / "routes").glob("*.py"):
        others = [name for name in imports(path) if name.startswith("fatsignal.web.routes.")]
        assert not others, f"{path.name} imports {others}"


def test_no_file_of_ours_has_grown_past_two_subjects():
    long = {path.name: count for path in MODULES if (count := len(path.read_text().splitlines())) > 420}
    assert not long


def test_a_test_of_the_pages_that_replaces_modules_runs_alone():
    """The others share their modules, so that one which mocks would hand its mocks on to the next file."""
    tests = sorted((PACKAGE.parents[1] / "frontend" / "src").rglob("*.test.ts*"))
    replace = {path.name for path in tests if re.search(r"vi\.(mock|doMock|resetModules)\(", path.read_text())}
    assert replace == {path.name for path in tests if ".alone.test." in path.name}


@pytest.mark.parametrize(
    ("begins", "unwanted"),
    [("fatsignal.web.app", ["numba", "scipy"]), ("fatsignal.engine.capture_factory", ["scipy.signal"])],
)
def test_who_must_be_there_at_once_starts_without_what_takes_long(begins, unwanted):
    """numba and scipy take longer than all else of the server, `scipy.signal` longer than all else of the engine."""
    looks = f"import sys, {begins}; print([name for name in {unwanted} if name in sys.modules])"
    found = subprocess.run([sys.executable, "-c", looks], check=True, capture_output=True, text=True)
    assert found.stdout.strip() == "[]"
