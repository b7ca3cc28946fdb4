"""Prints get names that tell them apart, and nothing that is there is ever replaced."""

import multiprocessing
import signal
from datetime import UTC, datetime
from types import SimpleNamespace
from uuid import uuid4

import pytest
import soundfile

from fatsignal.acts.dry_sound import DrySound
from fatsignal.acts.render_print import ToPrint, render_print
from fatsignal.core.tone.print_settings import PrintSettings
from fatsignal.core.tone.voltage import UNKNOWN
from fatsignal.files.claims import place_file
from fatsignal.tones import find_tone
from tests.files.test_material_files import on_disk, recorded
from tests.seams import Seam, killed

# A take's own time: it stands in every print of it, however often that is made.
PLAYED_AT = datetime(2026, 1, 31, 21, 30, tzinfo=UTC)


def dry(recorded):
    return DrySound(recorded, UNKNOWN, None, recorded.material.fingerprint)


def rendered(tmp_path, tone_name, revision, drive, name="Baritone 03", print_id=None, holder="h"):
    source, file, _ = recorded(tmp_path, 6_000, f"{uuid4()}.wav", seed=5)
    tone = find_tone("Pale Lamp").model_dump(mode="json")
    tone["name"] = tone_name
    tone["blocks"] = [{"kind": "trim", "gain_db": drive}]
    what = on_disk(source, file)
    return render_print(
        ToPrint(dry(what), what.material.span, name, PLAYED_AT),
        SimpleNamespace(document=tone, name=tone_name, revision=revision, fingerprint=f"{drive}"),
        PrintSettings(), print_id=print_id or uuid4(), holder=holder, folder=tmp_path / "Prints",
        sessions_folder=tmp_path, waves_folder=tmp_path / "waves", on_progress=lambda *_: None,
    )  # fmt: skip


@pytest.mark.parametrize(
    "names",
    [
        ("Crunch?", "Crunch:", "Crunch"),
        tuple(f"A very long name of a tone that says whatever it can be {end}" for end in "abc"),
    ],
)
def test_tones_whose_names_become_one_as_file_names_have_prints_of_their_own(tmp_path, names):
    made = [rendered(tmp_path, name, 1, -20 - 3 * number) for number, name in enumerate(names)]
    assert len({each.file for each in made}) == len(names)
    peaks = [max(abs(soundfile.read(tmp_path / each.file)[0])) for each in made]
    assert peaks == sorted(peaks, reverse=True)
    assert len(set(peaks)) == len(names)


def test_revisions_of_a_tone_with_a_long_name_are_told_by_their_numbers(tmp_path):
    part = "Baritone, the second of two, left 03"
    made = [rendered(tmp_path, "Long " * 11, revision, -revision, name=part) for revision in (1, 2, 13)]
    assert [each.file.rsplit(" ", 1)[1] for each in made] == ["r1.wav", "r2.wav", "r13.wav"]
    assert all(len(each.file.removeprefix("Prints/")) <= 84 for each in made)


def test_the_same_bytes_placed_again_are_one_file_and_others_are_never_replaced(tmp_path):
    for content, expected in ((b"one", "p.wav"), (b"one", "p.wav"), (b"two", "p (2).wav"), (b"one", "p.wav")):
        partial = tmp_path / "partial"
        partial.write_bytes(content)
        placed = place_file(partial, tmp_path / "p.wav")
        assert (placed.name, placed.read_bytes()) == (expected, content)
        assert not partial.exists()


def test_a_drive_without_second_names_places_files_all_the_same(tmp_path, monkeypatch):
    import errno
    import os

    def refuses(*_):
        raise OSError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(os, "link", refuses)
    for number in (1, 2):
        partial = tmp_path / "partial"
        partial.write_bytes(b"%d" % number)
        place_file(partial, tmp_path / "p.wav")
    assert (tmp_path / "p.wav").read_bytes() == b"1"
    assert (tmp_path / "p (2).wav").read_bytes() == b"2"


def test_a_rendering_that_is_stopped_leaves_no_file(tmp_path):
    class Stop(Exception):
        pass

    def stops(share, _):
        raise Stop

    source, file, _ = recorded(tmp_path, 60_000)
    what = on_disk(source, file)
    tone = find_tone("Kiln")
    with pytest.raises(Stop):
        render_print(
            ToPrint(dry(what), what.material.span, "Baritone 03", datetime.now(UTC)),
            SimpleNamespace(document=tone.model_dump(mode="json"), name="Kiln", revision=1, fingerprint="x"),
            PrintSettings(), print_id=uuid4(), holder="h", folder=tmp_path / "Prints", sessions_folder=tmp_path,
            waves_folder=tmp_path / "waves", on_progress=stops,
        )  # fmt: skip
    assert list((tmp_path / "Prints").iterdir()) == []


@pytest.mark.parametrize(
    "seam",
    [
        Seam("rendered, not measured", "fatsignal.acts.render_print:sha256_of"),
        Seam("measured, without its name", "fatsignal.acts.render_print:place_file"),
        Seam("named, not kept", "fatsignal.acts.render_print:place_file", "after"),
    ],
    ids=str,
)
def test_a_worker_that_died_while_it_printed_leaves_nothing_but_the_print_that_is_made_again(
    tmp_path, tmp_path_factory, monkeypatch, seam
):
    print_id = uuid4()
    # What is compiled is there in the child too.
    rendered(tmp_path_factory.mktemp("warm"), "Warm", 1, -10)

    def print_it(holder):
        return rendered(tmp_path, "Crunch", 1, -20, print_id=print_id, holder=holder)

    with monkeypatch.context() as patched:
        seam.set(patched, killed)
        doomed = multiprocessing.get_context("fork").Process(target=print_it, args=("first",))
        doomed.start()
    doomed.join(timeout=30)
    assert doomed.exitcode == -signal.SIGKILL
    made = print_it("second")
    files = sorted(path.name for path in (tmp_path / "Prints").iterdir())
    assert files == [made.file.removeprefix("Prints/")]
    assert soundfile.info(tmp_path / made.file).frames == made.frames == 6_000
