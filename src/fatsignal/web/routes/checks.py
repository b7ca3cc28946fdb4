"""Checks of a rig: listen, measure, keep what was found; and the chords, which need no listening."""

from datetime import datetime
from typing import Annotated, Any
from uuid import UUID, uuid4

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from fatsignal.acts.audio_interface import interface_now
from fatsignal.core.pitch.chords import Shape, ShapeReport, best_compromise, parse_frets, report_shape
from fatsignal.core.pitch.notes import note_name
from fatsignal.core.verdict import Verdict
from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.rig.setup import RigSetup
from fatsignal.store import history, parts, rig_checks, sessions
from fatsignal.web.capture_follow_up import LISTENED
from fatsignal.web.context import EngineDep, SettingsDep, Transaction

router = APIRouter(prefix="/api", tags=["checks"])


class CheckView(BaseModel, from_attributes=True):
    """The newest check of a kind; `result` holds all figures (null: silence)."""

    id: UUID
    kind: str
    verdict: Verdict
    says: str
    result: dict[str, Any]
    made_at: datetime


class ChordAsk(BaseModel):
    """Shapes to look at; without any, the part's own. `offsets_cents` re-tunes each string from the lowest."""

    shapes: list[str] = Field(default_factory=list, max_length=40)
    offsets_cents: list[float] = Field(default_factory=list, max_length=12)
    left_alone: list[int] = Field(default_factory=list, max_length=12, description="Strings to leave, from 0.")


class ChordsView(BaseModel):
    """Each chord as it is tuned, and as the best compromise would have it."""

    open_notes: list[str]
    offsets_cents: list[float]
    shapes: list[ShapeReport]
    compromise_cents: list[float]
    compromise: list[ShapeReport]
    clash_cents: float
    compromise_clash_cents: float


class Retune(BaseModel):
    offsets_cents: list[float] = Field(max_length=12)


@router.get("/parts/{part_id}/checks")
async def all_checks(part_id: UUID, conn: Transaction) -> list[CheckView]:
    """The newest check of each kind; what needs no listening is computed."""
    from fatsignal.acts.checks import CHECKS

    part = await parts.get_part(conn, part_id)
    found = [CheckView.model_validate(check) for check in await rig_checks.newest_checks(conn, part_id)]
    now = datetime.now().astimezone()
    computed = [(each.kind, each.now(part)) for each in CHECKS.values()]
    return found + [
        CheckView(id=part.id, kind=kind, verdict=each.verdict, says=each.says, result=each.result, made_at=now)
        for kind, each in computed
        if each is not None
    ]


@router.post("/parts/{part_id}/checks/{kind}", status_code=201)
async def check(
    part_id: UUID,
    kind: str,
    conn: Transaction,
    settings: SettingsDep,
    engine: EngineDep,
    seconds: Annotated[float | None, Query(ge=2, le=600, description="How long to listen.")] = None,
) -> Response:
    """Listen to the rig; what was found is told to open pages, and kept."""
    from fatsignal.acts.checks import CHECKS
    from fatsignal.acts.checks.run import playing_levels_dbfs
    from fatsignal.acts.listen_order import check_order

    wanted = CHECKS.get(kind)
    if wanted is None or wanted.listens is None:
        raise NotFound("check that listens", kind)
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    listen_id = uuid4()
    order = check_order(
        session, part, wanted, listen_id=listen_id, folder=settings.run_folder / LISTENED / str(listen_id),
        seconds=seconds, seed=listen_id.int & 0x7FFFFFFF, interface=await interface_now(conn), speed=settings.rig_speed,
    )  # fmt: skip
    await engine.listening.listen(order, playing_dbfs=await playing_levels_dbfs(conn, part_id))
    return Response(status_code=201)


@router.delete("/checks", status_code=204)
async def stop(engine: EngineDep) -> Response:
    """Stop listening; what was heard until then is measured."""
    await engine.stop()
    return Response(status_code=204)


@router.post("/parts/{part_id}/chords/check")
async def check_chords(part_id: UUID, ask: ChordAsk, conn: Transaction) -> ChordsView:
    """Every interval of the chords: cents from pure and beats; and the re-tuning that suits them all best."""
    from fatsignal.acts.checks.chords import mean_clash_cents, own_shapes

    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    rig = RigSetup.model_validate(part.rig)
    shapes = [Shape(typed.strip(), parse_frets(typed)) for typed in ask.shapes] or own_shapes(part)
    if not shapes:
        raise InvalidSetting("no chord is listed: add the chords of the song first, as in x02210")
    offsets = ask.offsets_cents or list(rig.string_offsets_cents) or [0.0] * len(rig.open_notes)
    if len(offsets) != len(rig.open_notes):
        raise InvalidSetting(f"an offset for each of the {len(rig.open_notes)} strings is needed")
    pitch_hz = float(session.reference_pitch_hz)
    now = [report_shape(shape, rig.open_notes, offsets_cents=offsets, reference_pitch_hz=pitch_hz) for shape in shapes]
    best = best_compromise(shapes, rig.open_notes, left_alone=ask.left_alone, reference_pitch_hz=pitch_hz)
    return ChordsView(
        open_notes=[note_name(note) for note in rig.open_notes],
        offsets_cents=offsets,
        shapes=now,
        compromise_cents=[round(cents, 2) for cents in best.offsets_cents],
        compromise=best.after,
        clash_cents=mean_clash_cents(now),
        compromise_clash_cents=mean_clash_cents(best.after),
    )


@router.put("/parts/{part_id}/tuning-offsets")
async def give_to_tuner(part_id: UUID, retune: Retune, conn: Transaction) -> list[float]:
    """Give the tuner re-tuned targets: cents for each string, an empty list for none."""
    part = await parts.get_part(conn, part_id)
    rig = RigSetup.model_validate(part.rig)
    if retune.offsets_cents and len(retune.offsets_cents) != len(rig.open_notes):
        raise InvalidSetting(f"an offset for each of the {len(rig.open_notes)} strings is needed")
    if any(abs(cents) > 100 for cents in retune.offsets_cents):
        raise InvalidSetting("a string is moved by up to 100 cents: choose another tuning instead")
    scope: history.Scope = {"part": [part_id]}
    async with history.act(conn, part.session_id, kind="retune", says=f"{part.name}: strings re-tuned", scope=scope):
        rig = RigSetup.model_validate((await parts.get_part(conn, part_id)).rig)
        changed = rig.model_copy(update={"string_offsets_cents": tuple(retune.offsets_cents)})
        await parts.set_rig(conn, part_id, changed.model_dump(mode="json"))
    return retune.offsets_cents
