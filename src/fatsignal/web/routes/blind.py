"""The blind bench: sounds under letters that are dealt anew in each round; kept by the server, whatever page asks."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fatsignal.acts.blind import begin, choose_letter, dealt, reveal, tally_of
from fatsignal.core.blind.bench import LETTERS, MOST, rounds_needed
from fatsignal.errors import InvalidSetting
from fatsignal.store import blind_tests
from fatsignal.store.blind_tests import BlindKind, BlindTest
from fatsignal.web.context import EngineDep, SettingsDep, Transaction

router = APIRouter(prefix="/api", tags=["blind bench"])


class NewBlindTest(BaseModel):
    kind: BlindKind = "trial"
    sounds: list[Annotated[str, Field(max_length=80)]] = Field(
        min_length=1, max_length=MOST, description="Ids of trials or versions, or keys of sounds on the bench."
    )


class Decided(BaseModel):
    number: int = Field(ge=0, description="Of the round that is decided, from 0.")
    letter: str = Field(pattern=r"^[A-I]$")


class CountView(BaseModel):
    sound: str
    count: int


class BlindTestView(BaseModel):
    """`dealt` are the sounds behind the letters of this round, to be played and not to be shown."""

    id: UUID
    kind: BlindKind
    round: int = Field(description="From 0.")
    letters: list[str]
    dealt: list[str]
    decided: int
    enough: int = Field(description="The fewest rounds that can tell anything.")
    revealed: bool
    counts: list[CountView] = Field(description="Once it is revealed, the most chosen first.")
    favourite: str | None
    chance: float | None
    says: str


@router.post("/parts/{part_id}/blind-tests", status_code=201)
async def begin_test(
    part_id: UUID, new: NewBlindTest, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> BlindTestView:
    """Begin to compare trial clips of a part, versions of its comp, or what lies on its bench, blind."""
    if new.kind == "tone" and not set(new.sounds) <= set(engine.bench_gains.get(part_id, {})):
        raise InvalidSetting("how loud the sounds are is still measured, so that none is louder: wait a moment")
    return _view(await begin(conn, part_id, new.kind, new.sounds, sessions_folder=settings.sessions_folder))


@router.get("/parts/{part_id}/blind-tests/newest")
async def newest(part_id: UUID, conn: Transaction, kind: BlindKind = "trial") -> BlindTestView | None:
    """The last test of a part's clips, versions or bench, over or not; null where there was none."""
    found = await blind_tests.newest_test(conn, kind, part_id)
    return _view(found) if found else None


@router.post("/blind-tests/{test_id}/choose")
async def choose(test_id: UUID, decided: Decided, conn: Transaction, settings: SettingsDep) -> BlindTestView:
    """Decide the round that is on for a letter; the letters are dealt anew."""
    place = LETTERS.index(decided.letter)
    chosen = await choose_letter(
        conn, test_id, number=decided.number, place=place, sessions_folder=settings.sessions_folder
    )
    return _view(chosen)


@router.post("/blind-tests/{test_id}/reveal")
async def tell(test_id: UUID, conn: Transaction) -> BlindTestView:
    """Tell what was behind the letters, and what the choices are worth."""
    return _view(await reveal(conn, test_id))


def _view(test: BlindTest) -> BlindTestView:
    found = tally_of(test)
    shown = test.revealed
    return BlindTestView(
        id=test.id, kind=test.kind, round=len(test.chosen), letters=list(LETTERS[: len(test.sounds)]),
        dealt=dealt(test), decided=len(test.chosen), enough=rounds_needed(len(test.sounds)), revealed=shown,
        counts=[CountView(sound=sound, count=count) for sound, count in found.counts] if shown else [],
        favourite=found.favourite if shown else None,
        chance=found.chance if shown else None, says=found.says if shown else "",
    )  # fmt: skip
