"""From a press of the pedal to the order that the engine is given."""

from collections.abc import Sequence
from pathlib import Path
from uuid import UUID

from fatsignal.acts.arming import all_armed, armed_parts
from fatsignal.acts.audio_interface import interface_now, record_offset_frames
from fatsignal.acts.overdub_tracks import cues_of, tracks_beside
from fatsignal.acts.roll_order import roll_order, roll_plan
from fatsignal.core.takes.roll_plan import RollMode
from fatsignal.core.takes.windows import Window
from fatsignal.engine.orders import RollOrder
from fatsignal.errors import RollRefused
from fatsignal.rig.interface import INPUTS
from fatsignal.rig.setup import RigSetup, check_inputs
from fatsignal.store import sections, sessions
from fatsignal.store.database import Connection


async def order_to_roll(
    conn: Connection, session_id: UUID, *, section_id: UUID | None, from_frame: int | None, way: RollMode | None,
    by_hand: bool, sessions_folder: Path, speed: float, windows: Sequence[Window] = (),
) -> RollOrder:  # fmt: skip
    """Roll what is armed: a section, or from a frame on, in the session's way or another; or past some windows.

    Raises
    ------
    RollRefused
        If nothing is armed, or what is armed cannot roll together.
    """
    session = await sessions.get_session(conn, session_id)
    section = None if section_id is None else await sections.get_section(conn, section_id)
    if section is not None and section.session_id != session_id:
        raise RollRefused("that section belongs to another session: choose one of this song")
    armed = await armed_parts(conn, session_id)
    rigs = [(part.name, RigSetup.model_validate(part.rig)) for part in armed]
    clashes = check_inputs(rigs, inputs=INPUTS)
    if clashes:
        raise RollRefused(clashes[0])
    plan = roll_plan(
        session,
        way=way,
        section=section.in_song if section else None,
        from_frame=from_frame,
        by_hand=by_hand,
        windows=windows,
    )
    interface = await interface_now(conn)
    return roll_order(
        session, plan, await all_armed(conn, session, armed, sessions_folder=sessions_folder),
        tracks=await tracks_beside(
            conn, session, armed=[part.id for part in armed], sessions_folder=sessions_folder
        ),
        cues=await cues_of(conn, session_id),
        section_id=section_id, sessions_folder=sessions_folder, interface=interface,
        record_offset_frames=await record_offset_frames(conn, interface, rate_hz=session.rate_hz),
        speed=speed,
    )  # fmt: skip
