"""The demonstration's placements: where somebody tried the microphones, and which was chosen."""

import asyncio
from pathlib import Path
from typing import Any

from fatsignal.acts.enter_roll import measure_roll, store_roll
from fatsignal.acts.start_trial import order_trial
from fatsignal.acts.trials import choose_trial, placement_of
from fatsignal.engine.capture_factory import capture_of
from fatsignal.engine.orders import RollOrder
from fatsignal.files.names import trial_folder_name
from fatsignal.rig.setup import RigSetup
from fatsignal.store import parts, trials
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.trials import Trial

# Bars of the first chorus, where it is loudest.
_FIRST_BAR = 13
# What of the second microphone is another in each, and what was noted.
_TRIED: tuple[tuple[dict[str, Any], str], ...] = (
    ({"distance_m": 0.05, "off_centre_m": 0.02, "turned_deg": 0.0}, ""),
    ({"distance_m": 0.3, "off_centre_m": 0.1, "turned_deg": -18.0}, ""),
    # As the rig stands: the takes were recorded so.
    ({}, "solid, keeps its bite"),
)


async def try_placements(conn: Connection, part: Part, *, sessions_folder: Path, waves_folder: Path) -> None:
    """Record a trial clip of each placement, and choose the last; the rig stands afterwards as it did."""
    rig = RigSetup.model_validate(part.rig)
    placement = placement_of(part).model_copy(update={"first_bar": _FIRST_BAR})
    await parts.set_placement(conn, part.id, placement.model_dump(mode="json"))
    last: Trial | None = None
    for changes, note in _TRIED:
        mics = [rig.mics[0], rig.mics[1].model_copy(update=changes)]
        await parts.set_rig(conn, part.id, rig.model_copy(update={"mics": mics}).model_dump(mode="json"))
        order = await order_trial(conn, part.id, sessions_folder=sessions_folder, speed=0)
        await asyncio.to_thread(_roll, order)
        folder = order.parts[0].folder / trial_folder_name(order.parts[0].first_number)
        measured = await asyncio.to_thread(
            measure_roll, folder, sessions_folder=sessions_folder, waves_folder=waves_folder
        )
        tried = await store_roll(conn, measured)
        assert isinstance(tried, Trial), "the demonstration is never silent"
        if note:
            await trials.set_note(conn, tried.id, note)
        last = tried
    assert last is not None, "something was tried"
    await choose_trial(conn, last)


def _roll(order: RollOrder) -> None:
    with capture_of(order, lambda _: None) as capture:
        capture.run()
