"""Machine code that several processes keep at once: each variant stays its own."""

import multiprocessing
import time

import pytest
from numba.core.caching import IndexDataCacheFile

import fatsignal.core.compiled  # noqa: F401  # what is held here

VARIANTS = ["float32", "float64", "int32", "int64"]


class Slow(IndexDataCacheFile):
    """Others have time between the reading of the index and its writing."""

    def _save_index(self, overloads):
        time.sleep(0.05)
        super()._save_index(overloads)


def keep(folder, variant, ready):
    ready.wait()
    Slow(str(folder), "loop", "stamp").save(variant, f"code for {variant}")


@pytest.mark.parametrize("attempt", range(3))
def test_variants_that_are_kept_at_once_do_not_take_each_others_place(tmp_path, attempt):
    context = multiprocessing.get_context("fork")
    ready = context.Barrier(len(VARIANTS))
    keeping = [context.Process(target=keep, args=(tmp_path, variant, ready)) for variant in VARIANTS]
    for process in keeping:
        process.start()
    for process in keeping:
        process.join()
    kept = IndexDataCacheFile(str(tmp_path), "loop", "stamp")
    assert {variant: kept.load(variant) for variant in VARIANTS} == {each: f"code for {each}" for each in VARIANTS}


def test_a_folder_that_takes_no_lock_is_read_all_the_same(tmp_path):
    IndexDataCacheFile(str(tmp_path), "loop", "stamp").save("float64", "code")
    (tmp_path / "lock").unlink()
    (tmp_path / "lock").mkdir()
    assert IndexDataCacheFile(str(tmp_path), "loop", "stamp").load("float64") == "code"
