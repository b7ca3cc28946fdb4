"""Blind tests: beginning one, deciding a round, telling what was behind the letters. A page only shows them."""

import hashlib
import json
import secrets
from collections.abc import Sequence
from pathlib import Path
from uuid import UUID

from fatsignal.acts.bench import things_on_bench, told_of
from fatsignal.core.blind.bench import Round, Tally, deal, tally
from fatsignal.errors import FatSignalError, InvalidSetting, NotFound
from fatsignal.store import blind_tests, comps, parts, sessions, trials
from fatsignal.store.blind_tests import BlindKind, BlindTest
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part


async def begin(
    conn: Connection, part_id: UUID, kind: BlindKind, sounds: Sequence[str], *, sessions_folder: Path
) -> BlindTest:
    """Compare sounds of a part blind: trials, versions of its comp, or by their keys those on its bench.

    Raises
    ------
    InvalidSetting
        If there are fewer than two or more than nine, or one belongs to another part.
    """
    part = await parts.get_part(conn, part_id)
    made_of = ""
    if kind == "tone":
        made_of = await _made_of(conn, part, sounds, sessions_folder)
    else:
        for sound in sounds:
            if await _part_of(conn, kind, _id_of(sound)) != part_id:
                raise InvalidSetting(f"a {kind} of another part cannot be compared with those of {part.name}")
    seed = secrets.randbits(48)
    deal(sounds, seed=seed, number=0)
    return await blind_tests.begin_test(
        conn, session_id=part.session_id, kind=kind, subject_id=part_id, sounds=sounds, seed=seed, made_of=made_of
    )


def _id_of(sound: str) -> UUID:
    try:
        return UUID(sound)
    except ValueError:
        raise InvalidSetting(f"{sound[:40]} is no trial and no version: choose among those that are shown") from None


async def _part_of(conn: Connection, kind: BlindKind, sound: UUID) -> UUID:
    if kind == "trial":
        return (await trials.get_trial(conn, sound)).part_id
    return (await comps.get_comp(conn, sound)).part_id


async def _made_of(conn: Connection, part: Part, keys: Sequence[str], sessions_folder: Path) -> str:
    """The fingerprint of what makes sounds on the bench what they are."""
    session = await sessions.get_session(conn, part.session_id)
    things = await things_on_bench(conn, part, session, sessions_folder)
    lying = {each.key: each for each in things.sounds}
    for key in keys:
        if key not in lying:
            raise NotFound("sound on the bench", key)
    told = [[key, *told_of(things, lying[key])] for key in sorted(keys)]
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()


def dealt(test: BlindTest) -> list[str]:
    """The sounds behind the letters in the round that is on."""
    return list(deal(test.sounds, seed=test.seed, number=len(test.chosen)))


def tally_of(test: BlindTest) -> Tally:
    """What the rounds say until now."""
    names = tuple(test.sounds)
    return tally(names, [Round(names, chosen) for chosen in test.chosen])


async def choose_letter(
    conn: Connection, test_id: UUID, *, number: int, place: int, sessions_folder: Path
) -> BlindTest:
    """Decide round `number`, from 0, for the letter at a place; of two pages that answer one round the first counts.

    Raises
    ------
    InvalidSetting
        If the test is over, there is no such letter, or what is compared was changed since the test began.
    """
    test = await blind_tests.get_test(conn, test_id)
    if test.revealed:
        raise InvalidSetting("this test is over: begin another one")
    if number != len(test.chosen):
        return test
    if test.kind == "tone":
        part = await parts.get_part(conn, test.subject_id)
        try:
            as_it_was = await _made_of(conn, part, test.sounds, sessions_folder) == test.made_of
        except FatSignalError:
            as_it_was = False
        if not as_it_was:
            raise InvalidSetting(
                "what lies on the bench was changed since this test began: reveal it, and begin another one"
            )
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
