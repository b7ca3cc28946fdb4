"""What plays beside a roll: of every part what is used of its newest takes, and the backing tracks."""

from collections.abc import Collection
from pathlib import Path
from uuid import UUID

from fatsignal.core.takes.layers import layered
from fatsignal.core.takes.sheet import Played
from fatsignal.core.takes.windows import Window
from fatsignal.engine.protocol import Cue, PlayPiece, PlayTrack
from fatsignal.store import backings, cues, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel, first_of

# What a part is heard by: the miked amp where there is one, else what was heard while it was played, else the DI.
_HEARD_FIRST = ("mic", "sim", "di")


def backing_key(backing_id: UUID) -> str:
    """The strip of a backing track in a cue."""
    return f"backing {backing_id}"


async def tracks_beside(
    conn: Connection, session: Session, *, armed: Collection[UUID], sessions_folder: Path
) -> list[PlayTrack]:
    """A track for every part that has takes and for every backing track; those of armed parts are their own."""
    kept = [
        take for take in await takes.list_takes(conn, session.id) if take.binned_at is None and take.rating != "struck"
    ]
    channels = await takes.channels_of(conn, [take.id for take in kept])
    by_part: dict[UUID, list[Take]] = {}
    for take in kept:
        by_part.setdefault(take.part_id, []).append(take)
    tracks = [
        PlayTrack(key=str(part_id), pieces=_pieces(of_part, channels, sessions_folder), own=part_id in armed)
        for part_id, of_part in by_part.items()
    ]
    for backing in await backings.list_backings(conn, session.id):
        piece = PlayPiece(
            file=sessions_folder / session.folder / backing.file, begins_frame=backing.placed_frame,
            span=Window(backing.placed_frame, backing.placed_frame + backing.frames),
        )  # fmt: skip
        tracks.append(
            PlayTrack(
                key=backing_key(backing.id), pieces=[piece], stereo=backing.channels == 2, gain_db=backing.gain_db
            )
        )
    return [track for track in tracks if track.pieces]


async def cues_of(conn: Connection, session_id: UUID) -> list[Cue]:
    """Every listener's mix."""
    return [Cue(cue_id=cue.id, mix=cue.settings) for cue in await cues.list_cues(conn, session_id)]


def _pieces(
    newest_first: list[Take], channels: dict[UUID, list[TakeChannel]], sessions_folder: Path
) -> list[PlayPiece]:
    by_id = {take.id: take for take in newest_first}
    pieces = []
    for piece in layered([Played(take.id, take.windows) for take in newest_first]):
        take = by_id[piece.take_id]
        heard = first_of(channels[take.id], _HEARD_FIRST)
        if heard is not None:
            file = sessions_folder / take.folder / heard.file
            pieces.append(PlayPiece(file=file, begins_frame=take.from_frame, span=piece.span, take_id=take.id))
    return pieces
