"""What plays beside a roll: what every part sounds like, and the backing tracks."""

from collections.abc import Collection
from pathlib import Path
from uuid import UUID

from fatsignal.acts.materials import material_of_backing, material_of_part
from fatsignal.core.material.channels import HEARD_FIRST, Wanted
from fatsignal.engine.orders import Cue, PlayTrack
from fatsignal.store import backings, cues, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take


def backing_key(backing_id: UUID) -> str:
    """The strip of a backing track in a cue."""
    return f"backing {backing_id}"


async def tracks_beside(
    conn: Connection, session: Session, *, armed: Collection[UUID], sessions_folder: Path
) -> list[PlayTrack]:
    """A track for every part that has takes and for every backing track; those of armed parts are their own."""
    kept = await takes.list_kept(conn, session.id)
    channels = await takes.channels_of(conn, [take.id for take in kept])
    by_part: dict[UUID, list[Take]] = {}
    for take in kept:
        by_part.setdefault(take.part_id, []).append(take)
    tracks = []
    for part_id, of_part in by_part.items():
        sounds = material_of_part(part_id, of_part, channels, sessions_folder)
        if sounds is not None:
            tracks.append(
                PlayTrack(
                    key=str(part_id), material=sounds.material, files=sounds.files, wanted=[Wanted(HEARD_FIRST)],
                    own=part_id in armed,
                )
            )  # fmt: skip
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
