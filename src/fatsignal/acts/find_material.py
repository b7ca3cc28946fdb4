"""Materials by their ids: takes, comps, prints, backing tracks and trial clips, from the database to what sounds."""

from collections.abc import Iterable
from pathlib import Path
from uuid import UUID

from fatsignal.acts.finished_prints import finished_prints
from fatsignal.acts.materials import material_of_backing, material_of_take, material_of_trial
from fatsignal.acts.part_sound import sound_of_part, sound_of_version
from fatsignal.errors import NotFound
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import backings, comps, prints, sessions, takes, trials
from fatsignal.store.database import Connection


async def find_materials(conn: Connection, ids: Iterable[UUID], sessions_folder: Path) -> dict[UUID, MaterialOnDisk]:
    """Those of some ids that there are: a question for each kind, however many ids."""
    wanted = list(dict.fromkeys(ids))
    found: dict[UUID, MaterialOnDisk] = {}
    of_takes = await takes.takes_by_id(conn, wanted)
    finished = [each for each in await prints.prints_by_id(conn, wanted) if each.state == "ready"]
    channels = await takes.channels_of(conn, list(of_takes))
    for take in of_takes.values():
        found[take.id] = material_of_take(take, channels[take.id], sessions_folder)
    for printed in await finished_prints(conn, finished, sessions_folder):
        found[printed.print_.id] = printed.sound
    missing = [each for each in wanted if each not in found]
    for backing in await backings.backings_by_id(conn, missing) if missing else []:
        session = await sessions.get_session(conn, backing.session_id)
        found[backing.id] = material_of_backing(backing, session, sessions_folder)
    missing = [each for each in wanted if each not in found]
    for trial in (await trials.trials_by_id(conn, missing)).values() if missing else []:
        found[trial.id] = material_of_trial(trial, sessions_folder)
    missing = [each for each in wanted if each not in found]
    for version in (await comps.comps_by_id(conn, missing)).values() if missing else []:
        sound = await sound_of_version(conn, version, sessions_folder)
        if sound is not None:
            found[version.id] = sound
    return found


async def find_material(conn: Connection, material_id: UUID, sessions_folder: Path) -> MaterialOnDisk:
    """One of them.

    Raises
    ------
    NotFound
        If nothing that sounds has this id.
    """
    return _there((await find_materials(conn, [material_id], sessions_folder)).get(material_id), material_id)


async def find_playable(conn: Connection, material_id: UUID, sessions_folder: Path) -> MaterialOnDisk:
    """One of them, or what a part sounds like, by the part's id.

    Raises
    ------
    NotFound
        If nothing that sounds has this id.
    """
    found = (await find_materials(conn, [material_id], sessions_folder)).get(material_id)
    if found is None:
        found = await sound_of_part(conn, material_id, sessions_folder)
    return _there(found, material_id)


def _there(found: MaterialOnDisk | None, material_id: UUID) -> MaterialOnDisk:
    if found is None:
        raise NotFound("sound", material_id)
    return found
