"""Names that only one can have, asked for by many at once."""

from concurrent.futures import ThreadPoolExecutor

import pytest

from fatsignal.files.claims import claim_file, claim_folder, claim_take_folder, highest_take_number


@pytest.mark.parametrize("claim", [claim_folder, claim_file])
def test_twenty_at_once_get_twenty_names(tmp_path, claim):
    with ThreadPoolExecutor(20) as many:
        got = list(many.map(lambda _: claim(tmp_path / "Kiln v1.5.wav"), range(20)))
    assert len(set(got)) == 20
    assert all(path.exists() for path in got)
    first, second = sorted(got, key=lambda path: (len(path.name), path.name))[:2]
    assert first.name == "Kiln v1.5.wav"
    assert second.name == ("Kiln v1.5 (2).wav" if claim is claim_file else "Kiln v1.5.wav (2)")


def test_take_numbers_go_on_from_the_one_asked_for(tmp_path):
    (tmp_path / "Take 07").mkdir()
    with ThreadPoolExecutor(20) as many:
        got = list(many.map(lambda _: claim_take_folder(tmp_path, 6), range(20)))
    assert sorted(number for number, _ in got) == [6, *range(8, 27)]
    assert highest_take_number(tmp_path) == 26


def test_the_highest_number_is_that_of_a_take_not_of_what_looks_like_one(tmp_path):
    for name in ("Take 03", "Take 11", "Take 11 (old)", "Take x", f"Take {10**12}"):
        (tmp_path / name).mkdir()
    assert highest_take_number(tmp_path) == 11
    assert highest_take_number(tmp_path / "nothing here") == 0
