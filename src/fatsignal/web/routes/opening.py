"""What a page needs before it can show anything, in one answer instead of one after the other."""

from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.store import sessions
from fatsignal.web.answers import answer_beside
from fatsignal.web.context import Transaction
from fatsignal.web.presenters.prints import PrintView, prints_of
from fatsignal.web.presenters.sessions import SessionView, one_session
from fatsignal.web.presenters.sheet import SheetView, sheet_of
from fatsignal.web.presenters.takes import TakeView, takes_of

router = APIRouter(prefix="/api", tags=["sessions"])


class OpeningView(BaseModel):
    """A session with all that Takes shows of it; null where there is none."""

    session: SessionView | None
    sheet: SheetView | None = Field(description="Of the armed part, or of the first.")
    takes: list[TakeView]
    prints: list[PrintView]


@router.get("/opening", response_model=OpeningView)
async def opening(conn: Transaction, session_id: UUID | None = None) -> Response:
    """The session that is asked for, where it is still there; else the newest."""
    found = [session.id for session in await sessions.list_sessions(conn)]
    if not found:
        return await answer_beside(OpeningView, lambda: OpeningView(session=None, sheet=None, takes=[], prints=[]))
    session = await one_session(session_id if session_id in found else found[-1], conn)
    part = next((part for part in session.parts if part.armed), session.parts[0] if session.parts else None)
    of_part = await sheet_of(session.id, part.id, conn) if part else None
    takes, prints = await takes_of(session.id, conn), await prints_of(session.id, conn)
    return await answer_beside(
        OpeningView,
        lambda: OpeningView.model_construct(
            session=session, sheet=of_part() if of_part else None, takes=takes(), prints=prints
        ),
    )
