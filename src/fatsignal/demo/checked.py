"""The demonstration's first part as a careful player leaves it: checked, its rig kept, with a track to play to."""

import asyncio
import tempfile
from pathlib import Path
from uuid import uuid4

from fatsignal.acts.checks import CHECKS
from fatsignal.acts.checks.kind import CheckFound
from fatsignal.acts.checks.run import measure_check, next_pass, store_check
from fatsignal.acts.freeze_rig import freeze_rig
from fatsignal.acts.import_backing import enter_backing, join_playback
from fatsignal.acts.listen_order import check_order, playback_order
from fatsignal.engine.measurement_capture import MeasurementCapture
from fatsignal.engine.orders import ListenOrder
from fatsignal.engine.sources import source_of
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import RigSetup
from fatsignal.store import kits
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session

_LISTENS: tuple[tuple[str, float], ...] = (
    ("level", 5.0),
    ("tuning", 12.5),
    ("noise", 4.0),
    ("bleed", 4.0),
    ("latency", 2.0),
)


async def check_part(conn: Connection, session: Session, part: Part) -> None:
    """Run every check of a part, keep its latency, a rig sheet and a kit."""
    rig, interface = RigSetup.model_validate(part.rig), SimulatedInterface()
    with tempfile.TemporaryDirectory() as folder:
        for kind, seconds in _LISTENS:
            before: CheckFound | None = None
            order = check_order(
                session, part, CHECKS[kind], listen_id=uuid4(), seconds=seconds, folder=Path(folder) / kind, seed=4,
                interface=interface, speed=0,
            )  # fmt: skip
            found = await asyncio.to_thread(_listen, order)
            while again := next_pass(order, found, before, listen_id=uuid4()):
                order, before = again, found
                found = await asyncio.to_thread(_listen, order, before)
            await store_check(conn, order, part.id, found)
    await freeze_rig(conn, session, part, interface=interface, name="Combo, ribbon and coil")
    await kits.add_kit(
        conn, name="Baritone combo", instrument=rig.instrument, use="rhythm", words=["warm", "two mics"],
        rig=rig.model_dump(mode="json"),
    )  # fmt: skip


async def add_backing(conn: Connection, session: Session, *, sessions_folder: Path, waves_folder: Path) -> None:
    """Record the simulated computer's drum loop over the whole song."""
    with tempfile.TemporaryDirectory() as folder:
        order = playback_order(
            session, listen_id=uuid4(), name="Drum loop", from_bar=1, bars=session.song_bars,
            folder=Path(folder) / "loop", interface=SimulatedInterface(), speed=0,
        )  # fmt: skip
        await asyncio.to_thread(_capture, order)
        kept = await asyncio.to_thread(
            join_playback, order, session, sessions_folder=sessions_folder, waves_folder=waves_folder
        )
    await enter_backing(conn, session, kept, origin="computer", placed_frame=order.from_frame)


def _capture(order: ListenOrder) -> None:
    MeasurementCapture(order, source_of(order), lambda _: None).run()


def _listen(order: ListenOrder, before: CheckFound | None = None) -> CheckFound:
    _capture(order)
    return measure_check(order, playing_dbfs={}, before=before)
