"""Prints as pages show them."""

from pathlib import Path
from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.acts.finished_prints import finished_prints
from fatsignal.store import prints, takes
from fatsignal.store.database import Connection
from fatsignal.store.prints import Print, PrintState
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
    copy_file: str | None = Field(description="The same sound at another rate, where that was asked for.")
    channels: int
    tone_id: UUID
    stale: str = Field("", description="Why it is not what would be printed now; empty where it is.")


async def prints_of(session_id: UUID, conn: Connection, sessions_folder: Path) -> list[PrintView]:
    """Prints as pages show them."""
    found = await prints.list_prints(conn, session_id)
    of_takes = await takes.takes_by_id(conn, list({each.material_id for each in found}))
    of_comps = [each for each in found if each.material_id not in of_takes]
    changed = {each.print_.id for each in await finished_prints(conn, of_comps, sessions_folder) if not each.of_now}
    return [
        PrintView.model_validate(print_).model_copy(update={"stale": _stale(print_, print_.id in changed)})
        for print_ in found
    ]


def _stale(print_: Print, source_changed: bool) -> str:
    why = []
    if print_.newest_revision > print_.tone_revision:
        why.append(f"{print_.tone_name} is at revision {print_.newest_revision} now, this is {print_.tone_revision}")
    if source_changed:
        why.append("the comp was changed since")
    return "; ".join(why)
