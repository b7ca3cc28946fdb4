"""The song as it is played: what every part sounds like, and the backing tracks, fetched piece by piece."""

import asyncio
from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from fatsignal.acts.find_material import find_playable
from fatsignal.acts.play_beside import tracks_beside
from fatsignal.core.cue.mix import CueMix, gains_of
from fatsignal.core.material.channels import ChannelKind, Wanted
from fatsignal.errors import SettingRefused
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import cues, sessions
from fatsignal.web.context import Place, Pool, Transaction

router = APIRouter(prefix="/api", tags=["playing"])

LONGEST_PIECE_FRAMES = 1 << 20
Frame = Annotated[int, Query(ge=-(1 << 40), le=1 << 40)]


class PlayedChannel(BaseModel):
    """One channel of a track, and how loud it is in the left and the right ear."""

    sound_url: str = Field(description="Where its samples are; with `from_frame` and `frames` appended.")
    left: float
    right: float


class PlayedTrack(BaseModel):
    """What a part sounds like, or a backing track, between two frames of the song."""

    key: str = Field(description="Its strip in a cue: a part's id, or that of a backing track.")
    part_id: UUID | None
    from_frame: int
    to_frame: int
    channels: list[PlayedChannel]


@router.get("/sessions/{session_id}/playing")
async def song(session_id: UUID, conn: Transaction, place: Place, cue_id: UUID | None = None) -> list[PlayedTrack]:
    """All that sounds when the song is played, as loud as a listener has set it."""
    session = await sessions.get_session(conn, session_id)
    mix = (await cues.get_cue(conn, cue_id)).settings if cue_id else CueMix()
    tracks = await tracks_beside(conn, session, armed=(), sessions_folder=place.sessions_folder)
    played = []
    for track in tracks:
        sides: list[int | None] = [0, 1] if track.columns == 2 else [None]
        gains = gains_of(mix, [(track.key, side) for side in sides]) * 10 ** (track.gain_db / 20)
        material = track.material
        played.append(
            PlayedTrack(
                key=track.key, part_id=None if track.key.startswith("backing ") else UUID(track.key),
                from_frame=material.first_frame, to_frame=material.first_frame + material.frames,
                channels=[
                    PlayedChannel(
                        sound_url=_sound_url(material.id, material.fingerprint, wanted), left=float(left),
                        right=float(right),
                    )
                    for wanted, (left, right) in zip(track.wanted, gains, strict=True)
                ],
            )
        )  # fmt: skip
    return played


@router.get(
    "/materials/{material_id}/sound", response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)  # fmt: skip
async def sound(
    material_id: UUID, from_frame: Frame, frames: Annotated[int, Query(ge=1, le=LONGEST_PIECE_FRAMES)], pool: Pool,
    place: Place, kind: Annotated[list[ChannelKind], Query(min_length=1)], name: str | None = None,
    fingerprint: str | None = None,
) -> Response:  # fmt: skip
    """Frames of the session of one channel of a material, as 32-bit floats (little-endian); silence where it has none.

    With the `fingerprint` of its sound an answer may be kept: it never changes.
    """
    async with pool.connection() as conn:
        found = await find_playable(conn, material_id, place.sessions_folder)
    if fingerprint is not None and fingerprint != found.material.fingerprint:
        raise SettingRefused("what this part sounds like has changed: play again")
    data = await asyncio.to_thread(_read, found, Wanted(tuple(kind), name), from_frame, frames)
    lasting = "private, max-age=86400, immutable" if fingerprint else "no-store"
    return Response(
        data, media_type="application/octet-stream", headers={"Cache-Control": lasting, "Content-Encoding": "identity"}
    )


def _read(found: MaterialOnDisk, wanted: Wanted, from_frame: int, frames: int) -> bytes:
    with found.reader(gone_is_silent=True) as reader:
        return reader.read(wanted, from_frame, frames).astype(np.dtype("<f4")).tobytes()


def _sound_url(material_id: UUID, fingerprint: str, wanted: Wanted) -> str:
    kinds = "&".join(f"kind={kind}" for kind in wanted.kinds)
    named = f"&name={wanted.name}" if wanted.name else ""
    return f"/api/materials/{material_id}/sound?fingerprint={fingerprint}&{kinds}{named}"
