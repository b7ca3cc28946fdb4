"""What sounds in a range of a part's comp: joined, moved, lifted, turned up or down."""

from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field

from fatsignal.acts.comp import easings, shifts
from fatsignal.acts.comp.close_up import LEAST_MS, MOST_MS, close_up, join_heard, set_join
from fatsignal.acts.comp.edit import sections_at
from fatsignal.acts.part_sound import strokes_as_they_sound
from fatsignal.core.comp.document import Frame
from fatsignal.core.comp.pieces import LARGEST_GAIN_DB
from fatsignal.core.easing.easing import LARGEST_CENTS
from fatsignal.core.material.channels import Wanted
from fatsignal.core.takes.placed_stroke import PlacedStroke
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.shift import parse_shift
from fatsignal.errors import InvalidSetting
from fatsignal.jobs.kinds.judging import STROKES_KIND
from fatsignal.jobs.kinds.leveling import COMP_LEVELS_KIND
from fatsignal.store import parts, sessions
from fatsignal.store.works import Work
from fatsignal.web.context import Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.judged_sections import judged_section, of_what_stays
from fatsignal.web.presenters.comp import CompView, comp_of
from fatsignal.web.presenters.join import JoinCloseUp, join_view
from fatsignal.web.ranges import Range
from fatsignal.web.sounds import PlayingMaterials, StreamedSound, streamed

# More bars than a section has.
_MOST_BARS = 1_000
# Nobody hears so little of a tempo.
_SAME_TEMPO_PERCENT = 0.05

router = APIRouter(prefix="/api/parts/{part_id}/comp", tags=["comp"])


STROKE_BY_STROKE = Field(
    default=False, description="Each stroke by itself; what rings between them is stretched."
)  # fmt: skip


class JoinSound(BaseModel):
    sound: StreamedSound
    from_frame: int
    to_frame: int


class JoinSet(BaseModel):
    """A join at `frame`, and where and how it shall be."""

    frame: Frame
    to_frame: Frame
    ms: float = Field(ge=LEAST_MS, le=MOST_MS, description="Length of the crossfade.")


class Moved(Range):
    """By what is typed, as "12 ms", "-240 samples" or "1/16"."""

    by: str = Field(max_length=40)
    strokes: bool = STROKE_BY_STROKE


class Onto(Range):
    against: Literal["click", "others"]
    percent: float = Field(ge=0, le=100, allow_inf_nan=False)
    strokes: bool = STROKE_BY_STROKE


class Tuned(Range):
    cents: float | None = Field(
        default=None, ge=-LARGEST_CENTS, le=LARGEST_CENTS, allow_inf_nan=False,
        description="Higher than it was played; null: onto the note it is nearest to.",
    )  # fmt: skip
    percent: float = Field(default=100, ge=0, le=100, allow_inf_nan=False, description="Of the way to the note.")


class Lifted(Range):
    """A range of a take, or of what sounds, that shall begin at `at_frame` too."""

    at_frame: Frame
    take_id: UUID | None = Field(default=None, description="None: what sounds there now.")
    under: bool = Field(default=False, description="Where something sounds already, that stays.")
    stretched: bool = Field(default=False, description="To the tempo of where it comes to, if that is another one.")


class TempoThere(BaseModel):
    """How the tempo where something is lifted to is another one than where it was played."""

    percent: float = Field(description="So much faster it is there.")
    says: str = Field(description="Empty where it is the same.")


class Turned(Range):
    by_db: float = Field(ge=-LARGEST_GAIN_DB, le=LARGEST_GAIN_DB, allow_inf_nan=False)


class PieceLevelView(BaseModel):
    """A piece that drops or jumps beside its neighbours."""

    take_id: UUID
    from_frame: int
    to_frame: int
    off_db: float
    says: str


class StrokesView(BaseModel):
    """The strokes of one take in a section, in frames of the session: where they sound, if they do."""

    take_id: UUID
    frames: list[int]
    recorded: list[int] = Field(description="Where each was recorded: that stays, whatever is done to it.")


class MarksView(BaseModel):
    beats: list[int]
    strokes: list[StrokesView]


@router.get("/join")
async def look_closely(part_id: UUID, frame: Frame, conn: Transaction, settings: SettingsDep) -> JoinCloseUp:
    """A join from close up: every channel on both sides, its curves, what is measured, and others to try."""
    return join_view(await close_up(conn, part_id, frame, settings.sessions_folder))


@router.get("/join/sound")
async def hear_join(
    part_id: UUID, frame: Frame, conn: Transaction, settings: SettingsDep, request: Request,
    plain: Annotated[bool, Query(description="Without its fade.")] = False, dry: bool = False,
) -> JoinSound:  # fmt: skip
    """What sounds around a join."""
    wanted = Wanted.heard(dry=dry)
    sound, around = await join_heard(conn, part_id, frame, settings.sessions_folder, plain=plain)
    playing: PlayingMaterials = request.app.state.playing
    playing.keep(sound)
    return JoinSound(
        sound=streamed(sound.material, wanted), from_frame=around.from_frame, to_frame=around.to_frame
    )  # fmt: skip


@router.put("/join")
async def set_a_join(part_id: UUID, wanted: JoinSet, conn: Transaction, settings: SettingsDep) -> CompView:
    """Move a join, and give it a length."""
    await set_join(conn, part_id, wanted.frame, wanted.to_frame, wanted.ms, settings.sessions_folder)
    return await comp_of(conn, part_id)


@router.post("/move")
async def move(part_id: UUID, wanted: Moved, pool: Pool, queue: WorkQueueDep, settings: SettingsDep) -> CompView:
    """Let what sounds in a range come later or earlier, all channels together."""
    shift = parse_shift(wanted.by)
    async with pool.connection() as conn:
        session = await sessions.get_session(conn, (await parts.get_part(conn, part_id)).session_id)
    by_frames = shift.frames_from(wanted.from_frame, session.tempo)
    if by_frames == 0:
        raise InvalidSetting(f'"{wanted.by}" is less than a sample: nothing was moved')
    strokes = await _strokes(part_id, wanted.span, pool, queue) if wanted.strokes else {}
    async with pool.connection() as conn:
        if wanted.strokes:
            await easings.ease(conn, part_id, wanted.span, by_frames, strokes, settings.sessions_folder)
        else:
            await shifts.move(conn, part_id, wanted.span, by_frames, settings.sessions_folder)
        return await comp_of(conn, part_id)


@router.post("/move-back")
async def move_back(part_id: UUID, wanted: Range, conn: Transaction, settings: SettingsDep) -> CompView:
    """Let what sounds in a range lie where it was played."""
    await shifts.move_back(conn, part_id, wanted.span, settings.sessions_folder)
    return await comp_of(conn, part_id)


@router.post("/onto")
async def move_onto(
    part_id: UUID, wanted: Onto, pool: Pool, queue: WorkQueueDep, settings: SettingsDep
) -> CompView:  # fmt: skip
    """Let what sounds in a range lie on the click, or as the other takes play it."""
    strokes = await _strokes(part_id, wanted.span, pool, queue)
    async with pool.connection() as conn:
        onto = easings.ease_onto if wanted.strokes else shifts.move_onto
        await onto(conn, part_id, wanted.span, wanted.against, wanted.percent / 100, strokes, settings.sessions_folder)
        return await comp_of(conn, part_id)


@router.post("/tune")
async def tune(part_id: UUID, wanted: Tuned, pool: Pool, queue: WorkQueueDep, settings: SettingsDep) -> CompView:
    """Let single notes sound higher or lower by cents."""
    strokes = await _strokes(part_id, wanted.span, pool, queue)
    async with pool.connection() as conn:
        await easings.tune(
            conn, part_id, wanted.span, wanted.cents, wanted.percent / 100, strokes, settings.sessions_folder
        )
        return await comp_of(conn, part_id)


@router.get("/lift/tempo")
async def tempo_there(
    part_id: UUID, wanted: Annotated[Range, Query()], at_frame: Frame, conn: Transaction
) -> TempoThere:  # fmt: skip
    """What the tempo is where something would be lifted to, against where it was played."""
    tempo = (await sessions.get_session(conn, (await parts.get_part(conn, part_id)).session_id)).tempo
    there = shifts.by_the_beat(tempo, wanted.from_frame, at_frame, wanted.to_frame) - at_frame
    percent = 100 * (wanted.span.frames / there - 1)
    if abs(percent) < _SAME_TEMPO_PERCENT:
        return TempoThere(percent=0, says="")
    way = "faster" if percent > 0 else "slower"
    return TempoThere(percent=percent, says=f"the song is {abs(percent):.1f} % {way} here")


@router.post("/lift")
async def lift(part_id: UUID, wanted: Lifted, pool: Pool, queue: WorkQueueDep, settings: SettingsDep) -> CompView:
    """Let a copy of a range sound elsewhere."""
    strokes = await _strokes(part_id, wanted.span, pool, queue) if wanted.stretched else None
    async with pool.connection() as conn:
        await shifts.lift(
            conn, part_id, wanted.span, wanted.at_frame, settings.sessions_folder, take_id=wanted.take_id,
            under=wanted.under, strokes=strokes,
        )  # fmt: skip
        return await comp_of(conn, part_id)


@router.post("/turn")
async def turn(part_id: UUID, wanted: Turned, conn: Transaction, settings: SettingsDep) -> CompView:
    """Turn what sounds in a range up or down."""
    await shifts.turn(conn, part_id, wanted.span, wanted.by_db, settings.sessions_folder)
    return await comp_of(conn, part_id)


@router.get("/levels")
async def levels(part_id: UUID, pool: Pool, queue: WorkQueueDep, settings: SettingsDep) -> list[PieceLevelView]:
    """The pieces that drop or jump beside their neighbours, against how the takes go there."""
    from fatsignal.acts.comp.levels import load_levels

    async def asked() -> Work:
        async with pool.connection() as conn:
            loaded = await load_levels(conn, part_id, settings.sessions_folder)
            part = await parts.get_part(conn, part_id)
        return await queue.ask(
            kind=COMP_LEVELS_KIND, fingerprint=loaded.fingerprint(), session_id=part.session_id,
            work_input={"part_id": str(part_id)},
        )  # fmt: skip

    return [PieceLevelView.model_validate(each) for each in await of_what_stays(asked, queue)]


@router.get("/marks")
async def marks(
    part_id: UUID, wanted: Annotated[Range, Query()], pool: Pool, queue: WorkQueueDep
) -> MarksView:  # fmt: skip
    """The beats of the bars that a range lies in, and where the takes are struck there: borders of what is chosen."""
    async with pool.connection() as conn:
        tempo = (await sessions.get_session(conn, (await parts.get_part(conn, part_id)).session_id)).tempo
    first, last = tempo.place_at(wanted.from_frame).bar, tempo.place_at(wanted.to_frame - 1).bar
    found = await _strokes(part_id, wanted.span, pool, queue)
    async with pool.connection() as conn:
        frames = await strokes_as_they_sound(conn, part_id, found, rate_hz=tempo.rate_hz)
    return MarksView(
        beats=[frame for _, _, frame in tempo.beats(first, min(last + 1, first + _MOST_BARS))],
        strokes=[
            StrokesView(take_id=key, frames=frames[key], recorded=[each.frame for each in strokes])
            for key, strokes in found.items()
        ],
    )


async def _strokes(part_id: UUID, span: Window, pool: Pool, queue: WorkQueueDep) -> shifts.Strokes:
    """The strokes of every take in the sections that a range lies in."""
    from fatsignal.acts.comp.strokes import as_placed

    async with pool.connection() as conn:
        near = await sections_at(conn, part_id, span)
    found: dict[UUID, list[PlacedStroke]] = {}
    for section_id in near:
        for take_id, of_take in as_placed(
            await judged_section(pool, queue, part_id, section_id, kind=STROKES_KIND)
        ).items():
            found.setdefault(take_id, []).extend(of_take)
    return found
