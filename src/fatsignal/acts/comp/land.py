"""What was rolled for a hole of a comp lands in it."""

from pathlib import Path

from fatsignal.acts.comp.edit import Editing, editing
from fatsignal.core.comp.edits import filled_by, use_take
from fatsignal.core.takes.windows import Window
from fatsignal.store import comps, takes
from fatsignal.store.database import Connection
from fatsignal.store.takes import Take


async def land(conn: Connection, take: Take, sessions_folder: Path) -> bool:
    """Use a take that was just entered in the holes that it was rolled for; whether there was one."""
    current = await comps.current_of_part(conn, take.part_id)
    if current is None or take.binned_at is not None:
        return False
    filled: list[Window] = []

    def says(of: Editing) -> str:
        return f"{of.part.name}: take {take.number} fills {' and '.join(of.in_bars(window) for window in filled)}"

    kept = {each.take_id for each in await takes.kept_placed(conn, take.part_id)}
    if not filled_by(current.comp, take.windows, playable=kept, rate_hz=take.rate_hz):
        return False
    async with editing(conn, take.part_id, sessions_folder, kind="fill hole", says=says) as of:
        playable = {each.take_id for each in of.newest_first}
        filled += filled_by(of.comp, take.windows, playable=playable, rate_hz=take.rate_hz)
        for window in filled:
            of.comp = use_take(
                of.comp, of.take(take.id), window, of.newest_first, within=of.sections_of(window),
                rate_hz=of.session.rate_hz,
            )  # fmt: skip
        of.touched = of.sections_of(Window(filled[0].from_frame, filled[-1].to_frame)) if filled else None
    return True
