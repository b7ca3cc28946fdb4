"""Freezing a part's rig with its interface and its newest checks: the sheet from which a sound is made again."""

from dataclasses import asdict

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
    frozen = {
        "rig": rig.model_dump(mode="json"),
        "interface": interface.model_dump(mode="json"),
        "entries": [asdict(line) for line in lines],
        "part": part.name,
        "session": {"name": session.name, "artist": session.artist},
        "checks": [
            {"kind": c.kind, "verdict": c.verdict, "says": c.says, "made_at": c.made_at.isoformat()}
            for c in await rig_checks.newest_checks(conn, part.id)
        ],
    }
    return await rig_sheets.freeze_sheet(conn, part_id=part.id, name=name, frozen=frozen)
