"""What a comparison of a take's channels and prints at equal loudness needs."""

from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fatsignal.acts.materials import material_of_print, material_of_take
from fatsignal.core.material.channels import HEARD_FIRST, RecordedKind, Wanted, first_of
from fatsignal.store import parts, prints, takes
from fatsignal.web.context import SettingsDep, Transaction
from fatsignal.web.sounds import StreamedSound, streamed

router = APIRouter(prefix="/api", tags=["re-amp"])

# One channel is heard in both ears: a stereo sound that is as loud counts so much more.
BOTH_EARS_LU = 3.01


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
    right: StreamedSound | None = Field(
        None, description="Of a stereo print its right side; the rest is its left then."
    )


class ComparisonView(BaseModel):
    """All that can be heard of one take: its channels and its prints, in one place, at one loudness."""

    take_id: UUID
    from_frame: int
    frames: int
    rate_hz: int
    sounds: list[SoundView]
    heard_first: str | None = Field(description="Key of the sound that is heard until another is chosen.")


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
        left, *right = (streamed(printed, Wanted.exactly(channel)) for channel in printed.channels)
        told_lufs = print_.checks["loudness_lufs"]
        sounds.append(
            SoundView(
                key=f"print-{print_.id}", name=f"{print_.tone_name}", kind="sim",
                **dict(left), wave_id=print_.id, wave_channel=0, right=right[0] if right else None,
                loudness_lufs=told_lufs - BOTH_EARS_LU if right and told_lufs is not None else told_lufs, gain_db=0,
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
