"""Files that are written at once."""

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Barrier

import pytest

from fatsignal.files.atomic_write import atomic_write


def test_two_who_write_the_same_file_at_the_same_time_both_get_through(tmp_path: Path) -> None:
    path, together = tmp_path / "kept.npz", Barrier(2)

    def write(text: str) -> None:
        with atomic_write(path) as partial:
            partial.write_text(text)
            together.wait(timeout=5)

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(write, ["one", "two"]))
    assert path.read_text() in ("one", "two")
    assert list(tmp_path.iterdir()) == [path]


def test_what_fails_leaves_the_file_as_it_was_and_nothing_beside_it(tmp_path: Path) -> None:
    path = tmp_path / "kept.json"
    path.write_text("before")

    def fail() -> None:
        with atomic_write(path) as partial:
            partial.write_text("half")
            raise OSError("full")

    with pytest.raises(OSError, match="full"):
        fail()
    assert path.read_text() == "before"
    assert list(tmp_path.iterdir()) == [path]
