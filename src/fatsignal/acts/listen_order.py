"""Orders to listen: to a part's rig for a check, or to what the computer plays."""

from pathlib import Path
from typing import TYPE_CHECKING
from uuid import UUID

from fatsignal.engine.orders import ListenOrder
from fatsignal.engine.protocol import COMPUTER
from fatsignal.files.names import file_name
from fatsignal.rig.check_scenarios import check_tempo
from fatsignal.rig.device import SimulatedDevice
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import RigSetup
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session

if TYPE_CHECKING:
    from fatsignal.acts.checks.kind import CheckKind


def check_order(
    session: Session, part: Part, check: "CheckKind", *, listen_id: UUID, seconds: float | None = None, folder: Path,
    seed: int, interface: SimulatedInterface, speed: float,
) -> ListenOrder:  # fmt: skip
    """Listen to a part's rig, for some seconds where the kind of check can be of any length."""
    how = check.listens
    assert how is not None, "what needs no listening has no order"
    lasts_s = seconds if seconds is not None and how.any_length else how.seconds
    return ListenOrder(
        roll_id=listen_id,
        session_id=session.id,
        part_id=part.id,
        kind=check.kind,
        happening=how.happening,
        follows_pitch=how.follows_pitch,
        folder=folder,
        stem="check",
        rate_hz=session.rate_hz,
        depth="32f",
        tempo=check_tempo(session.rate_hz),
        from_frame=0,
        to_frame=round(lasts_s * session.rate_hz),
        seed=seed,
        setup=RigSetup.model_validate(part.rig),
        device=SimulatedDevice(settings=interface),
        reference_pitch_hz=float(session.reference_pitch_hz),
        click=session.click_settings,
        speed=speed,
    )


def playback_order(
    session: Session, *, listen_id: UUID, name: str, from_bar: int, bars: int, folder: Path,
    interface: SimulatedInterface, speed: float,
) -> ListenOrder:  # fmt: skip
    """Record what the computer plays, from a bar on."""
    return ListenOrder(
        roll_id=listen_id,
        session_id=session.id,
        kind=COMPUTER,
        happening="the computer",
        folder=folder,
        stem=file_name(name),
        rate_hz=session.rate_hz,
        tempo=session.tempo,
        from_frame=session.tempo.bar_frame(from_bar),
        to_frame=session.tempo.bar_frame(from_bar + bars),
        seed=1,
        device=SimulatedDevice(settings=interface),
        speed=speed,
    )
