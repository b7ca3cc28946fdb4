"""What a page needs before it can show anything, in one answer instead of one after the other."""

from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.store import sessions
from fatsignal.web.answers import json_beside, written
from fatsignal.web.context import Pool, SettingsDep, TakeListsDep
from fatsignal.web.presenters.prints import PrintView, prints_of
from fatsignal.web.presenters.sessions import SessionView, one_session
from fatsignal.web.presenters.sheet import SheetView, sheet_of
from fatsignal.web.presenters.takes import TAKES, TakeView

router = APIRouter(prefix="/api", tags=["sessions"])


class OpeningView(BaseModel):
    """A session with all that Takes shows of it; null where there is none."""

    session: SessionView | None
    sheet: SheetView | None = Field(description="Of the armed part, or of the first.")
    takes: list[TakeView]
    prints: list[PrintView]


@router.get("/opening", response_model=OpeningView)
async def opening(pool: Pool, lists: TakeListsDep, settings: SettingsDep, session_id: UUID | None = None) -> Response:
    """The session that is asked for, where it is still there; else the newest."""
    async with pool.connection() as conn:
        found = [session.id for session in await sessions.list_sessions(conn)]
        if not found:
            nothing = OpeningView(session=None, sheet=None, takes=[], prints=[])
            return await json_beside(lambda: written(OpeningView, nothing))
        session = await one_session(session_id if session_id in found else found[-1], conn)
        part = next((part for part in session.parts if part.armed), session.parts[0] if session.parts else None)
        of_part = await sheet_of(session.id, part.id, conn) if part else None
        takes = await lists.read(conn, session.id, TAKES)
        prints = await prints_of(session.id, conn, settings.sessions_folder)

    def make() -> bytes:
        fields = {
            b"session": written(SessionView, session), b"sheet": written(SheetView | None, of_part and of_part()),
            b"takes": takes(), b"prints": written(list[PrintView], prints),
        }  # fmt: skip
        return b"{" + b",".join(b'"%b":%b' % each for each in fields.items()) + b"}"

    return await json_beside(make)
