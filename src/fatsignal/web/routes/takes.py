"""Takes: what was recorded, its sound; bringing in a file; the bin."""

from collections.abc import Callable
from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, File, Form, Query, Response, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from fatsignal.acts.bin import bin_takes
from fatsignal.core.material.channels import RecordedKind
from fatsignal.core.takes.windows import Gap, Window
from fatsignal.errors import NotFound, SettingRefused
from fatsignal.jobs.kinds.imports import IMPORT_KIND, ImportInput, ReceivedFile
from fatsignal.store import parts, prints, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.web.answers import answer_beside
from fatsignal.web.context import Place, Pool, TheDesk, Transaction, Works
from fatsignal.web.revisions import revision_of
from fatsignal.web.sound_files import received, sound_file

router = APIRouter(prefix="/api", tags=["takes"])


class ChecksView(BaseModel):
    """Level figures over the window; null where there is only silence."""

    peak_dbfs: float | None
    true_peak_dbtp: float | None
    average_dbfs: float | None
    loudness_lufs: float | None
    crest_db: float | None
    dc: float
    flat_top_runs: int
    advice: str | None
    spectrum_difference_db: float | None = None


class TakeChannelView(BaseModel, from_attributes=True):
    position: int
    name: str
    kind: RecordedKind
    file: str
    checks: ChecksView


class TakeView(BaseModel):
    id: UUID
    part_id: UUID
    part_name: str
    number: int
    recorded_at: datetime
    rate_hz: int
    from_frame: int
    frames: int
    windows: list[Window] = Field(description="The ranges that are used, on the session's time line.")
    gaps: list[Gap] = Field(description="Frames of its files that the device lost.")
    window_from_frame: int = Field(description="Where the first window begins; all of it where nothing is used yet.")
    window_to_frame: int
    first_bar: int
    last_bar: int
    origin: Literal["rolled", "imported", "recovered"]
    slip_frames: int = Field(description="By how much a person moved it away from its place.")
    slip_ms: float
    went_along: bool = Field(description="Its section has moved since it was recorded.")
    rating: Literal["starred", "struck"] | None
    sim_tone: str | None = Field(description="The tone that was printed beside the DI.")
    said: str = Field(description="What the program has to say of it.")
    note: str = Field(description="The person's own.")
    folder: str
    binned: bool
    revision: str = Field(description="Of what a person decides about it: a change is sent with it (If-Match).")
    verdict: Literal["good", "look", "fix"] = Field(description="Of the DI's level: the worst thing that was found.")
    verdict_says: str
    channels: list[TakeChannelView]


@router.get("/sessions/{session_id}/takes", response_model=list[TakeView])
async def all_takes(session_id: UUID, conn: Transaction) -> Response:
    """Every take of the session with its channels and checks, the newest of each part first."""
    return await answer_beside(list[TakeView], await takes_of(session_id, conn))


async def takes_of(session_id: UUID, conn: Connection) -> Callable[[], list[TakeView]]:
    """Reads them; what it gives makes them as pages show them."""
    session = await sessions.get_session(conn, session_id)
    found = await takes.list_takes(conn, session_id)
    channels = await takes.channels_of(conn, [take.id for take in found])
    names = {part.id: part.name for part in await parts.list_parts(conn, session_id)}
    return lambda: [_view(session, names[take.part_id], take, channels[take.id]) for take in found]


async def one_take(conn: Connection, take_id: UUID) -> TakeView:
    """A take as pages show it."""
    take = await takes.get_take(conn, take_id)
    part = await parts.get_part(conn, take.part_id)
    session = await sessions.get_session(conn, part.session_id)
    return _view(session, part.name, take, (await takes.channels_of(conn, [take_id]))[take_id])


class WaitingTake(BaseModel):
    """A take on disk that is not yet entered, and why not."""

    folder: str = Field(description="Below the folder of all sessions.")
    problem: str
    tries: int


@router.get("/takes/waiting")
async def waiting_takes(desk: TheDesk) -> list[WaitingTake]:
    """Takes that were rolled and could not be entered yet; they are tried again by themselves."""
    return [WaitingTake(folder=each.folder, problem=each.problem, tries=each.tries) for each in desk.entering.waiting]


@router.post("/takes/waiting/try", status_code=204)
async def try_waiting_takes(desk: TheDesk) -> Response:
    """Try at once to enter what waits."""
    desk.entering.try_again()
    return Response(status_code=204)


@router.get("/imports/kinds")
async def guessed_kinds(
    names: Annotated[list[str], Query(alias="name", min_length=1, max_length=12)],
) -> list[RecordedKind]:
    """What files that were recorded elsewhere probably hold, by their names; a person says what is right."""
    from fatsignal.core.takes.channel_names import guess_kinds

    return guess_kinds(names)


@router.post("/sessions/{session_id}/imports", status_code=201)
async def import_files(
    session_id: UUID,
    files: Annotated[list[UploadFile], File(min_length=1, max_length=12)],
    part_id: Annotated[UUID, Form()],
    pool: Pool,
    place: Place,
    desk: Works,
    kinds: Annotated[str, Form(description="Of each file: di, mic or sim, with commas between.")] = "",
    placing: Annotated[Literal["fitting", "stamp", "sound", "bar"], Form()] = "fitting",
    bar: Annotated[int, Form(ge=1, le=2000)] = 1,
) -> TakeView:
    """Bring in files of one's own: together they become one take of the part, time-locked."""
    async with pool.connection() as conn:
        await sessions.get_session(conn, session_id)
        await parts.get_part(conn, part_id)
    async with received(files, place.uploads_folder, largest_bytes=place.largest_upload_bytes) as upload:
        chosen = _kinds(kinds, [each.shown_name for each in upload.files])
        asked = ImportInput(
            files=[
                ReceivedFile(path=each.path, shown_name=each.shown_name, kind=kind)
                for each, kind in zip(upload.files, chosen, strict=True)
            ],
            part_id=part_id, placing=placing, bar=bar,
        )  # fmt: skip
        work = await desk.ask(
            kind=IMPORT_KIND, fingerprint=upload.name, session_id=session_id, work_input=asked.model_dump(mode="json")
        )
        made = await desk.result(work)
    async with pool.connection() as conn:
        return await one_take(conn, UUID(made["take_id"]))


def _kinds(typed: str, names: list[str]) -> list[RecordedKind]:
    from fatsignal.core.takes.channel_names import guess_kinds

    if not typed:
        return guess_kinds(names)
    words = [word.strip() for word in typed.split(",")]
    if len(words) != len(names) or any(word not in ("di", "mic", "sim") for word in words):
        raise SettingRefused(f"say of each of the {len(names)} files whether it is di, mic or sim")
    return words  # type: ignore[return-value]


@router.post("/takes/{take_id}/bin", status_code=204)
async def bin_take(take_id: UUID, conn: Transaction) -> Response:
    """Put a take into the bin; its audio stays on disk."""
    await bin_takes(conn, await _session_of(conn, take_id), [take_id], binned=True)
    return Response(status_code=204)


@router.delete("/takes/{take_id}/bin", status_code=204)
async def unbin_take(take_id: UUID, conn: Transaction) -> Response:
    """Take a take out of the bin."""
    await bin_takes(conn, await _session_of(conn, take_id), [take_id], binned=False)
    return Response(status_code=204)


class TakesToBin(BaseModel):
    take_ids: list[UUID] = Field(min_length=1, max_length=2000)
    binned: bool = True


@router.post("/sessions/{session_id}/takes/bin", status_code=204)
async def bin_many(session_id: UUID, wanted: TakesToBin, conn: Transaction) -> Response:
    """Put several takes of a session into the bin, or take them out, as one act."""
    there = {take.id for take in await takes.list_takes(conn, session_id)}
    for take_id in wanted.take_ids:
        if take_id not in there:
            raise NotFound("take", take_id)
    await bin_takes(conn, session_id, wanted.take_ids, binned=wanted.binned)
    return Response(status_code=204)


async def _session_of(conn: Connection, take_id: UUID) -> UUID:
    return (await parts.get_part(conn, (await takes.get_take(conn, take_id)).part_id)).session_id


@router.get("/takes/{take_id}/channels/{position}/audio", response_class=FileResponse)
async def channel_audio(take_id: UUID, position: int, conn: Transaction, place: Place) -> FileResponse:
    """One channel as it was recorded."""
    take = await takes.get_take(conn, take_id)
    for channel in (await takes.channels_of(conn, [take_id]))[take_id]:
        if channel.position == position:
            return sound_file(place.sessions_folder / take.folder / channel.file)
    raise NotFound("channel", position)


@router.get("/prints/{print_id}/audio", response_class=FileResponse)
async def print_audio(print_id: UUID, conn: Transaction, place: Place) -> FileResponse:
    """A finished print."""
    print_ = await prints.get_print(conn, print_id)
    if print_.file is None:
        raise NotFound("finished print", print_id)
    return sound_file(place.sessions_folder / print_.file)


def _view(session: Session, part_name: str, take: takes.Take, channels: list[takes.TakeChannel]) -> TakeView:
    tempo = session.tempo
    verdict, says = _verdict(take, channels)
    return TakeView(
        id=take.id,
        part_id=take.part_id,
        part_name=part_name,
        number=take.number,
        recorded_at=take.recorded_at,
        rate_hz=take.rate_hz,
        from_frame=take.from_frame,
        frames=take.frames,
        windows=list(take.windows),
        gaps=list(take.gaps),
        window_from_frame=take.used.from_frame,
        window_to_frame=take.used.to_frame,
        first_bar=tempo.bar_beat_at(take.used.from_frame)[0],
        last_bar=tempo.bar_beat_at(take.used.to_frame - 1)[0],
        origin=take.origin,
        slip_frames=take.slip_frames,
        slip_ms=round(1000 * take.slip_frames / take.rate_hz, 3),
        went_along=take.from_frame - take.slip_frames != take.recorded_frame,
        rating=take.rating,
        sim_tone=take.sim_tone["name"] if take.sim_tone else None,
        said=take.said,
        note=take.note,
        folder=take.folder,
        binned=take.binned_at is not None,
        revision=take_revision(take),
        verdict=verdict,
        verdict_says=says,
        channels=[TakeChannelView.model_validate(channel) for channel in channels],
    )


def take_revision(take: takes.Take) -> str:
    """Of windows, slip, rating and note: what a person decides about a take."""
    return revision_of([tuple(window) for window in take.windows], take.slip_frames, take.rating, take.note)


def _verdict(take: takes.Take, channels: list[takes.TakeChannel]) -> tuple[Literal["good", "look", "fix"], str]:
    """The worst thing that the checks found, in words."""
    clipped = [channel.name for channel in channels if channel.checks["flat_top_runs"]]
    silent = [channel.name for channel in channels if channel.checks["peak_dbfs"] is None]
    if silent:
        return "fix", f"{', '.join(silent)}: nothing arrived"
    if clipped:
        return "fix", f"{', '.join(clipped)}: clipped"
    advice = next((channel.checks["advice"] for channel in channels if channel.checks["advice"]), None)
    if advice:
        return "look", advice
    if take.gaps or take.origin == "recovered":
        return "look", take.said
    if take.said:
        return "good", take.said
    return "good", "levels are right"
