"""What can be computed again is kept small, and whoever reads it reads on."""

import os

from fatsignal.files.kept import forget_oldest


def test_the_oldest_go_until_the_rest_fits_and_the_newest_stays(tmp_path):
    for age, size in enumerate((400, 300, 200, 100)):
        path = tmp_path / f"{age}"
        path.write_bytes(bytes(size))
        os.utime(path, ns=(10**9 * (100 - age), 10**9 * (100 - age)))
    with (tmp_path / "3").open("rb") as reading:
        forget_oldest(tmp_path, most_bytes=700)
        assert sorted(path.name for path in tmp_path.iterdir()) == ["0", "1"]
        assert len(reading.read()) == 100
    # One that is larger than all of the room is what was just made.
    forget_oldest(tmp_path, most_bytes=10)
    assert [path.name for path in tmp_path.iterdir()] == ["0"]
