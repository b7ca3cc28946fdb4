"""Freezing a part's rig with its interface and its newest checks: the sheet from which a sound is made again."""

from fatsignal.rig.frozen import FrozenCheck, FrozenRig, FrozenSession
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.sheet import sheet_entries
from fatsignal.store import rig_checks, rig_sheets
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.rig_sheets import RigSheet
from fatsignal.store.sessions import Session


async def freeze_rig(
    conn: Connection, session: Session, part: Part, *, interface: SimulatedInterface, name: str
) -> RigSheet:
    """Keep everything that makes a part's sound under a name; it never changes again."""
    rig = RigSetup.model_validate(part.rig)
    lines = sheet_entries(rig, interface, rate_hz=session.rate_hz, reference_pitch_hz=float(session.reference_pitch_hz))
    checks = await rig_checks.newest_checks(conn, part.id)
    frozen = FrozenRig(
        rig=rig.model_dump(mode="json"), interface=interface.model_dump(mode="json"), entries=lines, part=part.name,
        session=FrozenSession(name=session.name, artist=session.artist),
        checks=[FrozenCheck.model_validate(check, from_attributes=True) for check in checks],
    )  # fmt: skip
    return await rig_sheets.freeze_sheet(conn, part_id=part.id, name=name, frozen=frozen.model_dump(mode="json"))
