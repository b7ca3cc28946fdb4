"""The interface: its knobs and faults, and its measured latency."""

from datetime import datetime
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel

from fatsignal.acts.audio_interface import interface_now
from fatsignal.core.timing.buffers import BufferRow, buffer_table
from fatsignal.rig.interface import BUFFER_FRAMES, INPUTS, NAME, SimulatedInterface
from fatsignal.store import interfaces, sessions
from fatsignal.web.context import Transaction

router = APIRouter(prefix="/api", tags=["interface"])


class OffsetView(BaseModel):
    """The measured round trip; `frames` of what is recorded are left out so that a take lies where it was played."""

    offset_frames: float
    spread_frames: float
    frames: int
    ms: float
    measured_at: datetime


class InterfaceView(BaseModel):
    name: str
    inputs: int
    settings: SimulatedInterface
    offset: OffsetView | None
    table: list[BufferRow]
    buffer_ms: float


@router.get("/sessions/{session_id}/interface")
async def interface(session_id: UUID, conn: Transaction) -> InterfaceView:
    """How the interface is set, and its latency at the session's rate."""
    session = await sessions.get_session(conn, session_id)
    settings = await interface_now(conn)
    found = await interfaces.get_offset(conn, NAME, rate_hz=session.rate_hz, buffer_frames=settings.buffer_frames)
    table = []
    if found is not None:
        table = buffer_table(
            found.offset_frames, at_buffer_frames=settings.buffer_frames, rate_hz=session.rate_hz, sizes=BUFFER_FRAMES
        )
    return InterfaceView(
        name=NAME,
        inputs=INPUTS,
        settings=settings,
        offset=None
        if found is None
        else OffsetView(
            offset_frames=found.offset_frames, spread_frames=found.spread_frames, frames=found.whole_frames,
            ms=1000 * found.offset_frames / session.rate_hz, measured_at=found.measured_at,
        ),
        table=table,
        buffer_ms=1000 * settings.buffer_frames / session.rate_hz,
    )  # fmt: skip


@router.put("/sessions/{session_id}/interface")
async def set_interface(session_id: UUID, settings: SimulatedInterface, conn: Transaction) -> InterfaceView:
    """Turn a knob of the simulated interface, or give it a fault."""
    await interfaces.keep_settings(conn, NAME, settings.model_dump(mode="json"))
    return await interface(session_id, conn)
