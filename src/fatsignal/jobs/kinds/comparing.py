"""Comparisons: takes at one stretch of the song, each measured there, dry or through a tone."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any
from uuid import UUID

from pydantic import BaseModel

from fatsignal.acts.dry_sound import KnownVoltage, di_voltages
from fatsignal.config import Settings
from fatsignal.errors import NotFound
from fatsignal.jobs.kind import PROMPT, Tell, WorkKind, keep_result
from fatsignal.store import takes, tones
from fatsignal.store.database import Connection
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.excerpt import Excerpt
    from fatsignal.core.tone.document import Tone

COMPARISON_KIND = "comparison"
_REMEMBERED = 300


class ExcerptAsked(BaseModel):
    """A stretch of one channel of a take, through a revision of a tone where one is named."""

    take_id: UUID
    position: int
    from_frame: int
    to_frame: int
    tone_id: UUID | None = None


class ComparisonInput(BaseModel):
    excerpts: list[ExcerptAsked]


async def excerpt_of(conn: Connection, asked: ExcerptAsked, settings: Settings) -> "Excerpt":
    """What is to be heard, found in the database.

    Raises
    ------
    NotFound
        If the take, the channel or the tone is not there.
    """
    take = await takes.get_take(conn, asked.take_id)
    channels = (await takes.channels_of(conn, [take.id]))[take.id]
    chosen = next((each for each in channels if each.position == asked.position), None)
    if chosen is None:
        raise NotFound("channel", asked.position)
    volts = await di_voltages(conn, [take.id])
    return excerpt_from(take, channels, chosen, asked, await tone_of(conn, asked.tone_id), volts, settings)


def excerpt_from(
    take: Take, channels: Sequence[TakeChannel], chosen: TakeChannel, asked: ExcerptAsked, tone: "Tone | None",
    volts: "Mapping[UUID, KnownVoltage]", settings: Settings,
) -> "Excerpt":  # fmt: skip
    """What is to be heard of a take that was found, through a tone that was; `volts` are its DI's."""
    from fatsignal.acts.excerpt import Excerpt
    from fatsignal.acts.materials import material_of_take
    from fatsignal.core.material.channels import Wanted
    from fatsignal.core.takes.windows import Window

    recorded = material_of_take(take, channels, settings.sessions_folder)
    return Excerpt(
        recorded, Wanted.exactly(chosen.key), Window(asked.from_frame, asked.to_frame), tone, volts[take.id].voltage
    )


async def tone_of(conn: Connection, tone_id: UUID | None) -> "Tone | None":
    """The tone of a revision, where one is named."""
    from fatsignal.core.tone.document import Tone

    return Tone.model_validate((await tones.get_revision(conn, tone_id)).document) if tone_id else None


async def _prepare(conn: Connection, work: Work, settings: Settings) -> "tuple[list[Excerpt], Settings]":
    asked = ComparisonInput.model_validate(work.input)
    return [await excerpt_of(conn, each, settings) for each in asked.excerpts], settings


def _compute(prepared: "tuple[list[Excerpt], Settings]", _: str, tell: Tell) -> Any:
    from fatsignal.acts.excerpt import loudness_and_peak, sound_of
    from fatsignal.core.json_values import json_ready

    excerpts, settings = prepared
    found = []
    for done, excerpt in enumerate(excerpts):
        tell(done / len(excerpts))
        lufs, peak_dbtp = loudness_and_peak(sound_of(excerpt, settings.excerpts_folder))
        found.append({"loudness_lufs": lufs, "peak_dbtp": peak_dbtp})
    return json_ready(found)


COMPARISON = WorkKind(
    name=COMPARISON_KIND, queue=PROMPT, prepare=_prepare, compute=_compute, keep=keep_result, remembered=_REMEMBERED
)
