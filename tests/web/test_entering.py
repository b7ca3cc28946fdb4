"""Takes that wait on disk: none leaves the queue because of an error, none holds up another."""

import asyncio
import json
from uuid import uuid4

import pytest

from fatsignal.acts import enter_roll
from fatsignal.store import takes
from tests.seams import Died, Seam, died
from tests.web.studio import at_work


async def test_a_take_that_the_database_refuses_holds_up_no_other(studio):
    """A journal of a part that is not in this database, one that is no journal, then a good one."""
    studio.rolled(1, part_id=uuid4())
    broken = studio.rolled(2)
    (broken / "roll.json").write_text("{")
    studio.rolled(3)
    async with at_work(studio):
        await studio.entered(3)

        async def both_wait():
            return len(studio.entering.waiting) == 2

        await studio.until(both_wait)
        problems = {each.folder.rsplit("/", 1)[1]: each.problem for each in studio.entering.waiting}
        assert "not in this database" in problems["Take 01"]
        assert "cannot be read" in problems["Take 02"]
        assert "untouched" in problems["Take 02"]
    # Both are still there to be tried again, by this server or another.
    assert (studio.settings.sessions_folder / "Song/Baritone/Take 01/roll.json").exists()
    assert (broken / "roll.json").exists()
    # Each is told once, however often it is tried.
    notices = [each.problem for each in studio.told if each.event == "notice"]
    assert sorted(notice.split(" is on disk")[0] for notice in notices) == ["Take 01", "Take 02"]


@pytest.mark.parametrize("passing", [OSError(28, "No space left on device"), MemoryError("no memory")])
async def test_what_passes_is_tried_again_until_it_works(studio, monkeypatch, passing):
    """The waves cannot be written while the disk is full; or there is no memory for a moment."""
    from fatsignal.acts import enter_roll

    survey, tries = enter_roll.survey_roll, []

    def fails_twice(folder, **places):
        tries.append(folder)
        if len(tries) < 3:
            raise passing
        return survey(folder, **places)

    monkeypatch.setattr(enter_roll, "survey_roll", fails_twice)
    studio.rolled(1)
    async with at_work(studio):
        await studio.entered(1)
    assert len(tries) == 3
    assert studio.entering.waiting == []
    assert (studio.settings.sessions_folder / "Song/Baritone/Take 01/take.json").exists()


async def test_what_an_earlier_release_refused_for_good_is_looked_at_again(studio):
    folder = studio.rolled(1)
    (folder / "roll.json").rename(folder / "roll.refused.json")
    async with at_work(studio):
        await studio.entered(1)
    assert not (folder / "roll.refused.json").exists()


async def test_a_take_whose_number_is_in_use_gets_the_next_one(studio):
    """A folder that was put back by hand, beside a take that has its number by now."""
    studio.rolled(1)
    async with at_work(studio):
        await studio.entered(1)
        folder = studio.settings.sessions_folder / "Song/Baritone"
        (folder / "Take 01").rename(folder / "Take 01 (away)")
        studio.rolled(1)
        studio.entering.wake()
        await studio.entered(1, 2)


async def test_trying_again_at_once_is_possible_and_what_was_moved_away_is_forgotten(studio, monkeypatch):
    monkeypatch.setattr("fatsignal.web.entering._RETRY_S", 50.0)
    folder = studio.rolled(1)
    journal = json.loads((folder / "roll.json").read_text())
    (folder / "roll.json").write_text("{")
    async with at_work(studio):

        async def waits():
            return len(studio.entering.waiting) == 1

        await studio.until(waits)
        (folder / "roll.json").write_text(json.dumps(journal))
        studio.entering.try_again()
        await studio.entered(1)


async def test_what_has_no_end_yet_waits_while_something_rolls(studio):
    folder = studio.rolled(1)
    journal = json.loads((folder / "roll.json").read_text())
    (folder / "roll.json").write_text(json.dumps({**journal, "ended": ""}))
    studio.busy = True
    async with at_work(studio):
        await asyncio.sleep(1.0)
        assert await studio.numbers() == []
        studio.busy = False
        studio.entering.wake()
        await studio.entered(1)


SEAMS = [
    Seam("row written, not committed", "fatsignal.store.takes:add_take_numbered", "after"),
    Seam("committed, journal not renamed", "fatsignal.acts.enter_roll:rename_durably", "before"),
    Seam("journal renamed, nobody told", "fatsignal.acts.enter_roll:rename_durably", "after"),
]


@pytest.mark.parametrize("seam", SEAMS, ids=str)
async def test_a_server_that_died_while_it_entered_a_take_enters_it_once(studio, monkeypatch, seam):
    folder = studio.rolled(1)
    places = {"sessions_folder": studio.settings.sessions_folder, "waves_folder": studio.settings.waves_folder}
    measured = enter_roll.measure_roll(folder, **places)
    with monkeypatch.context() as patched:
        seam.set(patched, died)
        with pytest.raises(Died):
            async with studio.pool.connection() as conn:
                await enter_roll.store_roll(conn, measured)
    before = await studio.numbers()
    assert before == ([] if seam is SEAMS[0] else [1])
    async with at_work(studio):

        async def there():
            return await studio.numbers() == [1] and not (folder / "roll.json").exists()

        await studio.until(there)
    assert (folder / "take.json").exists()
    async with studio.pool.connection() as conn:
        (take,) = await takes.list_takes(conn, studio.session.id)
    assert take.id == measured.take.id


async def test_what_was_surveyed_is_surveyed_again_when_a_file_is_another(studio):
    folder = studio.rolled(1)
    before = enter_roll.roll_files(folder)
    assert [name for name, _, _ in before] == ["roll.json", "Baritone 01 - DI.wav", "Baritone 01 - mic A.wav"]
    with (folder / "Baritone 01 - DI.wav").open("ab") as file:
        file.write(bytes(6))
    after = enter_roll.roll_files(folder)
    assert after[1][1] == before[1][1] + 6
    assert after[2] == before[2]
