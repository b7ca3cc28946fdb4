"""Pitches of a take are read once, and again when what they follow from is another."""

from dataclasses import replace
from datetime import UTC, datetime
from uuid import uuid4

import pytest

from fatsignal.acts.judge_section import Recordings
from fatsignal.core.takes.judge import JudgedTake
from fatsignal.core.takes.notes import listen_to
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.click import ClickSettings
from fatsignal.store.takes import Take, TakeChannel
from tests.engine.sources import TEMPO
from tests.signals import FS, plucks


@pytest.fixture
def take():
    return Take(
        id=uuid4(), part_id=uuid4(), number=1, recorded_at=datetime.now(UTC), rate_hz=FS, from_frame=1000,
        recorded_frame=1000, frames=4 * FS, windows=(Window(1000, 1000 + 4 * FS),), origin="rolled", folder="here",
    )  # fmt: skip


def test_they_are_read_once_for_the_same_place_and_pitch_and_again_for_another(take, tmp_path, monkeypatch):
    analysis, heard = listen_to(plucks(4.0), rate_hz=FS), []

    def heard_out(_, of):
        heard.append(of.from_frame)
        return JudgedTake(analysis, of.from_frame, of.windows)

    monkeypatch.setattr(Recordings, "heard_out", heard_out)
    channel = TakeChannel(position=0, name="DI", kind="di", file="DI.wav", sha256="ab" * 32, checks={})
    recordings = Recordings(tmp_path, tmp_path / "waves", {take.id: [channel]}, TEMPO, ClickSettings(), 440.0)
    first = recordings.pitches(take)
    assert len(first) > 3
    assert recordings.pitches(take) == first
    assert heard == [1000]
    # Moved, its notes lie elsewhere; used in part, there are fewer; against another A they lie otherwise.
    moved = recordings.pitches(replace(take, from_frame=5000, windows=(Window(5000, 5000 + 4 * FS),)))
    assert [note.frame for note in moved] == [note.frame + 4000 for note in first]
    part = recordings.pitches(replace(take, windows=(Window(1000, 1000 + FS),)))
    assert 0 < len(part) < len(first)
    sharper = replace(recordings, reference_hz=442.0).pitches(take)
    assert all(abs(now.cents - note.cents + 7.9) < 0.2 for note, now in zip(first, sharper, strict=True))
    # What is broken on disk is read anew.
    (kept,) = (tmp_path / "waves").glob("*.pitches.json")
    kept.write_text("{")
    assert recordings.pitches(take) == first
