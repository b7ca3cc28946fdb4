"""The bench of a part: a tone is worked out on a dry source that goes round and round."""

import asyncio
from dataclasses import replace
from typing import Annotated, Any, Literal
from uuid import UUID, uuid4

from fastapi import APIRouter, Body, Response, UploadFile
from pydantic import BaseModel, Field

from fatsignal.acts.bench import REFERENCE, BenchThings, SoundOnBench, bench_of, things_on_bench, told_of
from fatsignal.acts.bench_match import driven_as, turned_to
from fatsignal.acts.reference_sound import import_reference
from fatsignal.core.tone.document import parse_tone
from fatsignal.core.tone.edits import ToneEdit, edited
from fatsignal.core.tone.instruments import For
from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.jobs.kinds.benching import BENCH_KIND
from fatsignal.jobs.kinds.drive_matching import DRIVE_MATCH_KIND
from fatsignal.store import benches, di_voltages, history, parts, reference_sounds, sessions, takes, tones
from fatsignal.store.benches import Bench
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.web.bench_sounding import plays_through_bench, sound, sound_again
from fatsignal.web.context import EngineDep, Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.presenters.bench import BenchView, MeasuredView, bench_view, measured_view
from fatsignal.web.presenters.curves import CurveView, curves_of
from fatsignal.web.revisions import IfMatch, check_revision, revision_of
from fatsignal.web.sound_files import received

router = APIRouter(prefix="/api/parts/{part_id}/bench", tags=["bench"])

MOST_BESIDE = 8


class NewSource(BaseModel):
    """What goes round: a take, a version of the comp, or null for what the part sounds like; and which bars of it."""

    material_id: UUID | None = None
    from_bar: int | None = Field(default=None, ge=-1000, le=100_000)
    to_bar: int | None = Field(default=None, ge=-1000, le=100_000, description="The bar at which it comes round.")


class Voltage(BaseModel):
    full_scale_v: float | None = Field(ge=0.001, le=500, description="Null: as the rig sheet tells, or as it plays.")


class TakenUp(BaseModel):
    """A tone that is laid on the bench in the place of what lies there: a kept revision, or what was put aside."""

    tone_revision_id: UUID | None = None
    aside: Literal["A", "B"] | None = None


class Aside(BaseModel):
    letter: Literal["A", "B"]


class Beside(BaseModel):
    keys: list[Annotated[str, Field(pattern=r"^(revision|print|file):[0-9a-f-]{36}$")]] = Field(max_length=MOST_BESIDE)


class Heard(BaseModel):
    key: str = Field(max_length=80)


class Matching(Heard):
    """What of it is to be as that of a sound."""

    what: Literal["balance", "drive"] = "balance"


class Keeping(BaseModel):
    name: str = Field(min_length=1, max_length=60)
    use: str = Field(default="", max_length=120)
    instruments: list[For] = Field(default=[], max_length=4)


class MatchedView(BaseModel):
    """The bench after a match, and how near it came."""

    bench: BenchView
    says: str


class Started(BaseModel):
    """Where in the song the loop starts; null: where it begins."""

    from_frame: int | None = None


@router.get("")
async def look(part_id: UUID, conn: Transaction, settings: SettingsDep) -> BenchView:
    """What lies on the bench, and what can be heard there."""
    return await _shown(conn, part_id, settings)


@router.post("/edits")
async def edit(
    part_id: UUID, wanted: Annotated[ToneEdit, Body()], pool: Pool, settings: SettingsDep, engine: EngineDep,
    seen: IfMatch = None,
) -> BenchView:  # fmt: skip
    """Turn a value; add, move, copy, bypass, remove a block. It is heard before it is answered."""
    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
        bench = await _laid(conn, part)
        if wanted.do == "set":
            # Heard before it is kept: the act takes its time, and reads again what there is.
            turned, _ = edited(bench.tone, wanted)
            await engine.turn(part_id, turned, live=plays_through_bench(part))
        async with history.act(
            conn, part.session_id, kind="tone", says="", scope={"bench": [part_id]},
            subject=f"{part_id} {wanted.subject}" if wanted.subject else "",
        ) as acting:  # fmt: skip
            # Read within the act: two pages that turn at once each turn what there is.
            bench = await bench_of(conn, part)
            if wanted.do != "set":
                check_revision(seen, _revision(bench), what=f"the tone on the bench of {part.name}")
            tone, what = edited(bench.tone, wanted)
            acting.says = f"{tone.name}, {what}"
            await benches.set_bench(conn, replace(bench, document=tone.model_dump(mode="json")))
        if wanted.do != "set":
            await engine.turn(part_id, tone, live=plays_through_bench(part))
        return await _shown(conn, part_id, settings)


@router.put("/source")
async def set_source(
    part_id: UUID, wanted: NewSource, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> BenchView:
    """Another dry source, or other bars of it."""
    part, session = await _part(conn, part_id)
    if (wanted.from_bar is None) != (wanted.to_bar is None):
        raise InvalidSetting("bars are a first one and the one at which it comes round: give both, or neither")
    if wanted.from_bar is not None and wanted.to_bar is not None and wanted.to_bar <= wanted.from_bar:
        raise InvalidSetting("the bars end before they begin: the second comes after the first")
    bench = await _laid(conn, part)
    laid = replace(bench, material_id=wanted.material_id, from_bar=wanted.from_bar, to_bar=wanted.to_bar)
    await things_on_bench(conn, part, session, settings.sessions_folder, bench=laid)
    async with _acting(conn, part, "what goes round changed", subject=f"{part_id} source"):
        await benches.set_bench(conn, laid)
    await sound_again(conn, part, session, settings, engine)
    return await _shown(conn, part_id, settings)


@router.put("/voltage")
async def set_voltage(
    part_id: UUID, wanted: Voltage, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> BenchView:
    """What the DI of the takes that go round stands for, where a person knows better."""
    part, session = await _part(conn, part_id)
    things = await things_on_bench(conn, part, session, settings.sessions_folder)
    found = await takes.takes_by_id(conn, [source.id for source in things.dry.recorded.material.sources])
    if not found:
        raise InvalidSetting("the voltage is a take's: choose a take, and type it there")
    says = f"{part.name}: voltage of the DI changed"
    scope: history.Scope = {"take": list(found)}
    async with history.act(conn, session.id, kind="di voltage", says=says, scope=scope, subject=f"{part_id} volts"):
        for take_id in found:
            await di_voltages.set_di_voltage(conn, take_id, wanted.full_scale_v)
    await sound_again(conn, part, session, settings, engine)
    return await _shown(conn, part_id, settings)


@router.post("/tone")
async def take_up(
    part_id: UUID, wanted: TakenUp, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> BenchView:
    """Lay another tone on the bench; what lay there is one undo away."""
    part, session = await _part(conn, part_id)
    bench = await _laid(conn, part)
    if wanted.aside is not None:
        if wanted.aside not in bench.aside:
            raise NotFound("tone put aside under", wanted.aside)
        laid, says = replace(bench, document=bench.aside[wanted.aside]), f"{wanted.aside} taken up again"
    elif wanted.tone_revision_id is not None:
        revision = await tones.get_revision(conn, wanted.tone_revision_id)
        laid = replace(bench, document=revision.document, tone_revision_id=revision.id)
        says = f"{revision.title}, on the bench"
    else:
        raise InvalidSetting("say which tone: a kept revision, or A or B that was put aside")
    async with _acting(conn, part, says):
        await benches.set_bench(conn, laid)
    await engine.turn(part_id, laid.tone, live=plays_through_bench(part))
    await sound_again(conn, part, session, settings, engine)
    return await _shown(conn, part_id, settings)


@router.post("/aside")
async def put_aside(
    part_id: UUID, wanted: Aside, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> BenchView:
    """Keep the tone as it is now under a letter, to be heard against what it becomes."""
    part, session = await _part(conn, part_id)
    bench = await _laid(conn, part)
    async with _acting(conn, part, f"tone put aside, {wanted.letter}"):
        await benches.set_bench(conn, replace(bench, aside={**bench.aside, wanted.letter: bench.document}))
    await sound_again(conn, part, session, settings, engine)
    return await _shown(conn, part_id, settings)


@router.put("/beside")
async def set_beside(
    part_id: UUID, wanted: Beside, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> BenchView:
    """Tones and prints that are heard beside it."""
    part, session = await _part(conn, part_id)
    bench = await _laid(conn, part)
    laid = replace(bench, beside=list(dict.fromkeys(wanted.keys)))
    await things_on_bench(conn, part, session, settings.sessions_folder, bench=laid)
    async with _acting(conn, part, "what is heard beside the tone changed"):
        await benches.set_bench(conn, laid)
    await sound_again(conn, part, session, settings, engine)
    return await _shown(conn, part_id, settings)


@router.post("/references", status_code=201)
async def bring_reference(
    part_id: UUID, file: UploadFile, pool: Pool, settings: SettingsDep, engine: EngineDep
) -> BenchView:
    """Hold the tone against a sound file of one's own."""
    async with pool.connection() as conn:
        part, session = await _part(conn, part_id)
        if len((await bench_of(conn, part)).beside) >= MOST_BESIDE:
            raise InvalidSetting(f"{MOST_BESIDE} sounds lie beside the tone already: take one away first")
    async with received([file], settings.uploads_folder, largest_bytes=settings.largest_upload_bytes) as upload:
        (one,) = upload.files
        made = await asyncio.to_thread(
            import_reference, one.path, shown_name=one.shown_name, rate_hz=session.rate_hz,
            session_folder=session.folder, sessions_folder=settings.sessions_folder,
        )  # fmt: skip
    async with pool.connection() as conn:
        await reference_sounds.add_reference(
            conn, reference_id=made.id, session_id=session.id, name=made.name, file=made.file, sha256=made.sha256,
            frames=made.frames, channels=made.channels,
        )  # fmt: skip
        bench = await _laid(conn, part)
        async with _acting(conn, part, f"{made.name} beside the tone"):
            await benches.set_bench(conn, replace(bench, beside=[*bench.beside, f"{REFERENCE}{made.id}"]))
        await sound_again(conn, part, session, settings, engine)
        return await _shown(conn, part_id, settings)


@router.put("/heard", status_code=204)
async def hear(part_id: UUID, wanted: Heard, conn: Transaction, settings: SettingsDep, engine: EngineDep) -> Response:
    """Which of the sounds is heard; it is switched where the loop is."""
    part, session = await _part(conn, part_id)
    things = await things_on_bench(conn, part, session, settings.sessions_folder)
    if wanted.key not in [each.key for each in things.sounds]:
        raise NotFound("sound on the bench", wanted.key)
    await engine.hear(part_id, heard=wanted.key, gains_db={})
    await _laid(conn, part)
    await benches.set_heard(conn, part_id, wanted.key)
    return Response(status_code=204)


@router.post("/sounding", status_code=204)
async def start(
    part_id: UUID, wanted: Started, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> Response:
    """Let it go round."""
    part, session = await _part(conn, part_id)
    await sound(conn, part, session, settings, engine, start_frame=wanted.from_frame)
    return Response(status_code=204)


@router.delete("/sounding", status_code=204)
async def stop(part_id: UUID, engine: EngineDep) -> Response:
    """Silence."""
    await engine.end_bench(part_id)
    return Response(status_code=204)


@router.get("/curves")
async def curves(part_id: UUID, pool: Pool, queue: WorkQueueDep) -> list[CurveView]:
    """What each block of the tone does, in signal order."""
    async with pool.connection() as conn:
        bench = await bench_of(conn, await parts.get_part(conn, part_id))
    return await curves_of(queue, bench.document)


@router.get("/measured")
async def measured(
    part_id: UUID, pool: Pool, settings: SettingsDep, engine: EngineDep, queue: WorkQueueDep
) -> MeasuredView:
    """How loud the sounds are over the loop, with the gains that make them equal, which are heard at once; and how
    their thirds of an octave lie.
    """
    async with pool.connection() as conn:
        part, session = await _part(conn, part_id)
        things = await things_on_bench(conn, part, session, settings.sessions_folder)
    found = await asyncio.gather(*(queue.computed(BENCH_KIND, _asked(part_id, things, each)) for each in things.sounds))
    shown = measured_view(things, found)
    gains = {each.key: each.gain_db for each in shown.sounds}
    engine.bench_gains[part_id] = gains
    await engine.hear(part_id, gains_db=gains)
    return shown


@router.post("/matched")
async def match(
    part_id: UUID, wanted: Matching, pool: Pool, settings: SettingsDep, engine: EngineDep, queue: WorkQueueDep
) -> MatchedView:
    """Bring the tone to another sound on the bench: its balance by an equaliser, or its drive by its own knobs; and
    its level.
    """
    async with pool.connection() as conn:
        part, session = await _part(conn, part_id)
        things = await things_on_bench(conn, part, session, settings.sessions_folder)
    to = next((each for each in things.sounds if each.key == wanted.key and each.key != "tone"), None)
    if to is None:
        raise NotFound("sound on the bench", wanted.key)
    if wanted.what == "drive":
        told = [told_of(things, things.sounds[0]), told_of(things, to)]
        found = await queue.computed(DRIVE_MATCH_KIND, {"part_id": str(part_id), "key": to.key, "told": told})
        turn, says = driven_as(found)
    else:
        own, other = await asyncio.gather(
            *(queue.computed(BENCH_KIND, _asked(part_id, things, each)) for each in (things.sounds[0], to))
        )
        turn, says = turned_to(own, other)
    async with pool.connection() as conn:
        async with _acting(conn, part, f"{wanted.what} of {to.name}"):
            # Read within the act: what was turned meanwhile stays.
            bench = await bench_of(conn, part)
            tone = turn(bench.tone)
            await benches.set_bench(conn, replace(bench, document=tone.model_dump(mode="json")))
        await engine.turn(part_id, tone, live=plays_through_bench(part))
        return MatchedView(bench=await _shown(conn, part_id, settings), says=f"{to.name}: {says}")


@router.post("/kept", status_code=201)
async def keep(
    part_id: UUID, wanted: Keeping, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> BenchView:
    """Keep the tone as it is: under a name that there is already it becomes that tone's next revision."""
    part, session = await _part(conn, part_id)
    bench = await _laid(conn, part)
    named = {"name": wanted.name.strip(), "use": wanted.use.strip(), "instruments": wanted.instruments}
    tone = parse_tone({**bench.document, **named})
    tone_id, revision_id = uuid4(), uuid4()
    scope: history.Scope = {"tone": [tone_id], "tone_revision": [revision_id], "bench": [part_id]}
    async with history.act(conn, session.id, kind="keep tone", says=f"tone {tone.name} kept", scope=scope) as acting:
        kept = await tones.keep_tone(conn, tone, tone_id=tone_id, revision_id=revision_id)
        acting.says = f"{kept.name} kept as revision {kept.revision}"
        laid = replace(bench, document=tone.model_dump(mode="json"), tone_revision_id=kept.id)
        await benches.set_bench(conn, laid)
    await sound_again(conn, part, session, settings, engine)
    return await _shown(conn, part_id, settings)


def _acting(conn: Connection, part: Part, says: str, *, subject: str = "") -> Any:
    return history.act(
        conn, part.session_id, kind="bench", says=f"{part.name}: {says}", scope={"bench": [part.id]}, subject=subject
    )


def _asked(part_id: UUID, things: BenchThings, of: SoundOnBench) -> dict[str, Any]:
    """What of a sound is measured, and all that makes it sound so."""
    return {"part_id": str(part_id), "key": of.key, "told": told_of(things, of)}


async def _laid(conn: Connection, part: Part) -> Bench:
    """The bench of a part, kept from now on: what is done to it is an act, that it is there is none."""
    found = await benches.find_bench(conn, part.id)
    if found is not None:
        return found
    bench = await bench_of(conn, part)
    await benches.set_bench(conn, bench)
    return bench


async def _part(conn: Connection, part_id: UUID) -> tuple[Part, Session]:
    part = await parts.get_part(conn, part_id)
    return part, await sessions.get_session(conn, part.session_id)


async def _shown(conn: Connection, part_id: UUID, settings: SettingsDep) -> BenchView:
    part, session = await _part(conn, part_id)
    things = await things_on_bench(conn, part, session, settings.sessions_folder)
    return await bench_view(conn, part, session, things, revision=_revision(things.bench))


def _revision(bench: Bench) -> str:
    return revision_of(bench.document)
