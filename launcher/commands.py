"""The commands of `./fatsignal`: start, stop, worker, test, and those that go straight to the program."""

import contextlib
import fcntl
import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from launcher.compiled_code import folder_of_sources
from launcher.postgres import Postgres, PostgresFailed
from launcher.setup import PYTHON, ROOT, SetUpFailed, set_up_debian, set_up_pages, set_up_python

WRONG_INPUT = 2
_STOP_S = 15.0
# Of pytest, which then has run all of them.
SOME_FAILED = 1
# More than these failing is no machine that stood still for a moment.
MOST_SECOND_TRIES = 5

USAGE = """Fat Signal: record DI and amp together, re-amp, judge tone at the source.

  ./fatsignal start     set up what is missing and serve the application; Ctrl-C stops it
  ./fatsignal stop      stop the application that runs
  ./fatsignal worker    render prints for an application that runs, here or elsewhere
  ./fatsignal test      set up what the tests need and run all of them
  ./fatsignal reamp     run dry recordings through a tone
  ./fatsignal analyse   measure the levels of a sound file
  ./fatsignal align     measure delay and polarity between two recordings
  ./fatsignal tones     list the tones
  ./fatsignal tune      list the notes of a recording with their cents
  ./fatsignal noise     tell hum, buzz and hiss apart in a recording
  ./fatsignal chord     how far chord shapes are from pure, and the best re-tuning
  ./fatsignal timing    list the onsets of a recording, early or late against a click
  ./fatsignal stereo    compare two channels: correlation, loss in mono, delay, width, band by band
  ./fatsignal spectrum  measure a sound file in thirds of an octave, also against a reference
  ./fatsignal comb      predict the sum of a sound and its later copy
  ./fatsignal check     check the files of one or several takes: level, timing, pitch, notes, click bleed

Each command explains itself with --help.
"""

_HELP = {
    "start": """./fatsignal start: set up what is missing and serve the application until Ctrl-C or ./fatsignal stop.

  FATSIGNAL_DATA          folder of takes and database (data/ in the project)
  FATSIGNAL_HOST          address to listen on (127.0.0.1)
  FATSIGNAL_PORT          port to listen on (8417)
  FATSIGNAL_DATABASE_URL  a PostgreSQL of your own instead of the one that is started here
""",
    "stop": "./fatsignal stop: end the application that runs in FATSIGNAL_DATA (data/ in the project).\n",
    "worker": """./fatsignal worker: render prints for an application that runs; Ctrl-C ends it.

  FATSIGNAL_DATABASE_URL  the application's database; the one that runs here when left out
  FATSIGNAL_DATA          its data folder, which this machine must see (data/ in the project)
""",
    "test": """./fatsignal test [--long | PYTEST ARGUMENTS]: set up what the tests need and run them.

Without arguments: style, types, the front end's tests and pytest; with arguments pytest alone. --long runs
what goes on for long or tries many random moments, which the plain run leaves out.
""",
}


def main(arguments: list[str]) -> int:
    """Run one command; returns the exit status."""
    if not arguments or arguments[0] in ("-h", "--help", "help"):
        print(USAGE, end="")
        return 0 if arguments else WRONG_INPUT
    command, rest = arguments[0], arguments[1:]
    if command in _HELP and any(flag in rest for flag in ("-h", "--help")):
        print(_HELP[command], end="")
        return 0
    if command in ("start", "stop") and rest:
        print(f"{command} takes no arguments; ./fatsignal {command} --help tells what can be set", file=sys.stderr)
        return WRONG_INPUT
    try:
        match command:
            case "start":
                return start()
            case "stop":
                return stop()
            case "test":
                return test(rest)
            case "worker":
                return worker(rest)
            case (
                "reamp" | "analyse" | "align" | "tones" | "tune" | "noise" | "chord" | "timing" | "check"
                | "stereo" | "spectrum" | "comb"
            ):  # fmt: skip
                set_up_python(for_tests=False)
                called = [str(PYTHON), "-m", "fatsignal.cli", command, *rest]
                return subprocess.run(called, env=_where_it_runs(), check=False).returncode
            case _:
                print(f"there is no command {command!r}; ./fatsignal --help lists them", file=sys.stderr)
                return WRONG_INPUT
    except (SetUpFailed, PostgresFailed) as problem:
        print(str(problem), file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


def data_folder() -> Path:
    return Path(os.environ.get("FATSIGNAL_DATA", ROOT / "data")).resolve()


def start() -> int:
    """Set up, start the database, serve; everything that was started here is stopped at the end."""
    data = data_folder()
    (data / "run").mkdir(parents=True, exist_ok=True)
    with _only_one(data) as alone:
        if not alone:
            running = _server(data)
            where = f" at http://{running['host']}:{running['port']}" if running else ""
            print(f"Fat Signal runs already{where}; ./fatsignal stop ends it")
            return 0
        # The address is told to other starts from here on.
        host = os.environ.get("FATSIGNAL_HOST", "127.0.0.1")
        port = os.environ.get("FATSIGNAL_PORT", "8417")
        note = data / "run" / "server.json"
        note.write_text(json.dumps({"pid": os.getpid(), "host": host, "port": port}))
        try:
            set_up_debian(for_tests=False)
            set_up_python(for_tests=False)
            set_up_pages(for_tests=False)
            return _serve(data)
        finally:
            note.unlink(missing_ok=True)


def _serve(data: Path) -> int:
    own_database = not os.environ.get("FATSIGNAL_DATABASE_URL")
    postgres = Postgres(data / "postgres")
    environment = {**os.environ, "FATSIGNAL_DATA": str(data), **_cache()}
    stopping = False

    def pass_on(number: int, _: object) -> None:
        nonlocal stopping
        stopping = True
        if server is not None:
            with contextlib.suppress(ProcessLookupError):
                server.send_signal(signal.SIGTERM)

    server: subprocess.Popen[bytes] | None = None
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(number, pass_on)
    try:
        if own_database:
            environment["FATSIGNAL_DATABASE_URL"] = postgres.start()
        if stopping:
            return 0
        # A session of its own: Ctrl-C reaches the server through us, once.
        server = subprocess.Popen(
            [str(PYTHON), "-m", "fatsignal.cli", "serve"], env=environment, start_new_session=True
        )
        status = server.wait()
        return 0 if stopping else status
    finally:
        if own_database:
            _wait_for_engine(data)
            postgres.stop()


def _wait_for_engine(data: Path) -> None:
    """The engine closes its files when the application is stopped."""
    deadline = time.monotonic() + _STOP_S
    while (data / "run" / "engine.json").exists() and time.monotonic() < deadline:
        try:
            os.kill(json.loads((data / "run" / "engine.json").read_text())["pid"], 0)
        except (OSError, ValueError, KeyError):
            return
        time.sleep(0.02)


def stop() -> int:
    """Stop the application that runs in the data folder."""
    running = _server(data_folder())
    if running is None:
        print("Fat Signal does not run")
        return 0
    pid = int(running["pid"])
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, signal.SIGTERM)
    deadline = time.monotonic() + 2 * _STOP_S
    while time.monotonic() < deadline:
        try:
            os.kill(pid, 0)
        except ProcessLookupError:
            print("Fat Signal is stopped")
            return 0
        if Path(f"/proc/{pid}/stat").exists() and " Z " in Path(f"/proc/{pid}/stat").read_text():
            print("Fat Signal is stopped")
            return 0
        time.sleep(0.05)
    print(f"process {pid} does not end; look at it by hand", file=sys.stderr)
    return 1


def _where_it_runs() -> dict[str, str]:
    """The environment of a command: where the sessions lie, and the database that runs here where none is set."""
    data = data_folder()
    environment = {**os.environ, "FATSIGNAL_DATA": str(data)}
    postgres = Postgres(data / "postgres")
    if not environment.get("FATSIGNAL_DATABASE_URL") and postgres.running():
        environment["FATSIGNAL_DATABASE_URL"] = postgres.url
    return environment


def worker(rest: list[str]) -> int:
    """Start a worker on the database that is set, or on the one that runs here."""
    set_up_python(for_tests=False)
    environment = {**_where_it_runs(), **_cache()}
    if not environment.get("FATSIGNAL_DATABASE_URL"):
        raise SetUpFailed(
            "no database runs here: start the application first with ./fatsignal start, "
            "or set FATSIGNAL_DATABASE_URL to that of the studio"
        )
    return subprocess.run(
        [str(PYTHON), "-m", "fatsignal.cli", "worker", *rest], env=environment, check=False
    ).returncode


def test(rest: list[str]) -> int:
    """All checks: types and style, the front end's tests, then pytest; arguments go to pytest alone."""
    set_up_debian(for_tests=True)
    set_up_python(for_tests=True)
    set_up_pages(for_tests=True)
    environment = {**os.environ, **_cache()}
    binaries = PYTHON.parent
    steps = []
    if not rest:
        # Two at a time, those that take longest first.
        steps = [
            ("eslint", ["npm", "run", "--silent", "lint"], ROOT / "frontend"),
            # Once, beside what needs none of it, and not by every process of the tests anew.
            ("what the tests share", [str(PYTHON), "-m", "tests.prepare"], ROOT),
            ("mypy", [str(binaries / "mypy")], ROOT),
            ("vitest", ["npm", "run", "--silent", "test"], ROOT / "frontend"),
            ("tsc", ["npm", "run", "--silent", "check"], ROOT / "frontend"),
            ("prettier", ["npm", "run", "--silent", "formatted"], ROOT / "frontend"),
            ("ruff", [str(binaries / "ruff"), "check", "src", "tests", "launcher", "bench"], ROOT),
        ]
    failed = _side_by_side(steps, environment)
    pytest = [str(PYTHON), "-m", "pytest"]
    runs = {"pytest": [*pytest, *(["--long", "-m", "long"] if rest == ["--long"] else rest)]}
    if not rest:
        # In the order of `tests/conftest.py`: at the end nobody waits for a file that began last.
        two = ["-n", "2", "--dist", "loadfile", "--no-loadscope-reorder"]
        in_time = ["-m", "realtime and not alone", *_files_marked("realtime")]
        alone = ["-m", "alone", *_files_marked("alone")]
        runs = {
            "pytest, what counts on no clock": [*pytest, "-m", "not realtime and not alone", *two],
            "pytest, in real time and with pages": [*pytest, *in_time, *two],
            "pytest, alone": [*pytest, *alone],
        }
    second: list[str] = []
    for name, command in runs.items():
        print(f"== {name}", flush=True)
        wrong = _run_tests([*command, *([] if rest else ["--durations", "25"])], environment)
        if wrong == SOME_FAILED and not rest and 0 < len(failed_first := _last_failed()) <= MOST_SECOND_TRIES:
            # A machine that stands still for half a second loses audio, as it should: what failed has a second try.
            print(f"== {name}, what failed once more", flush=True)
            wrong = _run_tests([*pytest, "--last-failed", "--last-failed-no-failures", "none"], environment)
            second += sorted(set(failed_first) - set(_last_failed()))
        if wrong:
            failed.append(name)
    if not rest:
        print(f"== passed at their second try only: {len(second)}")
    for test_id in second:
        print(f"   {test_id}")
    if failed:
        print(f"failed: {', '.join(failed)}", file=sys.stderr)
    return 1 if failed else 0


def _files_marked(mark: str) -> list[str]:
    """Where tests with this mark are: only these files need to be read, which takes ten seconds for all."""
    return sorted(str(path) for path in (ROOT / "tests").rglob("test_*.py") if f"mark.{mark}" in path.read_text())


def _run_tests(command: list[str], environment: dict[str, str]) -> int:
    return subprocess.run(command, cwd=ROOT, env=environment, check=False).returncode


def _last_failed() -> list[str]:
    """Names of the tests that failed when they ran last."""
    try:
        return list(json.loads((ROOT / ".pytest_cache" / "v" / "cache" / "lastfailed").read_text()))
    except (OSError, ValueError):
        return []


def _side_by_side(steps: list[tuple[str, list[str], Path]], environment: dict[str, str]) -> list[str]:
    """Run commands two at a time, each in its folder; what they print comes in their order. Names of what failed."""

    def run(step: tuple[str, list[str], Path]) -> "subprocess.CompletedProcess[str]":
        _, command, folder = step
        return subprocess.run(
            command,
            cwd=folder,
            env=environment,
            check=False,
            text=True,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
        )

    failed = []
    with ThreadPoolExecutor(max_workers=2) as two:
        for (name, _, _), done in zip(steps, two.map(run, steps), strict=True):
            print(f"== {name}\n{done.stdout}", end="", flush=True)
            if done.returncode:
                failed.append(name)
    return failed


def _cache() -> dict[str, str]:
    """Compiled kernels are kept in the project, whoever runs it and wherever the package lies."""
    given = os.environ.get("NUMBA_CACHE_DIR")
    return {"NUMBA_CACHE_DIR": given or str(folder_of_sources())}


def _server(data: Path) -> dict[str, str] | None:
    try:
        note: dict[str, str] = json.loads((data / "run" / "server.json").read_text())
        os.kill(int(note["pid"]), 0)
    except (OSError, ValueError, KeyError):
        return None
    return note


@contextlib.contextmanager
def _only_one(data: Path) -> Iterator[bool]:
    """Whether this is the only start in the data folder; two at once are settled by a lock."""
    with (data / "run" / "start.lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            yield False
            return
        yield True
