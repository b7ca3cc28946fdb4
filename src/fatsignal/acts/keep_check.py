"""Keeping what a check found, and the latency that it proved."""

from uuid import UUID

from fatsignal.acts.run_check import CheckFound
from fatsignal.engine.protocol import ListenOrder
from fatsignal.rig.interface import NAME
from fatsignal.store import interfaces, rig_checks
from fatsignal.store.database import Connection


async def keep_check(conn: Connection, order: ListenOrder, part_id: UUID, found: CheckFound) -> None:
    """Enter a check of a part; a latency that was proved is from now on left out of every recording."""
    if found.kind == "latency" and found.verdict == "good":
        await interfaces.keep_settings(conn, NAME, order.device.settings.model_dump(mode="json"))
        await interfaces.keep_offset(
            conn, NAME, rate_hz=order.rate_hz, buffer_frames=order.device.settings.buffer_frames,
            offset_frames=found.result["round_trip_frames"], spread_frames=found.result["spread_frames"],
        )  # fmt: skip
    await rig_checks.add_check(
        conn, part_id=part_id, kind=found.kind, verdict=found.verdict, says=found.says, result=found.result
    )


def proof_of(order: ListenOrder, found: CheckFound, *, listen_id: UUID) -> ListenOrder:
    """The second pass of a latency check: the same pings with what the first one measured left out."""
    return order.model_copy(
        update={
            "roll_id": listen_id,
            "folder": order.folder.with_name(f"{order.folder.name}-proof"),
            "record_offset_frames": max(0, round(found.result["round_trip_frames"])),
        }
    )
