"""Versions of a comp side by side over a stretch of the song, equally loud there."""

import asyncio
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

from fatsignal.acts.part_sound import sound_of_version
from fatsignal.core.clip import Clip
from fatsignal.core.material.channels import Wanted
from fatsignal.core.takes.windows import Window
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import comps
from fatsignal.store.comps import StoredComp
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True)
class ComparedVersion:
    """`gain_db` makes it as loud as the others over the stretch; `loudness_lufs` is None where it is silent there."""

    version: StoredComp
    sound: MaterialOnDisk
    loudness_lufs: float | None
    gain_db: float


async def compare_versions(
    conn: Connection, part_id: UUID, span: Window, sessions_folder: Path, *, wanted: Wanted
) -> list[ComparedVersion]:
    """Every version of a part's comp that sounds, in their order."""
    found = []
    for version in await comps.list_comps(conn, part_id):
        sound = await sound_of_version(conn, version, sessions_folder)
        if sound is not None:
            found.append((version, sound))
    return await asyncio.to_thread(_equally_loud, found, span, wanted)


def _equally_loud(
    found: list[tuple[StoredComp, MaterialOnDisk]], span: Window, wanted: Wanted
) -> list[ComparedVersion]:  # fmt: skip
    # What measures loads scipy, and is needed here only.
    from fatsignal.acts.excerpt import loudness_and_peak
    from fatsignal.core.json_values import json_ready
    from fatsignal.core.tone.loudness_match import matching_gains_db

    measured = []
    for _, sound in found:
        with sound.reader(gone_is_silent=True) as reader:
            samples = reader.read(wanted, span.from_frame, span.frames)
        measured.append(json_ready(loudness_and_peak(Clip(samples[:, None], sound.material.rate_hz))))
    gains = matching_gains_db([lufs for lufs, _ in measured], [peak for _, peak in measured])
    return [
        ComparedVersion(version, sound, lufs, round(gain_db, 3))
        for (version, sound), (lufs, _), gain_db in zip(found, measured, gains, strict=True)
    ]
