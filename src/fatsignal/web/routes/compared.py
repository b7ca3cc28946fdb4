"""Takes beside each other at one stretch of the song: any channel, dry or through a tone, at equal loudness."""

import asyncio
from typing import TYPE_CHECKING, Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel

from fatsignal.acts.materials import material_of_take
from fatsignal.core.material.channels import HEARD_FIRST, Wanted, find
from fatsignal.core.takes.windows import Window
from fatsignal.errors import NotFound, SettingRefused
from fatsignal.store import takes, tones
from fatsignal.store.database import Connection
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.web.context import Place, Pool
from fatsignal.web.sounds import LONGEST_PIECE_FRAMES, StreamedSound, floats, streamed

if TYPE_CHECKING:
    from fatsignal.acts.excerpt import Excerpt
    from fatsignal.core.tone.document import Tone

router = APIRouter(prefix="/api", tags=["takes"])

MOST_COMPARED = 9
LONGEST_S = 120.0


class ComparedView(StreamedSound):
    """One take at the stretch; `gain_db` makes it as loud as the others there."""

    take_id: UUID
    number: int
    channel: str
    position: int
    gain_db: float
    loudness_lufs: float | None


class ComparedTakes(BaseModel):
    from_frame: int
    to_frame: int
    sounds: list[ComparedView]


From = Annotated[int, Query(ge=0, description="First frame of the stretch.")]
To = Annotated[int, Query(ge=1)]
Channel = Annotated[str | None, Query(description="Of which kind or name; null: the first mic, else the DI.")]
ToneId = Annotated[UUID | None, Query(description="Hear the DI through this tone revision.")]


@router.get("/takes/compared")
async def compared(
    take_ids: Annotated[list[UUID], Query(alias="id", min_length=1, max_length=MOST_COMPARED)],
    from_frame: From, to_frame: To, pool: Pool, place: Place, channel: Channel = None, tone: ToneId = None,
) -> ComparedTakes:  # fmt: skip
    """Takes at a stretch of the song, with the gains that make them equally loud there."""
    from fatsignal.acts.excerpt import loudness_and_peak, sound_of
    from fatsignal.core.json_values import json_ready
    from fatsignal.core.tone.loudness_match import matching_gains_db

    found = []
    # No connection is held while it is computed.
    async with pool.connection() as conn:
        for take_id in take_ids:
            take = await takes.get_take(conn, take_id)
            channels = (await takes.channels_of(conn, [take_id]))[take_id]
            chosen = _channel(take, channels, "di" if tone else channel)
            found.append((take, chosen, _excerpt(place, take, channels, chosen, from_frame, to_frame)))
        document = await _tone(conn, tone)
    measured = [loudness_and_peak(await asyncio.to_thread(sound_of, excerpt, document)) for _, _, excerpt in found]
    gains = matching_gains_db([lufs for lufs, _ in measured], [peak for _, peak in measured])

    def heard(take: Take, chosen: TakeChannel, excerpt: "Excerpt") -> StreamedSound:
        if tone is None:
            return streamed(excerpt.recorded.material, excerpt.wanted)
        url = f"/api/takes/{take.id}/channels/{chosen.position}/through/{tone}"
        return StreamedSound(
            sound_url=f"{url}?stretch_from={from_frame}&stretch_to={to_frame}", from_frame=from_frame,
            frames=to_frame - from_frame,
        )  # fmt: skip

    return ComparedTakes(
        from_frame=from_frame, to_frame=to_frame,
        sounds=[
            ComparedView(
                take_id=take.id, number=take.number, channel=chosen.name, position=chosen.position,
                **dict(heard(take, chosen, excerpt)), gain_db=round(gain, 3), loudness_lufs=json_ready(lufs, digits=2),
            )
            for (take, chosen, excerpt), gain, (lufs, _) in zip(found, gains, measured, strict=True)
        ],
    )  # fmt: skip


@router.get(
    "/takes/{take_id}/channels/{position}/through/{tone_id}", response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)  # fmt: skip
async def through(
    take_id: UUID, position: int, tone_id: UUID, stretch_from: From, stretch_to: To,
    from_frame: Annotated[int, Query(ge=0, le=1 << 40)], frames: Annotated[int, Query(ge=1, le=LONGEST_PIECE_FRAMES)],
    pool: Pool, place: Place,
) -> Response:  # fmt: skip
    """Frames of a stretch of one channel through a tone, counted from the stretch's first; silent beyond its end."""
    from fatsignal.acts.excerpt import sound_of

    async with pool.connection() as conn:
        take = await takes.get_take(conn, take_id)
        channels = (await takes.channels_of(conn, [take_id]))[take_id]
        chosen = next((each for each in channels if each.position == position), None)
        if chosen is None:
            raise NotFound("channel", position)
        document = await _tone(conn, tone_id)
    excerpt = _excerpt(place, take, channels, chosen, stretch_from, stretch_to)
    clip = await asyncio.to_thread(sound_of, excerpt, document)
    piece = clip.channel(0)[from_frame : from_frame + frames]
    return floats(np.concatenate((piece, np.zeros(frames - len(piece)))), lasting=False)


def _excerpt(
    place: Place, take: Take, channels: list[TakeChannel], chosen: TakeChannel, from_frame: int, to_frame: int
) -> "Excerpt":
    from fatsignal.acts.excerpt import Excerpt

    if not 0 < to_frame - from_frame <= LONGEST_S * take.rate_hz:
        raise SettingRefused(f"a stretch to compare lasts up to {LONGEST_S:.0f} s and ends after it begins")
    recorded = material_of_take(take, channels, place.sessions_folder)
    return Excerpt(recorded, Wanted.exactly(chosen.key), Window(from_frame, to_frame))


def _channel(take: Take, channels: list[TakeChannel], wanted: str | None) -> TakeChannel:
    """The channel of a kind, or of a name; of a kind that is not there the first that is heard."""
    kind = next((kind for kind in HEARD_FIRST if kind == wanted), None)
    if kind is not None:
        chosen = find(channels, Wanted((kind,)))
        if chosen is None and kind == "di":
            raise SettingRefused(f"take {take.number} has no DI: it cannot be heard dry or through a tone")
    else:
        chosen = find(channels, Wanted(HEARD_FIRST, wanted))
    return chosen or channels[0]


async def _tone(conn: Connection, tone_id: UUID | None) -> "Tone | None":
    from fatsignal.core.tone.document import Tone

    return Tone.model_validate((await tones.get_revision(conn, tone_id)).document) if tone_id else None
