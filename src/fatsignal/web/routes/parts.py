"""Parts and their rigs: add, copy, arm, name, and the values of both cords."""

from contextlib import AbstractAsyncContextManager
from typing import Any, Literal
from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.acts.audio_interface import interface_now
from fatsignal.core.instrument.inputs import BOXES, INPUTS, PHANTOM_V
from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.core.mics.microphone import MIC_KINDS, PATTERNS, MicKind
from fatsignal.core.mics.room import ROOMS
from fatsignal.core.mics.sounding import SOUNDING
from fatsignal.core.pitch.chords import Shape, check_shape, parse_frets
from fatsignal.core.pitch.notes import note_name
from fatsignal.errors import ConfirmationRequired, InvalidSetting, NotFound, RollRefused
from fatsignal.jobs.kinds.signal_paths import SIGNAL_PATH_KIND
from fatsignal.rig.interface import INPUTS as INTERFACE_INPUTS
from fatsignal.rig.path_report import ChannelFigures, EarPath, LoadCurve, PathWarning
from fatsignal.rig.setup import AmpUse, RigSetup, check_inputs, standard_rig
from fatsignal.store import history, kits, parts, sessions
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.web.context import EngineDep, Pool, Transaction, WorkQueueDep
from fatsignal.web.presenters.parts import ChordView, PartView, part_view
from fatsignal.web.revisions import IfMatch, check_revision, revision_of

router = APIRouter(prefix="/api", tags=["parts"])


class InstrumentView(BaseModel):
    name: str
    strings: int
    tunings: dict[str, list[int]]
    tuning_notes: dict[str, list[str]]
    pickup: str


class InputKindView(BaseModel):
    kind: Literal["instrument", "microphone", "line"]
    ohm: float
    lowest_gain_db: float
    highest_gain_db: float


class BoxView(BaseModel):
    kind: Literal["none", "passive", "active"]
    ratio: float | None
    input_ohm: float | None
    needs_phantom: bool


class MicKindView(BaseModel):
    """`switchable`: its pattern can be set."""

    kind: str
    title: str
    pattern: str
    switchable: bool
    needs: str
    sensitivity_mv_pa: float


class SoundingView(BaseModel):
    """A speaker in its cabinet, or a guitar; `points` are what places before it are measured from."""

    name: str
    title: str
    points: list[str]


class CheckKindView(BaseModel):
    """A check that a rig can be put to; `needs` is what the player does meanwhile."""

    kind: str
    title: str
    needs: str
    listens: bool


class ChoicesView(BaseModel):
    """Everything that a rig can be made of."""

    instruments: list[InstrumentView]
    inputs: list[InputKindView]
    boxes: list[BoxView]
    mics: list[MicKindView]
    speakers: list[SoundingView]
    patterns: dict[str, float]
    rooms: list[str]
    amps: list[AmpUse]
    interface_inputs: int
    checks: list[CheckKindView]


class NewPart(BaseModel):
    """A part from an instrument, a kit, or as a copy of another part without its takes."""

    name: str = Field(min_length=1, max_length=60)
    instrument: str | None = None
    with_amp: bool = True
    kit_id: UUID | None = None
    copy_of: UUID | None = None


class NewName(BaseModel):
    name: str = Field(min_length=1, max_length=60)


class NewRig(BaseModel):
    rig: RigSetup
    inputs_shared: bool = Field(default=False, description="The person knows that parts share an input.")


class NewChord(BaseModel):
    name: str = Field(min_length=1, max_length=20)
    frets: str = Field(max_length=60, description='As it is written: "x02210", or "8-x-10-9-8-x".')


class NewChords(BaseModel):
    chords: list[NewChord] = Field(max_length=40)


class Turn(BaseModel):
    """Turn a channel's gain by so many decibels."""

    channel: str
    by_db: float = Field(ge=-80, le=80)


class RigView(BaseModel):
    """A rig with all that is computed for it."""

    part_id: UUID
    rig: RigSetup
    revision: str = Field(description="Of the rig: a change of it is sent with it (If-Match).")
    open_notes: list[str]
    channels: list[ChannelFigures]
    curve: LoadCurve
    ears: list[EarPath]
    warnings: list[PathWarning]


@router.get("/rig-choices")
async def choices() -> ChoicesView:
    """Instruments, inputs, boxes, microphones and amps to choose from, and the checks."""
    from fatsignal.acts.checks import CHECKS

    return ChoicesView(
        instruments=[
            InstrumentView(
                name=instrument.name,
                strings=instrument.strings,
                tunings={name: list(notes) for name, notes in instrument.tunings.items()},
                tuning_notes={name: [note_name(n) for n in notes] for name, notes in instrument.tunings.items()},
                pickup=instrument.pickup,
            )
            for instrument in INSTRUMENTS.values()
        ],
        inputs=[
            InputKindView(
                kind=kind, ohm=facts.ohm, lowest_gain_db=facts.lowest_gain_db, highest_gain_db=facts.highest_gain_db
            )
            for kind, facts in INPUTS.items()
        ],
        boxes=[
            BoxView(
                kind=kind,
                ratio=facts.ratio if facts else None,
                input_ohm=facts.input_ohm if facts else None,
                needs_phantom=bool(facts and facts.needs_phantom),
            )
            for kind, facts in BOXES.items()
        ],
        mics=[
            MicKindView(
                kind=name,
                title=kind.title,
                pattern=kind.pattern,
                switchable=kind.switchable,
                sensitivity_mv_pa=1000 * kind.sensitivity_v_pa,
                needs=_needs(kind),
            )
            for name, kind in MIC_KINDS.items()
        ],
        speakers=[
            SoundingView(name=name, title=front.title, points=[point.name for point in front.points])
            for name, front in SOUNDING.items()
        ],
        patterns=PATTERNS,
        rooms=list(ROOMS),
        amps=_amps(),
        interface_inputs=INTERFACE_INPUTS,
        checks=[
            CheckKindView(kind=each.kind, title=each.title, needs=each.needs, listens=each.listens is not None)
            for each in CHECKS.values()
        ],
    )


def _needs(kind: MicKind) -> str:
    if kind.needs_phantom:
        return f"needs {PHANTOM_V:.0f} V"
    return "keep phantom off" if kind.hurt_by_phantom else "needs nothing"


def _amps() -> list[AmpUse]:
    found = {amp.name: amp for name in INSTRUMENTS if (amp := standard_rig(name).amp) is not None}
    return list(found.values())


@router.post("/sessions/{session_id}/parts", status_code=201)
async def add_part(session_id: UUID, new: NewPart, conn: Transaction) -> PartView:
    """Add a part. Its inputs are the free ones where the interface has enough."""
    session = await sessions.get_session(conn, session_id)
    there = await parts.list_parts(conn, session.id)
    chords: list[dict[str, Any]] = []
    monitoring: dict[str, Any] = {}
    if new.copy_of is not None:
        original = await parts.get_part(conn, new.copy_of)
        rig, chords = RigSetup.model_validate(original.rig), original.chords
        monitoring = original.monitoring
    elif new.kit_id is not None:
        kit = await kits.get_kit(conn, new.kit_id)
        rig, monitoring = RigSetup.model_validate(kit.rig), kit.monitoring
    elif new.instrument is not None:
        rig = standard_rig(new.instrument, with_amp=new.with_amp)
    else:
        raise InvalidSetting("a part begins with an instrument, a kit or another part: choose one")
    name = _said(new.name)
    async with history.act(conn, session_id, kind="add part", says=f"{name} added", scope={"part": None}):
        part = await parts.add_part(
            conn, session_id=session_id, name=name, rig=rig.model_dump(mode="json"), written=[],
            armed=not there, chords=chords, monitoring=monitoring,
        )  # fmt: skip
    return part_view(part)


@router.delete("/sessions/{session_id}/parts/{part_id}", status_code=204)
async def remove(session_id: UUID, part_id: UUID, conn: Transaction, engine: EngineDep) -> Response:
    """Remove a part with which nothing was recorded or measured yet."""
    part = await parts.get_part(conn, part_id)
    if part.session_id != session_id:
        raise NotFound("part of this session", part_id)
    if engine.rolling is not None:
        raise RollRefused(f"something rolls: stop it before {part.name} is removed")
    async with history.act(conn, session_id, kind="remove part", says=f"{part.name} removed", scope={"part": None}):
        if await history.holds_something(conn, "part", part_id):
            raise InvalidSetting(
                f"{part.name} holds what was recorded or measured with it, and stays: arm another part to leave it be"
            )
        await parts.remove_part(conn, part_id)
    return Response(status_code=204)


@router.put("/parts/{part_id}/name")
async def rename(part_id: UUID, new: NewName, conn: Transaction) -> PartView:
    """Give a part another name; folders of its takes keep theirs."""
    part = await parts.get_part(conn, part_id)
    scope: history.Scope = {"part": [part_id]}
    says = f"{part.name} renamed to {_said(new.name)}"
    async with history.act(conn, part.session_id, kind="rename part", says=says, scope=scope):
        await parts.rename_part(conn, part_id, _said(new.name))
    return part_view(await parts.get_part(conn, part_id))


@router.post("/sessions/{session_id}/parts/{part_id}/arm", status_code=204)
async def arm(session_id: UUID, part_id: UUID, conn: Transaction) -> Response:
    """Arm a part; the others are disarmed, unless the session arms together."""
    await sessions.get_session(conn, session_id)
    await parts.arm_part(conn, part_id)
    return Response(status_code=204)


@router.delete("/sessions/{session_id}/parts/{part_id}/arm", status_code=204)
async def disarm(session_id: UUID, part_id: UUID, conn: Transaction) -> Response:
    """Disarm a part."""
    await sessions.get_session(conn, session_id)
    await parts.disarm_part(conn, part_id)
    return Response(status_code=204)


@router.get("/parts/{part_id}/rig")
async def rig(part_id: UUID, pool: Pool, queue: WorkQueueDep) -> RigView:
    """Both cords of a part, and what they do to the signal."""
    return await _rig_view(pool, queue, part_id)


@router.put("/parts/{part_id}/rig")
async def set_rig(part_id: UUID, new: NewRig, pool: Pool, queue: WorkQueueDep, seen: IfMatch = None) -> RigView:
    """Change values of a rig. Channels that would share an input are asked about first (409)."""
    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
        clashes = check_inputs([(part.name, new.rig)], inputs=INTERFACE_INPUTS)
        if clashes:
            raise InvalidSetting(clashes[0])
        if not new.inputs_shared:
            await ask_about_inputs(conn, part, new.rig)
        async with _rig_act(conn, part, f"{part.name}: rig changed"):
            # Read again: acts of a session come one after the other, and another may just have changed it.
            now = await parts.get_part(conn, part_id)
            check_revision(seen, revision_of(now.rig), what=f"the rig of {part.name}")
            await parts.set_rig(conn, part_id, new.rig.model_dump(mode="json"))
    return await _rig_view(pool, queue, part_id)


@router.post("/parts/{part_id}/turn")
async def turn(part_id: UUID, wanted: Turn, pool: Pool, queue: WorkQueueDep) -> RigView:
    """Turn one input's gain, as far as it goes."""
    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
        if not (await interface_now(conn)).gains_can_be_set:
            raise InvalidSetting("this interface's gains are turned by hand: turn the knob, then check again")
        async with _rig_act(conn, part, f"{part.name}, {wanted.channel}: gain turned"):
            rig_now = RigSetup.model_validate((await parts.get_part(conn, part_id)).rig)
            turned = rig_now.turned(wanted.channel, wanted.by_db)
            if turned is None:
                raise InvalidSetting(f"{part.name} has no channel {wanted.channel}")
            await parts.set_rig(conn, part_id, turned.model_dump(mode="json"))
    return await _rig_view(pool, queue, part_id)


def _rig_act(conn: Connection, part: Part, says: str) -> AbstractAsyncContextManager[history.Acting]:
    """A change of a rig; quick ones in a row are one."""
    scope: history.Scope = {"part": [part.id]}
    return history.act(conn, part.session_id, kind="rig", says=says, scope=scope, subject=str(part.id))


@router.put("/parts/{part_id}/chords")
async def set_chords(part_id: UUID, new: NewChords, conn: Transaction) -> list[ChordView]:
    """The chord shapes that a part plays."""
    part = await parts.get_part(conn, part_id)
    open_notes = RigSetup.model_validate(part.rig).open_notes
    shapes = [Shape(chord.name.strip(), parse_frets(chord.frets)) for chord in new.chords]
    for shape in shapes:
        check_shape(shape, open_notes)
    scope: history.Scope = {"part": [part_id]}
    async with history.act(conn, part.session_id, kind="chords", says=f"{part.name}: chords changed", scope=scope):
        await parts.set_chords(conn, part_id, [{"name": shape.name, "frets": list(shape.frets)} for shape in shapes])
    return [ChordView(name=shape.name, frets=list(shape.frets)) for shape in shapes]


async def ask_about_inputs(conn: Connection, part: Part, rig_now: RigSetup) -> None:
    """Raise a question where another part that is armed with this one takes the same input."""
    session = await sessions.get_session(conn, part.session_id)
    if not session.arm_together:
        return
    others = [
        (other.name, RigSetup.model_validate(other.rig))
        for other in await parts.list_parts(conn, part.session_id)
        if other.armed and other.id != part.id
    ]
    clashes = check_inputs([*others, (part.name, rig_now)], inputs=INTERFACE_INPUTS)
    if clashes:
        raise ConfirmationRequired(clashes[0])


async def _rig_view(pool: Pool, queue: WorkQueueDep, part_id: UUID) -> RigView:
    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
        session = await sessions.get_session(conn, part.session_id)
        interface = await interface_now(conn)
    rig_now = RigSetup.model_validate(part.rig)
    path = await queue.computed(
        SIGNAL_PATH_KIND,
        {
            "rig": rig_now.model_dump(mode="json"), "interface": interface.model_dump(mode="json"),
            "rate_hz": session.rate_hz,
        },
    )  # fmt: skip
    return RigView(
        part_id=part.id, rig=rig_now, revision=revision_of(part.rig),
        open_notes=[note_name(note) for note in rig_now.open_notes], **path,
    )  # fmt: skip


def _said(name: str) -> str:
    if not name.strip():
        raise InvalidSetting("a part needs a name: type what it plays")
    return name.strip()
