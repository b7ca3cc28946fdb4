"""Rolling: start, stop."""

import secrets
from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.errors import RollRefused
from fatsignal.rig.interface import INPUTS
from fatsignal.rig.setup import RigSetup, check_inputs
from fatsignal.store import parts, sections, sessions
from fatsignal.web.context import Place, TheDesk, Transaction
from fatsignal.web.routes.interface import interface_now, record_offset_frames
from fatsignal.web.routes.takes import next_number

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
    """Roll what is armed through a section: all channels go to disk together."""
    from fatsignal.acts.roll_order import roll_order

    session = await sessions.get_session(conn, session_id)
    section = await sections.get_section(conn, new.section_id)
    if section.session_id != session_id:
        raise RollRefused("that section belongs to another session: choose one of this song")
    armed = [part for part in await parts.list_parts(conn, session_id) if part.armed]
    if not armed:
        raise RollRefused("no part is armed: choose the part that you play")
    rigs = [(part.name, RigSetup.model_validate(part.rig)) for part in armed]
    clashes = check_inputs(rigs, inputs=INPUTS)
    if clashes:
        raise RollRefused(clashes[0])
    interface = await interface_now(conn)
    offset_frames = await record_offset_frames(conn, interface, rate_hz=session.rate_hz)
    orders = [
        roll_order(
            session, part, section.in_song, number=await next_number(conn, place, session, part),
            seed=secrets.randbits(31), sessions_folder=place.sessions_folder, interface=interface,
            record_offset_frames=offset_frames, speed=place.rig_speed,
        )
        for part in armed
    ]  # fmt: skip
    order = orders[0].model_copy(update={"together": orders[1:]})
    await desk.start(order)
    return RollStarted(**order.model_dump(include=set(RollStarted.model_fields)))


@router.delete("/roll", status_code=204)
async def stop(session_id: UUID, desk: TheDesk) -> Response:
    """Stop rolling; what was rolled is kept. Nothing happens when it is not rolling."""
    await desk.stop()
    return Response(status_code=204)
