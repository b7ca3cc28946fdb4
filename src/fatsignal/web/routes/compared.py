"""Takes beside each other at one stretch of the song: any channel, dry or through a tone, at equal loudness."""

import asyncio
import hashlib
from collections.abc import Sequence
from typing import TYPE_CHECKING, Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel

from fatsignal.acts.dry_sound import di_voltages
from fatsignal.core.json_values import json_ready
from fatsignal.core.material.channels import HEARD_FIRST, Wanted, find
from fatsignal.errors import InvalidSetting, WorkFailed
from fatsignal.jobs.kinds.comparing import (
    COMPARISON_KIND,
    ComparisonInput,
    ExcerptAsked,
    excerpt_from,
    excerpt_of,
    tone_of,
)
from fatsignal.store import takes
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.web.context import Pool, SettingsDep, WorkQueueDep
from fatsignal.web.sounds import LONGEST_PIECE_FRAMES, StreamedSound, floats, streamed
from fatsignal.web.work_queue import WorkQueue

if TYPE_CHECKING:
    from fatsignal.acts.excerpt import Excerpt

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
    from_frame: From, to_frame: To, pool: Pool, settings: SettingsDep, queue: WorkQueueDep, channel: Channel = None,
    tone: ToneId = None,
) -> ComparedTakes:  # fmt: skip
    """Takes at a stretch of the song, with the gains that make them equally loud there."""
    from fatsignal.core.tone.loudness_match import matching_gains_db

    found: list[tuple[Take, TakeChannel, ExcerptAsked, Excerpt]] = []
    async with pool.connection() as conn:
        document, volts = await tone_of(conn, tone), await di_voltages(conn, take_ids)
        for take_id in take_ids:
            take = await takes.get_take(conn, take_id)
            _check_stretch(from_frame, to_frame, take.rate_hz)
            channels = (await takes.channels_of(conn, [take_id]))[take_id]
            chosen = _channel(take, channels, "di" if tone else channel)
            asked = ExcerptAsked(
                take_id=take_id, position=chosen.position, from_frame=from_frame, to_frame=to_frame, tone_id=tone
            )
            found.append((take, chosen, asked, excerpt_from(take, channels, chosen, asked, document, volts, settings)))
    measured = await _measured(queue, [(asked, excerpt) for _, _, asked, excerpt in found])
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
            for (take, chosen, _, excerpt), gain, (lufs, _) in zip(found, gains, measured, strict=True)
        ],
    )  # fmt: skip


@router.get(
    "/takes/{take_id}/channels/{position}/through/{tone_id}", response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)  # fmt: skip
async def through(
    take_id: UUID, position: int, tone_id: UUID, stretch_from: From, stretch_to: To,
    from_frame: Annotated[int, Query(ge=0, le=1 << 40)], frames: Annotated[int, Query(ge=1, le=LONGEST_PIECE_FRAMES)],
    pool: Pool, settings: SettingsDep, queue: WorkQueueDep,
) -> Response:  # fmt: skip
    """Frames of a stretch of one channel through a tone, counted from the stretch's first; silent beyond its end."""
    from fatsignal.acts.excerpt import kept_excerpt, piece_of_kept

    asked = ExcerptAsked(
        take_id=take_id, position=position, from_frame=stretch_from, to_frame=stretch_to, tone_id=tone_id
    )
    async with pool.connection() as conn:
        excerpt = await excerpt_of(conn, asked, settings)
    _check_stretch(stretch_from, stretch_to, excerpt.rate_hz)
    kept = kept_excerpt(settings.excerpts_folder, await asyncio.to_thread(excerpt.fingerprint))
    piece = await asyncio.to_thread(piece_of_kept, kept, from_frame, frames)
    if piece is None:
        # Never computed, or forgotten since.
        await _measured(queue, [(asked, excerpt)], anew=True)
        piece = await asyncio.to_thread(piece_of_kept, kept, from_frame, frames)
    if piece is None:
        raise WorkFailed("what went through the tone is not kept: make room in the data folder and listen again")
    return floats(piece, lasting=False)


async def _measured(
    queue: WorkQueue, found: "Sequence[tuple[ExcerptAsked, Excerpt]]", *, anew: bool = False
) -> list[tuple[float | None, float | None]]:
    """Loudness and true peak of each (None: silence), by a worker, which keeps what goes through a tone."""
    prints = await asyncio.to_thread(lambda: [excerpt.fingerprint() for _, excerpt in found])
    work = await queue.ask(
        kind=COMPARISON_KIND, fingerprint=hashlib.sha256(" ".join(prints).encode()).hexdigest(),
        work_input=ComparisonInput(excerpts=[asked for asked, _ in found]).model_dump(mode="json"), anew=anew,
    )  # fmt: skip
    return [(each["loudness_lufs"], each["peak_dbtp"]) for each in await queue.result(work)]


def _check_stretch(from_frame: int, to_frame: int, rate_hz: int) -> None:
    if not 0 < to_frame - from_frame <= LONGEST_S * rate_hz:
        raise InvalidSetting(f"a stretch to compare lasts up to {LONGEST_S:.0f} s and ends after it begins")


def _channel(take: Take, channels: list[TakeChannel], wanted: str | None) -> TakeChannel:
    """The channel of a kind, or of a name; of a kind that is not there the first that is heard."""
    kind = next((kind for kind in HEARD_FIRST if kind == wanted), None)
    if kind is not None:
        chosen = find(channels, Wanted((kind,)))
        if chosen is None and kind == "di":
            raise InvalidSetting(f"take {take.number} has no DI: it cannot be heard dry or through a tone")
    else:
        chosen = find(channels, Wanted(HEARD_FIRST, wanted))
    return chosen or channels[0]
