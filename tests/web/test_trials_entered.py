"""Trial clips on disk are entered as takes are, whatever happened, and no take has anything of it."""

import json
import shutil
from uuid import uuid4

import numpy as np
import pytest
import soundfile

from fatsignal.engine.recorder import Recorder
from fatsignal.store import history, trials
from tests.engine.sources import Tones, order, part, plan
from tests.signals import FS
from tests.web.studio import ROOM, at_work


def tried(studio, number, *, stop_at=None, lost=None):
    """A trial clip that an engine left in its folder."""
    folder = studio.settings.sessions_folder / studio.session.folder
    asked = order(
        folder, session_id=studio.session.id, plan=plan(play_bar=1, to_bar=2), trial=True,
        parts=[part(folder, part_id=studio.part.id, first_number=number)],
    )  # fmt: skip
    source = Tones(2 * FS, lost=lost)
    recorder = Recorder(asked, source, lambda _: None, free=lambda _: ROOM)
    if stop_at is not None:
        source.on_block = lambda at: at >= stop_at and recorder.stop()
    recorder.run()
    return folder / "Baritone" / f"Trial {number:02d}"


async def clips(studio):
    async with studio.pool.connection() as conn:
        return {trial.number: trial for trial in await trials.list_trials(conn, studio.part.id)}


async def entered(studio, *numbers):
    async def there():
        # A row is seen before entering it is over: the journal goes last, and then it is told.
        told = [each for each in studio.told if each.event == "take"]
        return sorted(await clips(studio)) == [*numbers] and bool(told)

    async with at_work(studio):
        await studio.until(there)
    return await clips(studio)


async def test_it_is_a_clip_with_its_stretch_and_its_rig_and_no_take(studio):
    folder = tried(studio, 1)
    found = (await entered(studio, 1))[1]
    assert await studio.numbers() == []
    assert found.span.frames == FS * 2
    assert [channel.name for channel in found.channels] == ["DI", "mic A"]
    assert found.rig_sheet["mics"][0]["distance_m"] == 0.1
    assert (found.origin, found.said) == ("rolled", "")
    assert not (folder / "roll.json").exists()
    assert json.loads((folder / "take.json").read_text())["trial"] is True
    told = next(each for each in studio.told if each.event == "take")
    assert (told.trial, told.take_id) == (True, found.id)


async def test_what_an_engine_that_died_has_left_is_a_recovered_clip(studio):
    folder = tried(studio, 1)
    journal = json.loads((folder / "roll.json").read_text())
    (folder / "roll.json").write_text(json.dumps({**journal, "ended": ""}))
    path = folder / "Baritone trial 01 - DI.wav"
    samples, rate_hz = soundfile.read(path, dtype="int32")
    soundfile.write(path, samples[: FS // 2], rate_hz, subtype="PCM_24")
    found = (await entered(studio, 1))[1]
    assert (found.origin, found.frames) == ("recovered", FS // 2)
    assert "recovered after a crash" in found.said


async def test_frames_that_the_device_lost_are_told_and_keep_their_place(studio):
    tried(studio, 1, lost={40: 1_000})
    found = (await entered(studio, 1))[1]
    (gap,) = found.gaps
    assert gap.frames == 1_000
    assert "the interface lost" in found.said


async def test_a_number_that_is_taken_gives_the_next_and_a_folder_put_back_is_one(studio):
    folder = tried(studio, 1)
    before = await entered(studio, 1)
    copy = folder.with_name("Trial 09")
    shutil.copytree(folder, copy)
    journal = json.loads((copy / "take.json").read_text())
    (copy / "take.json").rename(copy / "roll.json")
    # The same clip once more: nothing is doubled.
    async with at_work(studio):

        async def is_over():
            return not (copy / "roll.json").exists()

        await studio.until(is_over)
    assert sorted(await clips(studio)) == [1]
    # Another clip under its number gets the next.
    (copy / "take.json").unlink()
    (copy / "roll.json").write_text(json.dumps({**journal, "take_id": str(uuid4())}))
    after = await entered(studio, 1, 2)
    assert after[1] == before[1]


async def test_one_that_went_into_the_bin_is_brought_back_by_undo(studio):
    folder = tried(studio, 1)
    journal = json.loads((folder / "roll.json").read_text())
    (folder / "roll.json").write_text(json.dumps({**journal, "into_bin": True}))
    async with at_work(studio):

        async def binned():
            async with studio.pool.connection() as conn:
                return await trials.list_binned(conn, studio.session.id)

        await studio.until(binned)
    assert await clips(studio) == {}
    async with studio.pool.connection() as conn:
        done = await history.undo(conn, studio.session.id)
    assert done.says == "trial 1 put into the bin"
    assert sorted(await clips(studio)) == [1]


@pytest.mark.parametrize("count", [200])
async def test_two_hundred_clips_are_listed_and_nine_of_them_compared(studio, count):
    """Rows alone: what a list costs does not hang on what was recorded."""
    tried(studio, 1)
    first = (await entered(studio, 1))[1]
    async with studio.pool.connection() as conn:
        for number in range(2, count + 1):
            await trials.add_trial(conn, trials.replace(first, id=uuid4(), number=number))
    found = await clips(studio)
    assert sorted(found) == [*range(1, count + 1)]
    assert len({trial.id for trial in found.values()}) == count
    assert np.all([trial.span == first.span for trial in found.values()])
