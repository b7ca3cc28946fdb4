"""Batches of prints: dry sources times tones, with one choice of settings; what is left of them, and what is stale."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

from fatsignal.acts.dry_sound import dry_sound
from fatsignal.acts.part_sound import comps_of_session
from fatsignal.core.material.channels import DRY, find
from fatsignal.core.tone.print_settings import PrintSettings
from fatsignal.errors import FatSignalError, InvalidSetting
from fatsignal.store import prints, tones, works
from fatsignal.store.comps import StoredComp
from fatsignal.store.database import Connection
from fatsignal.store.prints import Print
from fatsignal.store.works import Work

MOST_CELLS = 2_000
# Before any print has told how fast it goes.
_USUAL_TIMES_REAL_TIME = 8.0


@dataclass(frozen=True, slots=True)
class Cell:
    """A dry source and a tone."""

    material_id: UUID
    tone_revision_id: UUID


@dataclass(frozen=True, slots=True)
class AskedFor:
    """What came of asking: all prints of the batch, the works that somebody has to be woken for, and what could not be
    asked for, in words.
    """

    prints: list[Print]
    to_wake: list[Work]
    refused: list[str]


async def ask_for_batch(
    conn: Connection, cells: Sequence[Cell], settings: PrintSettings, sessions_folder: Path
) -> AskedFor:
    """Ask for prints; those that are there are simply told. What has no DI is refused by itself, the rest goes on.

    Raises
    ------
    InvalidSetting
        If there are too many cells.
    NotFound
        If there is no such tone.
    """
    if len(cells) > MOST_CELLS:
        raise InvalidSetting(f"these are {len(cells)} prints; ask for at most {MOST_CELLS} at once")
    asked = AskedFor([], [], [])
    for revision_id in {cell.tone_revision_id for cell in cells}:
        await tones.get_revision(conn, revision_id)
    by_material: dict[UUID, list[UUID]] = {}
    for cell in cells:
        by_material.setdefault(cell.material_id, []).append(cell.tone_revision_id)
    for material_id, revision_ids in by_material.items():
        try:
            dry = await dry_sound(conn, material_id, sessions_folder)
        except FatSignalError as problem:
            asked.refused.append(str(problem))
            continue
        material = dry.recorded.material
        if find(material.channels, DRY) is None:
            asked.refused.append("what has no DI cannot go through a tone")
            continue
        made = settings.of_session(material.rate_hz)
        for revision_id in dict.fromkeys(revision_ids):
            print_, is_new = await prints.ask_for_print(
                conn, material_id=material_id, material_fingerprint=dry.fingerprint, tone_revision_id=revision_id,
                settings=made.model_dump(mode="json"), settings_fingerprint=made.fingerprint(dry.voltage),
                seconds=material.frames / material.rate_hz,
            )  # fmt: skip
            asked.prints.append(print_)
            if is_new:
                asked.to_wake.append(await works.get_work(conn, print_.work_id))
    return asked


@dataclass(frozen=True, slots=True)
class Printing:
    """What is left of all batches of a session: how many wait, how many are rendered, about how many seconds."""

    waiting: int
    rendering: int
    left_s: float


def printing(all_prints: Sequence[Print]) -> Printing:
    """What is left: by how fast the last ones went, as many at once as now."""
    waiting = [each for each in all_prints if each.state == "waiting"]
    rendering = [each for each in all_prints if each.state == "rendering"]
    told = [each.times_real_time for each in [*rendering, *reversed(all_prints)] if each.times_real_time]
    speeds = sorted(told[:5])
    speed = speeds[len(speeds) // 2] if speeds else _USUAL_TIMES_REAL_TIME
    left = sum((1 - each.progress) * (each.seconds or 0.0) for each in [*waiting, *rendering])
    return Printing(len(waiting), len(rendering), left / speed / max(1, len(rendering)))


async def stop_all(conn: Connection, session_id: UUID) -> int:
    """Stop whatever waits or is rendered, the last first, so that none begins meanwhile; returns how many."""
    stopped = 0
    for print_ in reversed(await prints.under_way(conn, session_id)):
        stopped += await works.stop(conn, print_.work_id)
    return stopped


async def comps_to_print(
    conn: Connection, session_id: UUID, sessions_folder: Path
) -> list[tuple[StoredComp, float, str]]:
    """The comps that sound and have a DI all along: how long each is, and what its sound is by."""
    found = []
    for comp, sounds in await comps_of_session(conn, session_id, sessions_folder):
        if find(sounds.material.channels, DRY) is not None:
            found.append((comp, sounds.material.frames / sounds.material.rate_hz, sounds.material.fingerprint))
    return found
