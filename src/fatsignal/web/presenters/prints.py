"""Prints as pages show them."""

from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.store import prints
from fatsignal.store.database import Connection
from fatsignal.store.prints import PrintState
from fatsignal.web.presenters.takes import ChecksView


class PrintView(BaseModel, from_attributes=True):
    id: UUID
    material_id: UUID = Field(description="Of what it is a print: a take has its material's id.")
    tone_revision_id: UUID
    tone_name: str
    tone_revision: int
    state: PrintState
    progress: float
    times_real_time: float | None
    problem: str
    file: str | None
    checks: ChecksView | None


async def prints_of(session_id: UUID, conn: Connection) -> list[PrintView]:
    """Prints as pages show them."""
    return [PrintView.model_validate(print_) for print_ in await prints.list_prints(conn, session_id)]
