"""What must be installed before the program runs: Debian's packages, Python's, the built front end."""

import hashlib
import os
import shutil
import subprocess
import sys
import venv
from collections.abc import Iterable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
ENVIRONMENT = ROOT / ".venv"
PYTHON = ENVIRONMENT / "bin" / "python"
LOG = ROOT / "build" / "setup.log"
UV_VERSION = "0.13.9"
OLDEST_PYTHON = (3, 11)

RUN_PROGRAMS = {"initdb": "postgresql", "npm": "npm"}
TEST_PROGRAMS = {
    "chromium-headless-shell": "chromium-headless-shell",
    "ngspice": "ngspice",
    "ffmpeg": "ffmpeg",
    "ffprobe": "ffmpeg",
    "flac": "flac",
    "midicsv": "midicsv",
    "cc": "gcc",
}
TEST_FILES = {
    Path("/usr/share/sonic-pi/samples"): "sonic-pi-samples",
    Path("/usr/share/sounds/sf2/FluidR3_GM.sf2"): "fluid-soundfont-gm",
}


class SetUpFailed(Exception):
    """Something is missing and cannot be installed; the sentence says which command would install it."""


def say(line: str) -> None:
    print(f"  {line}", flush=True)


def set_up_python(*, for_tests: bool) -> None:
    """A virtual environment with exactly the locked packages; nothing happens when it is there."""
    if sys.version_info < OLDEST_PYTHON:
        raise SetUpFailed(f"Python {OLDEST_PYTHON[0]}.{OLDEST_PYTHON[1]} or newer is needed; install it and try again")
    test_lock = ROOT / "requirements" / "test.lock"
    lock = test_lock if for_tests else ROOT / "requirements" / "run.lock"
    stamp = ENVIRONMENT / "installed"
    wanted = _digest([lock, ROOT / "pyproject.toml"])
    has = stamp.read_text().split() if stamp.exists() and PYTHON.exists() else []
    # The packages for tests hold those for running.
    if wanted in has or _digest([test_lock, ROOT / "pyproject.toml"]) in has:
        return
    say(f"installing Python packages ({lock.name})")
    if not PYTHON.exists():
        try:
            venv.create(ENVIRONMENT, with_pip=True)
        except (OSError, subprocess.CalledProcessError):
            raise SetUpFailed(
                "Python's venv module is not complete; install it with: apt-get install python3-venv"
            ) from None
    pip = [str(PYTHON), "-m", "pip", "install", "--quiet", "--disable-pip-version-check", f"uv=={UV_VERSION}"]
    _run(pip, "Python's package registry is not reached")
    uv = [str(PYTHON), "-m", "uv", "pip", "install", "--python", str(PYTHON), "--quiet"]
    _run(
        [*uv, "--require-hashes", "--compile-bytecode", "-r", str(lock)],
        "the Python packages could not be installed",
    )
    _run([*uv, "--no-deps", "--editable", str(ROOT)], "the program itself could not be installed")
    stamp.write_text(wanted)


def set_up_debian(*, for_tests: bool) -> None:
    """Debian's packages that are missing, installed where we may, else named with the command."""
    from launcher.postgres import find_binaries

    missing = []
    if find_binaries() is None:
        missing.append("postgresql")
    if shutil.which("npm") is None:
        missing += ["nodejs", "npm"]
    if for_tests:
        missing += [package for program, package in TEST_PROGRAMS.items() if shutil.which(program) is None]
        missing += [package for path, package in TEST_FILES.items() if not _samples_there(path)]
    missing = sorted(set(missing))
    if not missing:
        return
    command = ["apt-get", "install", "-y", "--no-install-recommends", *missing]
    shown = " ".join(["apt-get", "install", *missing])
    if shutil.which("apt-get") is None:
        raise SetUpFailed(f"{', '.join(missing)} must be installed; on Debian: {shown}")
    if os.geteuid() != 0:
        if shutil.which("sudo") is None or subprocess.run(["sudo", "-n", "true"], capture_output=True).returncode:
            raise SetUpFailed(f"{', '.join(missing)} must be installed first: sudo {shown}")
        command = ["sudo", "-n", *command]
    say(f"installing {', '.join(missing)}")
    update = ["sudo", "-n", "apt-get", "update"] if command[0] == "sudo" else ["apt-get", "update"]
    _run(update, "Debian's package registry is not reached")
    _run(command, f"Debian's packages could not be installed; try: {shown}", DEBIAN_FRONTEND="noninteractive")


def set_up_pages(*, for_tests: bool) -> None:
    """Install the front end's packages and build it, when its sources changed."""
    front = ROOT / "frontend"
    modules = front / "node_modules"
    lock_stamp = modules / ".installed"
    lock_digest = _digest([front / "package-lock.json"])
    built_stamp = front / "dist" / ".built"
    sources = [front / "package-lock.json", front / "vite.config.ts", front / "index.html"]
    sources += sorted(path for path in (front / "src").rglob("*") if path.is_file())
    sources += sorted(path for path in (front / "public").rglob("*") if path.is_file())
    wanted = _digest(sources)
    built = built_stamp.exists() and built_stamp.read_text() == wanted
    installed = lock_stamp.exists() and lock_stamp.read_text() == lock_digest
    if built and (installed or not for_tests):
        return
    if not installed:
        say("installing the front end's packages")
        # Not `npm ci`: a lock made where a registry lacks other systems' binaries is refused by it.
        _run(
            ["npm", "install", "--no-save", "--no-audit", "--no-fund", "--loglevel=error"],
            "npm's package registry is not reached", cwd=front,
        )  # fmt: skip
        lock_stamp.write_text(lock_digest)
    if not built:
        say("building the front end")
        _run(["npm", "run", "--silent", "build"], "the front end could not be built", cwd=front)
        built_stamp.write_text(wanted)


def _samples_there(path: Path) -> bool:
    if path.suffix:
        return path.is_file()
    return path.is_dir() or any(Path("/usr/share").glob("sonic-pi*/samples")) or Path("/usr/share/sonic-pi").is_dir()


def _digest(paths: Iterable[Path]) -> str:
    total = hashlib.sha256()
    for path in paths:
        total.update(str(path.relative_to(ROOT)).encode())
        total.update(path.read_bytes())
    return total.hexdigest()[:32]


def _run(command: list[str], otherwise: str, cwd: Path = ROOT, **environment: str) -> None:
    """Run a set-up command; its output goes to a log, of which the end is shown when it fails."""
    LOG.parent.mkdir(parents=True, exist_ok=True)
    with LOG.open("a+") as log:
        log.write(f"\n$ {' '.join(command)}\n")
        log.flush()
        start = log.tell()
        done = subprocess.run(
            command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, cwd=cwd, env={**os.environ, **environment},
            check=False,
        )  # fmt: skip
        if done.returncode:
            log.seek(start)
            tail = [line for line in log.read().splitlines() if line.strip()][-3:]
            raise SetUpFailed(f"{otherwise} (whole log: build/setup.log): {' / '.join(tail)}")
