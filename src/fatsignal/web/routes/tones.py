"""Tones: found by words and by how they sound, their revisions, brought in and taken out as documents."""

import asyncio
import json
from datetime import datetime
from typing import Annotated, Any
from uuid import UUID, uuid4

from fastapi import APIRouter, Body, Query, Response
from pydantic import BaseModel, Field

from fatsignal.acts.keep_responses import keep_responses_of
from fatsignal.core.tone.finding import MEASURED_BY, Findable, Order, apart, found
from fatsignal.core.tone.instruments import For
from fatsignal.jobs.kinds.tone_measuring import TONE_MEASURE_KIND
from fatsignal.store import history, sessions, tone_measures, tones
from fatsignal.store.tones import ToneRevision
from fatsignal.web.attachments import attachment
from fatsignal.web.context import Pool, ResponsesDep, Transaction, WorkQueueDep
from fatsignal.web.presenters.bench import KindView, kinds_view
from fatsignal.web.presenters.curves import CurveView, curves_of

router = APIRouter(prefix="/api", tags=["tones"])


class ToneView(BaseModel, from_attributes=True):
    id: UUID
    tone_id: UUID
    name: str
    revision: int
    use: str
    instruments: list[For]
    document: dict[str, Any]
    made_at: datetime


class FiguresView(BaseModel):
    """What was measured of a tone on a plain riff; see `fatsignal.core.tone.measures`."""

    loudness_lufs: float
    tilt_db: float = Field(description="Brightness, dB per octave over the riff's own.")
    low_end_db: float
    added_db: float = Field(description="Partials that it adds to a soft tone, against that.")
    crest_lost_db: float
    answers_db: float = Field(description="How much louder it gets when it is played 20 dB harder.")
    quiet_db: float = Field(description="How far its noise lies below the riff.")
    tail_s: float


class FoundTone(BaseModel):
    id: UUID
    tone_id: UUID
    name: str
    revision: int
    use: str
    instruments: list[For]
    figures: FiguresView | None = Field(description="Null until it was measured.")
    apart: float | None = Field(default=None, description="From the one it is to be like, in steps just told apart.")


class FoundTones(BaseModel):
    tones: list[FoundTone]
    measuring: int = Field(description="So many are being measured still.")


class RevisionView(BaseModel):
    """One keeping of a tone, and how much was printed with it."""

    id: UUID
    revision: int
    use: str
    made_at: datetime
    prints: int


@router.get("/tones")
async def all_tones(conn: Transaction) -> list[ToneView]:
    """The newest revision of every tone."""
    return [_tone_view(revision) for revision in await tones.list_newest(conn)]


@router.get("/tones/found")
async def find(
    pool: Pool, queue: WorkQueueDep, typed: Annotated[str, Query(max_length=80)] = "", instrument: For | None = None,
    order: Order = "name", like: UUID | None = None, between: UUID | None = None, than: UUID | None = None,
    played_on: Annotated[For, Query(description="Whose riff the figures are of.")] = "guitar",
) -> FoundTones:  # fmt: skip
    """Tones by words, by instrument and by how they sound; what was not measured yet is measured from now on."""
    async with pool.connection() as conn:
        newest = await tones.list_newest(conn)
        kept = await tone_measures.measures_of(
            conn, [revision.fingerprint for revision in newest], measured_by=MEASURED_BY
        )
    known = {(each.fingerprint, each.instrument): each for each in kept}
    findable, of, missing = [], {}, 0
    for revision in newest:
        instruments = _instruments(revision)
        riff: For = played_on if not instruments or played_on in instruments else instruments[0]
        measures = known.get((revision.fingerprint, riff))
        of[revision.id] = revision
        if measures is None:
            missing += 1
            await queue.ask(
                kind=TONE_MEASURE_KIND, fingerprint=f"{revision.fingerprint} {riff} {MEASURED_BY}",
                work_input={
                    "document": revision.document, "fingerprint": revision.fingerprint, "instrument": riff,
                    "measured_by": MEASURED_BY,
                },
            )  # fmt: skip
        findable.append(
            Findable(
                id=revision.id, name=revision.name, words=str(revision.document.get("use", "")),
                instruments=tuple(instruments), figures=measures.figures if measures else None,
                thirds_db=tuple(measures.thirds_db) if measures else (),
            )
        )  # fmt: skip
    mark = next((tone for tone in findable if tone.id == like), None)
    return FoundTones(
        tones=[
            FoundTone(
                id=tone.id, tone_id=of[tone.id].tone_id, name=tone.name, revision=of[tone.id].revision, use=tone.words,
                instruments=list(tone.instruments),
                figures=FiguresView.model_validate(tone.figures) if tone.figures else None,
                apart=round(value, 2) if mark and (value := apart(mark, tone)) is not None else None,
            )
            for tone in found(
                findable, typed=typed, instrument=instrument, order=order, like=like, between=between, than=than
            )
        ],
        measuring=missing,
    )  # fmt: skip


@router.post("/tones", status_code=201)
async def keep_tone(
    conn: Transaction,
    folder: ResponsesDep,
    document: Annotated[dict[str, Any], Body(description="A tone document.")],
    session_id: Annotated[UUID | None, Query(description="In whose history it is an act, to be undone.")] = None,
) -> ToneView:
    """Keep a tone; under a name that exists it becomes a new revision."""
    from fatsignal.core.tone.document import check_size, parse_tone_file

    check_size(document)
    tone, brought = await asyncio.to_thread(parse_tone_file, document)
    await keep_responses_of(conn, folder, tone, brought)
    if session_id is None:
        return _tone_view(await tones.keep_tone(conn, tone))
    await sessions.get_session(conn, session_id)
    tone_id, revision_id = uuid4(), uuid4()
    scope: history.Scope = {"tone": [tone_id], "tone_revision": [revision_id]}
    async with history.act(conn, session_id, kind="keep tone", says=f"tone {tone.name} kept", scope=scope):
        kept = await tones.keep_tone(conn, tone, tone_id=tone_id, revision_id=revision_id)
    return _tone_view(kept)


@router.get("/tones/schema")
async def schema() -> dict[str, Any]:
    """JSON Schema of the tone document."""
    from fatsignal.core.tone.document import tone_schema

    return tone_schema()


@router.get("/block-kinds")
async def block_kinds() -> list[KindView]:
    """The kinds of blocks that a tone is made of."""
    return kinds_view()


@router.get("/tones/{revision_id}/strip")
async def strip(revision_id: UUID, pool: Pool, queue: WorkQueueDep) -> list[CurveView]:
    """The tone's blocks in signal order, each with its curve."""
    async with pool.connection() as conn:
        revision = await tones.get_revision(conn, revision_id)
    return await curves_of(queue, revision.document)


@router.get("/tones/{tone_id}/revisions")
async def revisions(tone_id: UUID, conn: Transaction) -> list[RevisionView]:
    """Every keeping of a tone, the newest first, with how much was printed with it."""
    return [
        RevisionView(
            id=each.revision.id, revision=each.revision.revision, use=str(each.revision.document.get("use", "")),
            made_at=each.revision.made_at, prints=each.prints,
        )
        for each in await tones.list_revisions(conn, tone_id)
    ]  # fmt: skip


@router.get("/tones/{revision_id}/document.json", response_class=Response)
async def take_out(revision_id: UUID, conn: Transaction, folder: ResponsesDep) -> Response:
    """A tone as a document of the open format, with the files of its impulse responses."""
    from fatsignal.core.tone.document import with_responses

    revision = await tones.get_revision(conn, revision_id)
    document = await asyncio.to_thread(with_responses, revision.document, folder.read_bytes)
    return Response(
        json.dumps(document, indent=1), media_type="application/json",
        headers=attachment(f"{revision.name} r{revision.revision}.json"),
    )  # fmt: skip


def _instruments(revision: ToneRevision) -> list[For]:
    return list(revision.document.get("instruments", []))


def _tone_view(revision: ToneRevision) -> ToneView:
    return ToneView(
        id=revision.id, tone_id=revision.tone_id, name=revision.name, revision=revision.revision,
        use=str(revision.document.get("use", "")), instruments=_instruments(revision), document=revision.document,
        made_at=revision.made_at,
    )  # fmt: skip
