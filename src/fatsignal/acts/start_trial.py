"""From a press of the key to the order that records a trial clip."""

import zlib
from pathlib import Path
from uuid import UUID

from fatsignal.acts.arming import tone_played_through
from fatsignal.acts.audio_interface import interface_now, record_offset_frames
from fatsignal.acts.overdub_tracks import cues_of, tracks_beside
from fatsignal.acts.roll_order import Armed, roll_order
from fatsignal.acts.take_numbers import next_trial_number
from fatsignal.acts.trials import placement_of
from fatsignal.core.mics.trial import trial_plan
from fatsignal.engine.orders import RollOrder
from fatsignal.errors import RollRefused
from fatsignal.rig.interface import INPUTS
from fatsignal.rig.setup import RigSetup, check_inputs
from fatsignal.store import parts, sessions
from fatsignal.store.database import Connection


async def order_trial(conn: Connection, part_id: UUID, *, sessions_folder: Path, speed: float) -> RollOrder:
    """Roll the bars of a part's trial, with its rig as it is now.

    Raises
    ------
    RollRefused
        If the part has no microphone, or two of its channels take one input.
    """
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    rig = RigSetup.model_validate(part.rig)
    if not rig.mics:
        raise RollRefused(f"{part.name} has no microphone: add one in Rig, or on the plan")
    if clashes := check_inputs([(part.name, rig)], inputs=INPUTS):
        raise RollRefused(clashes[0])
    placement = placement_of(part)
    plan = trial_plan(
        session.tempo, placement, song_bars=session.song_bars,
        count_in_bars=session.click_settings.roll_count_in_bars,
    )  # fmt: skip
    interface = await interface_now(conn)
    armed = Armed(
        part, await next_trial_number(conn, sessions_folder, session, part),
        # The simulated player plays the same each time, so that only the placement differs.
        seed=zlib.crc32(part.id.bytes), tone=await tone_played_through(conn, part),
    )  # fmt: skip
    # Whoever compares in the mix plays to it, too.
    beside = placement.beside == "the song"
    tracks = await tracks_beside(conn, session, armed=[part.id], sessions_folder=sessions_folder) if beside else ()
    order = roll_order(
        session, plan, [armed], section_id=None, sessions_folder=sessions_folder, interface=interface,
        record_offset_frames=await record_offset_frames(conn, interface, rate_hz=session.rate_hz), speed=speed,
        tracks=tracks, cues=await cues_of(conn, session.id),
    )  # fmt: skip
    return order.model_copy(update={"trial": True})
