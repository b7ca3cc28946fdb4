"""What plays beside a roll: what every part sounds like, and the backing tracks."""

from collections.abc import Collection
from pathlib import Path
from uuid import UUID

from fatsignal.acts.materials import material_of_backing
from fatsignal.acts.part_sound import sounds_of_session
from fatsignal.acts.printed_sound import printed_parts
from fatsignal.core.material.channels import HEARD_FIRST, Wanted
from fatsignal.engine.orders import Cue, PlayTrack
from fatsignal.store import backings, cues
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session


def backing_key(backing_id: UUID) -> str:
    """The strip of a backing track in a cue."""
    return f"backing {backing_id}"


async def tracks_beside(
    conn: Connection, session: Session, *, armed: Collection[UUID], sessions_folder: Path
) -> list[PlayTrack]:
    """A track for every part that has takes and for every backing track; those of armed parts are their own."""
    recorded = await sounds_of_session(conn, session.id, sessions_folder)
    printed = await printed_parts(conn, session.id, sessions_folder, recorded)
    tracks = []
    for part_id, sounds in recorded.items():
        wanted = [Wanted(HEARD_FIRST)]
        # As long as prints are missing it is heard as it was recorded.
        if part_id in printed and (sound := printed[part_id].sound) is not None:
            sounds, wanted = sound, [Wanted.exactly(channel) for channel in sound.material.channels]
        tracks.append(
            PlayTrack(
                key=str(part_id), material=sounds.material, files=sounds.files, wanted=wanted, own=part_id in armed
            )
        )
    for backing in await backings.list_backings(conn, session.id):
        sounds = material_of_backing(backing, session, sessions_folder)
        tracks.append(
            PlayTrack(
                key=backing_key(backing.id), material=sounds.material, files=sounds.files,
                wanted=[Wanted.exactly(channel) for channel in sounds.material.channels], gain_db=backing.gain_db,
            )
        )  # fmt: skip
    return tracks


async def cues_of(conn: Connection, session_id: UUID) -> list[Cue]:
    """Every listener's mix."""
    return [Cue(cue_id=cue.id, mix=cue.settings) for cue in await cues.list_cues(conn, session_id)]
