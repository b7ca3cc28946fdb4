"""What a page needs before it can show anything, in one answer instead of one after the other."""

from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fatsignal.store import sessions
from fatsignal.web.context import Transaction
from fatsignal.web.routes.reamp import PrintView, all_prints
from fatsignal.web.routes.sessions import SessionView, SheetView, one_session, sheet
from fatsignal.web.routes.takes import TakeView, all_takes

router = APIRouter(prefix="/api", tags=["sessions"])


class OpeningView(BaseModel):
    """A session with all that Takes shows of it; null where there is none."""

    session: SessionView | None
    sheet: SheetView | None = Field(description="Of the armed part, or of the first.")
    takes: list[TakeView]
    prints: list[PrintView]


@router.get("/opening")
async def opening(conn: Transaction, session_id: UUID | None = None) -> OpeningView:
    """The session that is asked for, where it is still there; else the newest."""
    found = [session.id for session in await sessions.list_sessions(conn)]
    if not found:
        return OpeningView(session=None, sheet=None, takes=[], prints=[])
    session = await one_session(session_id if session_id in found else found[-1], conn)
    part = next((part for part in session.parts if part.armed), session.parts[0] if session.parts else None)
    return OpeningView(
        session=session,
        sheet=await sheet(session.id, part.id, conn) if part else None,
        takes=await all_takes(session.id, conn),
        prints=await all_prints(session.id, conn),
    )
