"""Undo, redo, and the bin: what was done to a session, whichever page did it."""

import asyncio
from datetime import datetime
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fatsignal.acts.bin import empty_bin, look_into_bin
from fatsignal.errors import ConfirmationRequired, InvalidSetting
from fatsignal.store import history, parts, sessions
from fatsignal.store.database import Connection
from fatsignal.web.bench_sounding import after_history
from fatsignal.web.context import EngineDep, SettingsDep, Transaction

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["history"])


class HistoryView(BaseModel):
    """What the next undo and the next redo would do, in words; null where there is nothing."""

    undo: str | None
    redo: str | None
    did: str | None = Field(default=None, description="What was just undone or redone.")


class BinnedTake(BaseModel):
    """A take in the bin, or a trial clip."""

    id: UUID
    trial: bool = False
    part_name: str
    number: int
    recorded_at: datetime
    binned_at: datetime
    seconds: float
    first_bar: int
    last_bar: int
    said: str = Field(description="What the program has to say of it: why it went there by itself, if it did.")
    note: str
    prints: int
    used_by: list[str] = Field(default=[], description="Comps that use it: it stays when the bin is emptied.")


class BinView(BaseModel):
    takes: list[BinnedTake]
    bytes: int = Field(description="That emptying it frees.")


@router.get("/history")
async def what_was_done(session_id: UUID, conn: Transaction) -> HistoryView:
    """What undo and redo would do."""
    await sessions.get_session(conn, session_id)
    return await _view(conn, session_id)


@router.post("/undo")
async def undo(session_id: UUID, conn: Transaction, settings: SettingsDep, engine: EngineDep) -> HistoryView:
    """Undo the last act on the session, exactly; nothing happens where there is none."""
    await sessions.get_session(conn, session_id)
    done = await history.undo(conn, session_id)
    await after_history(conn, done, settings, engine)
    return await _view(conn, session_id, done)


@router.post("/redo")
async def redo(session_id: UUID, conn: Transaction, settings: SettingsDep, engine: EngineDep) -> HistoryView:
    """Do the act again that was undone last; nothing happens where there is none."""
    await sessions.get_session(conn, session_id)
    done = await history.redo(conn, session_id)
    await after_history(conn, done, settings, engine)
    return await _view(conn, session_id, done)


@router.get("/bin")
async def what_is_in_the_bin(session_id: UUID, conn: Transaction, settings: SettingsDep) -> BinView:
    """Takes and trial clips in the bin, the one that went there last first."""
    session = await sessions.get_session(conn, session_id)
    names = {part.id: part.name for part in await parts.list_parts(conn, session_id)}
    binned = await look_into_bin(conn, session_id, settings.sessions_folder)
    made = [print_.material_id for print_ in binned.prints]
    used_by = {take.id: comps for take, comps in binned.held}
    found = [
        BinnedTake(
            id=take.id, used_by=used_by.get(take.id, []), part_name=names[take.part_id], number=take.number,
            recorded_at=take.recorded_at,
            binned_at=take.binned_at, seconds=take.frames / take.rate_hz,
            first_bar=session.tempo.bar_beat_at(take.used.from_frame)[0],
            last_bar=session.tempo.bar_beat_at(take.used.to_frame - 1)[0],
            said=take.said, note=take.note, prints=made.count(take.id),
        )
        for take in [*binned.takes, *(take for take, _ in binned.held)]
        if take.binned_at is not None
    ] + [
        BinnedTake(
            id=trial.id, trial=True, part_name=names[trial.part_id], number=trial.number,
            recorded_at=trial.recorded_at, binned_at=trial.binned_at, seconds=trial.frames / trial.rate_hz,
            first_bar=session.tempo.bar_beat_at(trial.span.from_frame)[0],
            last_bar=session.tempo.bar_beat_at(trial.span.to_frame - 1)[0],
            said=trial.said, note=trial.note, prints=0,
        )
        for trial in binned.trials
        if trial.binned_at is not None
    ]  # fmt: skip
    found.sort(key=lambda each: each.binned_at, reverse=True)
    return BinView(takes=found, bytes=await asyncio.to_thread(binned.bytes))


@router.delete("/bin")
async def empty(session_id: UUID, conn: Transaction, settings: SettingsDep, agreed: bool = False) -> BinView:
    """Empty the bin: what is in it, prints of it and its files are gone for good. It asks first (409)."""
    await sessions.get_session(conn, session_id)
    binned = await look_into_bin(conn, session_id, settings.sessions_folder)
    if binned.held and not binned.takes and not binned.trials:
        take, users = binned.held[0]
        raise InvalidSetting(
            f"take {take.number} is used by {' and '.join(users)}: use another take there, or remove that version first"
        )
    if (binned.takes or binned.trials) and not agreed:
        counted = ((len(binned.takes), "take"), (len(binned.trials), "trial clip"))
        said = " and ".join(f"one {word}" if many == 1 else f"{many} {word}s" for many, word in counted if many)
        raise ConfirmationRequired(
            f"{said} in the bin will be gone for good, with all files and prints: this cannot be undone"
        )
    await empty_bin(conn, binned)
    return await what_is_in_the_bin(session_id, conn, settings)


async def _view(conn: Connection, session_id: UUID, did: history.Act | None = None) -> HistoryView:
    now = await history.history_of(conn, session_id)
    return HistoryView(undo=now.undo, redo=now.redo, did=did.says if did else None)
