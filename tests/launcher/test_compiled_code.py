"""Machine code is kept for the sources that it was made of, and for no others."""

import os

from launcher.compiled_code import folder_of_sources


def test_a_changed_source_has_a_folder_of_its_own_and_the_oldest_goes(tmp_path):
    sources, kept = tmp_path / "core", tmp_path / "kept"
    (sources / "tone").mkdir(parents=True)
    (sources / "loop.py").write_text("calls = 1")
    called = sources / "tone" / "called.py"
    called.write_text("what = 1")
    first = folder_of_sources(sources, kept)
    assert folder_of_sources(sources, kept) == first
    folders = [first]
    for number in range(2, 5):
        called.write_text(f"what = {number}")
        folders.append(folder_of_sources(sources, kept))
        os.utime(folders[-1], (number, number))
    assert len(set(folders)) == 4
    assert not folders[1].exists()
    called.write_text("what = 1")
    assert folder_of_sources(sources, kept) == first
    assert sum(1 for _ in kept.iterdir()) <= 3
