"""Blind tests: beginning one, deciding a round, telling what was behind the letters. A page only shows them."""

import secrets
from collections.abc import Sequence
from uuid import UUID

from fatsignal.core.blind.bench import Round, Tally, deal, tally
from fatsignal.errors import InvalidSetting
from fatsignal.store import blind_tests, comps, parts, trials
from fatsignal.store.blind_tests import BlindKind, BlindTest
from fatsignal.store.database import Connection


async def begin(conn: Connection, part_id: UUID, kind: BlindKind, sounds: Sequence[UUID]) -> BlindTest:
    """Compare sounds of a part blind.

    Raises
    ------
    InvalidSetting
        If there are fewer than two or more than nine, or one belongs to another part.
    """
    part = await parts.get_part(conn, part_id)
    for sound in sounds:
        if await _part_of(conn, kind, sound) != part_id:
            raise InvalidSetting(f"a {kind} of another part cannot be compared with those of {part.name}")
    seed = secrets.randbits(48)
    deal([str(each) for each in sounds], seed=seed, number=0)
    return await blind_tests.begin_test(
        conn, session_id=part.session_id, kind=kind, subject_id=part_id, sounds=sounds, seed=seed
    )


async def _part_of(conn: Connection, kind: BlindKind, sound: UUID) -> UUID:
    if kind == "trial":
        return (await trials.get_trial(conn, sound)).part_id
    return (await comps.get_comp(conn, sound)).part_id


def dealt(test: BlindTest) -> list[UUID]:
    """The sounds behind the letters in the round that is on."""
    order = deal([str(each) for each in test.sounds], seed=test.seed, number=len(test.chosen))
    return [UUID(each) for each in order]


def tally_of(test: BlindTest) -> Tally:
    """What the rounds say until now."""
    names = [str(each) for each in test.sounds]
    return tally(names, [Round(tuple(names), str(chosen)) for chosen in test.chosen])


async def choose_letter(conn: Connection, test_id: UUID, *, number: int, place: int) -> BlindTest:
    """Decide round `number`, from 0, for the letter at a place; of two pages that answer one round the first counts.

    Raises
    ------
    InvalidSetting
        If the test is over, or there is no such letter.
    """
    test = await blind_tests.get_test(conn, test_id)
    if test.revealed:
        raise InvalidSetting("this test is over: begin another one")
    if number != len(test.chosen):
        return test
    order = dealt(test)
    if not 0 <= place < len(order):
        raise InvalidSetting(f"there are {len(order)} letters: choose one of them")
    await blind_tests.choose(conn, test_id, order[place])
    return await blind_tests.get_test(conn, test_id)


async def reveal(conn: Connection, test_id: UUID) -> BlindTest:
    """Tell what was behind the letters."""
    await blind_tests.get_test(conn, test_id)
    await blind_tests.reveal(conn, test_id)
    return await blind_tests.get_test(conn, test_id)
