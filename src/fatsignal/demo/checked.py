"""The demonstration's first part as a careful player leaves it: checked, its rig kept, with a track to play to."""

import asyncio
import tempfile
from pathlib import Path
from uuid import uuid4

from fatsignal.acts.freeze_rig import freeze_rig
from fatsignal.acts.import_backing import join_playback
from fatsignal.acts.run_check import CheckFound, run_check
from fatsignal.engine.listener import Listener
from fatsignal.engine.protocol import ListenKind, ListenOrder
from fatsignal.engine.sources import source_of
from fatsignal.rig.interface import NAME, SimulatedInterface
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.situations import check_tempo
from fatsignal.store import backings, interfaces, kits, rig_checks
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session

_LISTENS: tuple[tuple[ListenKind, float], ...] = (("level", 5.0), ("tuning", 12.5), ("noise", 4.0), ("bleed", 4.0))
_PINGS_S = 2.0
FAST_BLOCK_FRAMES = 4096


async def check_part(conn: Connection, session: Session, part: Part) -> None:
    """Run every check of a part, keep its latency, a rig sheet and a kit."""
    rig, interface = RigSetup.model_validate(part.rig), SimulatedInterface()
    with tempfile.TemporaryDirectory() as folder:
        for kind, seconds in _LISTENS:
            order = _order(session, part, kind, seconds, Path(folder))
            found = await asyncio.to_thread(_listen, order)
            await _keep(conn, part, found)
        first = await asyncio.to_thread(_listen, _order(session, part, "latency", _PINGS_S, Path(folder)))
        trip = first.result["round_trip_frames"]
        again = _order(session, part, "latency", _PINGS_S, Path(folder), offset_frames=round(trip))
        proof = await asyncio.to_thread(_listen, again, trip)
        await _keep(conn, part, proof)
    await interfaces.keep_settings(conn, NAME, interface.model_dump(mode="json"))
    await interfaces.keep_offset(
        conn, NAME, rate_hz=session.rate_hz, buffer_frames=interface.buffer_frames, offset_frames=trip,
        spread_frames=proof.result["spread_frames"],
    )  # fmt: skip
    await freeze_rig(conn, session, part, interface=interface, name="Combo, ribbon and coil")
    await kits.add_kit(
        conn, name="Baritone combo", instrument=rig.instrument, use="rhythm", words=["warm", "two mics"],
        rig=rig.model_dump(mode="json"),
    )  # fmt: skip


async def add_backing(conn: Connection, session: Session, *, sessions_folder: Path, waves_folder: Path) -> None:
    """Record the simulated computer's drum loop over the whole song."""
    with tempfile.TemporaryDirectory() as folder:
        order = ListenOrder(
            roll_id=uuid4(), session_id=session.id, kind="computer", folder=Path(folder) / "loop", stem="Drum loop",
            rate_hz=session.rate_hz, tempo=session.tempo, from_frame=session.tempo.bar_frame(1),
            to_frame=session.tempo.bar_frame(session.song_bars + 1), seed=1, speed=0,
        )  # fmt: skip
        await asyncio.to_thread(
            lambda: Listener(order, source_of(order, block_frames=FAST_BLOCK_FRAMES), lambda _: None).run()
        )
        kept = await asyncio.to_thread(
            lambda: join_playback(
                order.folder / "Drum loop - left.wav", order.folder / "Drum loop - right.wav", name="Drum loop",
                from_frame=order.from_frame, session=session, sessions_folder=sessions_folder,
                waves_folder=waves_folder,
            )
        )  # fmt: skip
    await backings.add_backing(
        conn, session_id=session.id, name=kept.name, file=kept.file, origin="computer", frames=kept.frames,
        channels=kept.channels, placed_frame=order.from_frame, loudness_lufs=kept.loudness_lufs, pulse=kept.pulse,
        backing_id=kept.id,
    )  # fmt: skip


def _order(
    session: Session, part: Part, kind: ListenKind, seconds: float, folder: Path, *, offset_frames: int = 0
) -> ListenOrder:
    return ListenOrder(
        roll_id=uuid4(), session_id=session.id, part_id=part.id, kind=kind,
        folder=folder / f"{kind}-{offset_frames}", stem="check", rate_hz=session.rate_hz, depth="32f",
        tempo=check_tempo(session.rate_hz), from_frame=0, to_frame=round(seconds * session.rate_hz), seed=4,
        setup=RigSetup.model_validate(part.rig), record_offset_frames=offset_frames,
        reference_pitch_hz=float(session.reference_pitch_hz), speed=0,
    )  # fmt: skip


def _listen(order: ListenOrder, first_pass_frames: float | None = None) -> CheckFound:
    Listener(order, source_of(order, block_frames=FAST_BLOCK_FRAMES), lambda _: None).run()
    return run_check(order, playing_dbfs={}, first_pass_frames=first_pass_frames)


async def _keep(conn: Connection, part: Part, found: CheckFound) -> None:
    await rig_checks.add_check(
        conn, part_id=part.id, kind=found.kind, verdict=found.verdict, says=found.says, result=found.result
    )
