"""Running a check: from its files to what was found, and keeping that."""

from dataclasses import replace
from uuid import UUID

from fatsignal.acts.checks import CHECKS
from fatsignal.acts.checks.kind import CheckFound, Heard
from fatsignal.core.json_values import json_ready
from fatsignal.engine.orders import ListenOrder
from fatsignal.files.sound import read_clip
from fatsignal.store import rig_checks
from fatsignal.store.database import Connection

# A channel that stayed below this in the level check was not plugged in: it says nothing about the playing.
_HEARD_DBFS = -60.0


def measure_check(
    order: ListenOrder, *, playing_dbfs: dict[str, float], before: CheckFound | None = None
) -> CheckFound:
    """Measure the files of a finished check; see `Heard` for the parameters.

    Raises
    ------
    SignalError
        If the files hold too little, or pings did not come back: a sentence for the player.
    """
    channels = {
        path.stem.rsplit(" - ", 1)[-1]: read_clip(path)
        for path in sorted(order.folder.glob("*.wav"), key=lambda path: path.stat().st_mtime_ns)
    }
    found = CHECKS[order.kind].measure(Heard(order, channels, playing_dbfs, before))
    return replace(found, result=json_ready(found.result, digits=4))


def next_pass(
    order: ListenOrder, found: CheckFound, before: CheckFound | None, *, listen_id: UUID
) -> ListenOrder | None:
    """What has to be listened to before the check is done; None where it is."""
    again = CHECKS[order.kind].again(order, found, before)
    if again is None:
        return None
    folder = order.folder.with_name(f"{order.folder.name}-again")
    return again.model_copy(update={"roll_id": listen_id, "folder": folder})


async def store_check(conn: Connection, order: ListenOrder, part_id: UUID, found: CheckFound) -> None:
    """Enter a check of a part, with what follows from it."""
    await CHECKS[found.kind].keep(conn, order, found)
    await rig_checks.add_check(
        conn, part_id=part_id, kind=found.kind, verdict=found.verdict, says=found.says, result=found.result
    )


async def playing_levels_dbfs(conn: Connection, part_id: UUID) -> dict[str, float]:
    """How loud each channel of a part is while it is played, from the newest level check."""
    for found in await rig_checks.newest_checks(conn, part_id):
        if found.kind == "level":
            return {
                channel["name"]: channel["average_dbfs"]
                for channel in found.result["channels"]
                if channel["average_dbfs"] is not None and channel["average_dbfs"] > _HEARD_DBFS
            }
    return {}
