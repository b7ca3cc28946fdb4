"""The song as it is played: what every part sounds like, and the backing tracks, fetched piece by piece."""

import asyncio
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field

from fatsignal.acts.find_material import find_playable
from fatsignal.acts.overdub_tracks import tracks_beside
from fatsignal.acts.printed_sound import printed_part
from fatsignal.core.clip import Samples
from fatsignal.core.cue.mix import CueMix, gains_of
from fatsignal.core.material.channels import ChannelKind, Wanted
from fatsignal.errors import InvalidSetting
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import cues, sessions
from fatsignal.web.context import Pool, SettingsDep, Transaction
from fatsignal.web.sounds import LONGEST_PIECE_FRAMES, PlayedChannel, PlayingMaterials, floats, streamed

router = APIRouter(prefix="/api", tags=["playing"])


class PlayedTrack(BaseModel):
    """What a part sounds like, or a backing track."""

    key: str = Field(description="Its strip in a cue: a part's id, or that of a backing track.")
    part_id: UUID | None
    channels: list[PlayedChannel]


@router.get("/sessions/{session_id}/playing")
async def song(
    session_id: UUID, conn: Transaction, settings: SettingsDep, cue_id: UUID | None = None
) -> list[PlayedTrack]:
    """All that sounds when the song is played, as loud as a listener has set it."""
    session = await sessions.get_session(conn, session_id)
    mix = (await cues.get_cue(conn, cue_id)).settings if cue_id else CueMix()
    tracks = await tracks_beside(conn, session, armed=(), sessions_folder=settings.sessions_folder)
    played = []
    for track in tracks:
        sides: list[int | None] = [0, 1] if track.columns == 2 else [None]
        gains = gains_of(mix, [(track.key, side) for side in sides]) * 10 ** (track.gain_db / 20)
        # Of a song, what is there is played.
        channels = [
            PlayedChannel(
                **dict(streamed(track.material, wanted, gone_is_silent=True)), left=float(left), right=float(right)
            )
            for wanted, (left, right) in zip(track.wanted, gains, strict=True)
        ]
        part_id = None if track.key.startswith("backing ") else UUID(track.key)
        played.append(PlayedTrack(key=track.key, part_id=part_id, channels=channels))
    return played


@router.get(
    "/materials/{material_id}/sound", response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)  # fmt: skip
async def sound(
    material_id: UUID, from_frame: Annotated[int, Query(ge=-(1 << 40), le=1 << 40)],
    frames: Annotated[int, Query(ge=1, le=LONGEST_PIECE_FRAMES)], pool: Pool, settings: SettingsDep, request: Request,
    kind: Annotated[list[ChannelKind], Query(min_length=1)], name: str | None = None, fingerprint: str | None = None,
    gone_is_silent: bool = False,
) -> Response:  # fmt: skip
    """Frames of one channel of a material, as 32-bit floats (little-endian), counted from the material's own first.

    Where it has none, they are silent. A file that is gone is refused, or is silent where that is asked for. With the
    `fingerprint` of its sound an answer may be kept: wherever in the song the material lies, it never changes.
    """
    playing: PlayingMaterials = request.app.state.playing
    found = playing.get(material_id, fingerprint) if fingerprint is not None else None
    if found is None:
        async with pool.connection() as conn:
            found = await find_playable(conn, material_id, settings.sessions_folder)
            if fingerprint is not None and fingerprint != found.material.fingerprint:
                # A part may be heard by its prints.
                found = await printed_part(conn, material_id, settings.sessions_folder) or found
        if fingerprint is not None and fingerprint != found.material.fingerprint:
            raise InvalidSetting("what this part sounds like has changed: play again")
        playing.keep(found)
    samples, whole = await asyncio.to_thread(
        _read, found, Wanted(tuple(kind), name), from_frame, frames, gone_is_silent=gone_is_silent
    )
    return floats(samples, lasting=fingerprint is not None and whole)


def _read(
    found: MaterialOnDisk, wanted: Wanted, from_frame: int, frames: int, *, gone_is_silent: bool
) -> tuple[Samples, bool]:
    """The samples, and whether all of them were there: silence in the place of a file that is away may pass."""
    with found.reader(gone_is_silent=gone_is_silent) as reader:
        return reader.read(wanted, found.material.first_frame + from_frame, frames), not reader.missed
