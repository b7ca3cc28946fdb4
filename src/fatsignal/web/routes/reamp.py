"""Re-amp: tones, prints, and what a comparison at equal loudness needs."""

from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.acts.find_material import find_material
from fatsignal.acts.materials import material_of_print, material_of_take
from fatsignal.core.material.channels import HEARD_FIRST, RecordedKind, Wanted, first_of
from fatsignal.store import parts, prints, takes, tones, works
from fatsignal.web.context import Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.presenters.prints import PrintView, prints_of
from fatsignal.web.sounds import StreamedSound, streamed

router = APIRouter(prefix="/api", tags=["re-amp"])


class NewPrint(BaseModel):
    material_id: UUID
    tone_revision_id: UUID


class SoundView(StreamedSound):
    """One sound of a comparison; `gain_db` brings it to the loudness of the others."""

    key: str
    name: str
    kind: RecordedKind
    wave_id: UUID
    wave_channel: int
    loudness_lufs: float | None
    gain_db: float
    spectrum_difference_db: float | None
    print_id: UUID | None = None


class ComparisonView(BaseModel):
    """All that can be heard of one take: its channels and its prints, in one place, at one loudness."""

    take_id: UUID
    from_frame: int
    frames: int
    rate_hz: int
    sounds: list[SoundView]
    heard_first: str | None = Field(description="Key of the sound that is heard until another is chosen.")


@router.get("/sessions/{session_id}/prints")
async def all_prints(session_id: UUID, conn: Transaction) -> list[PrintView]:
    """Every print of the session, as far as it is."""
    return await prints_of(session_id, conn)


@router.post("/prints", status_code=202)
async def ask_for_print(new: NewPrint, pool: Pool, settings: SettingsDep, queue: WorkQueueDep) -> PrintView:
    """Ask for the DI of a take through a tone; a print that is there already is simply returned."""
    async with pool.connection() as conn:
        found = await find_material(conn, new.material_id, settings.sessions_folder)
        await tones.get_revision(conn, new.tone_revision_id)
        print_, asked = await prints.ask_for_print(
            conn, material_id=new.material_id, material_fingerprint=found.material.fingerprint,
            tone_revision_id=new.tone_revision_id,
        )  # fmt: skip
        work = await works.get_work(conn, print_.work_id)
    # The worker must see the print when it is woken.
    if asked:
        await queue.wake(work)
    return PrintView.model_validate(print_)


@router.delete("/prints/{print_id}/rendering", status_code=204)
async def stop_print(print_id: UUID, conn: Transaction) -> Response:
    """Stop a rendering; nothing of it is left. A finished print stays."""
    await works.stop(conn, (await prints.get_print(conn, print_id)).work_id)
    return Response(status_code=204)


@router.get("/takes/{take_id}/comparison")
async def comparison(take_id: UUID, conn: Transaction, settings: SettingsDep) -> ComparisonView:
    """Everything that can be heard of a take, with the gains that make it equally loud."""
    from fatsignal.core.tone.loudness_match import matching_gains_db

    take = await takes.get_take(conn, take_id)
    part = await parts.get_part(conn, take.part_id)
    channels = (await takes.channels_of(conn, [take_id]))[take_id]
    recorded = material_of_take(take, channels, settings.sessions_folder).material
    sounds = [
        SoundView(
            key=f"channel-{channel.position}", name=channel.name, kind=channel.kind,
            **dict(streamed(recorded, Wanted.exactly(channel.key))),
            wave_id=take_id, wave_channel=channel.position,
            loudness_lufs=channel.checks["loudness_lufs"], gain_db=0, spectrum_difference_db=None,
        )
        for channel in channels
    ]  # fmt: skip
    peaks = [channel.checks["true_peak_dbtp"] for channel in channels]
    for print_ in await prints.list_prints(conn, part.session_id):
        if print_.material_id != take_id or print_.state != "ready" or print_.checks is None:
            continue
        printed = material_of_print(
            print_, first_frame=take.from_frame, rate_hz=take.rate_hz, sessions_folder=settings.sessions_folder
        ).material
        sounds.append(
            SoundView(
                key=f"print-{print_.id}", name=f"{print_.tone_name}", kind="sim",
                **dict(streamed(printed, Wanted())), wave_id=print_.id, wave_channel=0,
                loudness_lufs=print_.checks["loudness_lufs"], gain_db=0,
                spectrum_difference_db=print_.checks.get("spectrum_difference_db"), print_id=print_.id,
            )
        )  # fmt: skip
        peaks.append(print_.checks["true_peak_dbtp"])
    gains = matching_gains_db([sound.loudness_lufs for sound in sounds], peaks)
    for sound, gain_db in zip(sounds, gains, strict=True):
        sound.gain_db = round(gain_db, 3)
    # As in the song: by a channel of its own; prints came later.
    first = first_of(sounds[: len(channels)], HEARD_FIRST)
    return ComparisonView(
        take_id=take_id, from_frame=take.from_frame, frames=take.frames, rate_hz=take.rate_hz, sounds=sounds,
        heard_first=first.key if first else None,
    )  # fmt: skip
