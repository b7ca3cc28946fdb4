"""Rolling: start, stop."""

import secrets
from uuid import UUID, uuid4

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.engine.protocol import RollOrder
from fatsignal.errors import RollRefused
from fatsignal.files.names import file_name
from fatsignal.store import sessions, takes
from fatsignal.web.context import Place, TheDesk, Transaction
from fatsignal.web.routes.takes import highest_folder

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["rolling"])


class NewRoll(BaseModel):
    section_id: UUID = Field(description="The section to play; a count-in comes before it.")


class RollStarted(BaseModel):
    roll_id: UUID
    number: int
    from_frame: int
    window_from_frame: int
    window_to_frame: int
    to_frame: int


@router.post("/roll", status_code=201)
async def roll(session_id: UUID, new: NewRoll, conn: Transaction, place: Place, desk: TheDesk) -> RollStarted:
    """Roll the armed part through a section: all its channels go to disk together."""
    session = await sessions.get_session(conn, session_id)
    section = await sessions.get_section(conn, new.section_id)
    armed = [part for part in await sessions.list_parts(conn, session_id) if part.armed]
    if not armed:
        raise RollRefused("no part is armed: choose the part that you play")
    part = armed[0]
    if not part.written:
        raise RollRefused(f"the simulated rig has no notes for {part.name}: arm another part, or bring in a file")
    if section.session_id != session_id:
        raise RollRefused("that section belongs to another session: choose one of this song")
    number = 1 + max(await takes.highest_number(conn, part.id), highest_folder(place.sessions_folder, session, part))
    tempo = session.tempo
    window_from, window_to = tempo.bar_frame(section.first_bar), tempo.bar_frame(section.first_bar + section.bars)
    order = RollOrder(
        roll_id=uuid4(),
        session_id=session_id,
        part_id=part.id,
        section_id=section.id,
        number=number,
        folder=place.sessions_folder / session.folder / file_name(part.name) / f"Take {number:02d}",
        stem=f"{file_name(part.name)} {number:02d}",
        rate_hz=session.rate_hz,
        depth=session.depth,
        tempo_bpm=session.tempo_bpm,
        beats_per_bar=session.beats_per_bar,
        lead_in_bars=session.lead_in_bars,
        from_frame=max(0, tempo.bar_frame(section.first_bar - session.count_in_bars)),
        window_from_frame=window_from,
        window_to_frame=window_to,
        # The last chord rings for two beats into the handle.
        to_frame=tempo.beat_frame((section.first_bar + section.bars - 1) * session.beats_per_bar + 2),
        seed=secrets.randbits(31),
        setup=part.rig,
        notes=part.written,
        speed=place.rig_speed,
    )
    await desk.roll(order)
    return RollStarted(**order.model_dump(include=set(RollStarted.model_fields)))


@router.delete("/roll", status_code=204)
async def stop(session_id: UUID, desk: TheDesk) -> Response:
    """Stop rolling; what was rolled is kept. Nothing happens when it is not rolling."""
    await desk.stop()
    return Response(status_code=204)
