"""Finished prints with what they were made of: a take, or a comp as it was then."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from uuid import UUID

from fatsignal.acts.materials import material_of_print
from fatsignal.acts.part_sound import sound_of_version
from fatsignal.core.takes.windows import Window
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import comps, takes
from fatsignal.store.comps import StoredComp
from fatsignal.store.database import Connection
from fatsignal.store.prints import Print
from fatsignal.store.takes import Take


@dataclass(frozen=True, slots=True)
class FinishedPrint:
    """A print where it lies on the song, and what of it is used.

    `of_now` says whether what it was made of still sounds so: a take always does, a comp until it is changed.
    """

    print_: Print
    of: Take | StoredComp
    sound: MaterialOnDisk
    used: Window
    of_now: bool

    @property
    def part_id(self) -> UUID:
        return self.of.part_id

    @property
    def recorded_at(self) -> datetime:
        return self.of.recorded_at if isinstance(self.of, Take) else self.of.made_at


async def finished_prints(
    conn: Connection, prints: Sequence[Print], sessions_folder: Path
) -> list[FinishedPrint]:  # fmt: skip
    """Those of some prints that are ready, each with what it was made of; of a version that was removed, none."""
    ready = [each for each in prints if each.state == "ready"]
    ids = list({each.material_id for each in ready})
    of_takes = await takes.takes_by_id(conn, ids)
    versions = await comps.comps_by_id(conn, [each for each in ids if each not in of_takes])
    sounds = {each.id: await sound_of_version(conn, each, sessions_folder) for each in versions.values()}
    found = []
    for print_ in ready:
        take, version = of_takes.get(print_.material_id), versions.get(print_.material_id)
        if take is not None:
            sound = material_of_print(
                print_, first_frame=take.from_frame, rate_hz=take.rate_hz, sessions_folder=sessions_folder
            )
            found.append(FinishedPrint(print_, take, sound, take.used, of_now=True))
        elif version is not None:
            now = sounds[version.id]
            of_now = now is not None and now.material.fingerprint == print_.material_fingerprint
            assert print_.origin is not None, "it is finished"
            # As long as it is what sounds it goes with the song; else it stays where it was printed.
            first_frame = now.material.first_frame if now and of_now else int(print_.origin["first_frame"])
            sound = material_of_print(
                print_, first_frame=first_frame, rate_hz=int(print_.origin["rate_hz"]), sessions_folder=sessions_folder
            )
            found.append(FinishedPrint(print_, version, sound, sound.material.span, of_now=of_now))
    return found
