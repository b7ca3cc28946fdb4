"""Entering what the engine rolled as a take; also what a crash left behind."""

import asyncio
from pathlib import Path

import numpy as np

from fatsignal.acts.survey import keep_wave, survey_file
from fatsignal.core.clip import Clip
from fatsignal.engine.protocol import ENTERED_NAME, JOURNAL_NAME, Journal
from fatsignal.errors import FileRefused
from fatsignal.files.sound import facts_of
from fatsignal.store import takes
from fatsignal.store.database import Connection
from fatsignal.store.takes import Take, TakeChannel


def waiting_rolls(sessions_folder: Path) -> list[Path]:
    """Folders of rolls that are not yet entered, the oldest first."""
    journals = sessions_folder.glob(f"*/*/*/{JOURNAL_NAME}")
    return sorted((path.parent for path in journals), key=lambda folder: (folder / JOURNAL_NAME).stat().st_mtime)


def read_journal(folder: Path) -> Journal:
    """The journal beside the files of a roll."""
    try:
        return Journal.model_validate_json((folder / JOURNAL_NAME).read_text())
    except (OSError, ValueError):
        raise FileRefused(
            f"the journal of {folder.name} cannot be read; its audio lies untouched in its folder"
        ) from None


async def enter_roll(conn: Connection, folder: Path, *, sessions_folder: Path, waves_folder: Path) -> Take | None:
    """Enter a roll as a take, measured; None when nothing was recorded. The journal is kept as `take.json`.

    A roll whose engine died before its end is entered as recovered, with all frames that reached the disk.
    """
    journal = read_journal(folder)
    take, channels = await asyncio.to_thread(_measure, journal, folder, sessions_folder, waves_folder)
    if take is not None:
        async with conn.transaction():
            await takes.add_take(conn, take, channels)
    (folder / JOURNAL_NAME).replace(folder / ENTERED_NAME)
    return take


def _measure(
    journal: Journal, folder: Path, sessions_folder: Path, waves_folder: Path
) -> tuple[Take | None, list[TakeChannel]]:
    order = journal.order
    frames = min(_frames_in(folder / channel.file) for channel in journal.channels)
    if frames == 0:
        return None, []
    end = order.from_frame + frames
    window_from, window_to = order.window_from_frame, min(order.window_to_frame, end)
    if window_from >= window_to:
        # It was stopped in the count-in: all that there is, is the take.
        window_from, window_to = order.from_frame, end
    channels, clips = [], []
    for position, channel in enumerate(journal.channels):
        window = (window_from - order.from_frame, window_to - order.from_frame)
        survey = survey_file(folder / channel.file, kind=channel.kind, window=window)
        clips.append(survey.clip.samples[:frames, 0])
        channels.append(
            TakeChannel(
                position=position, name=channel.name, kind=channel.kind, file=channel.file,
                sha256=survey.sha256, checks=survey.checks,
            )
        )  # fmt: skip
    keep_wave(waves_folder, str(order.roll_id), Clip(np.column_stack(clips), order.rate_hz))
    recovered = journal.ended == ""
    note = journal.problem
    if recovered:
        note = f"recovered after a crash: {frames / order.rate_hz:.1f} s were on disk"
    take = Take(
        id=order.roll_id, part_id=order.part_id, number=order.number, recorded_at=journal.started_at,
        rate_hz=order.rate_hz, from_frame=order.from_frame, recorded_frame=order.from_frame, frames=frames,
        window_from_frame=window_from, window_to_frame=window_to, origin="recovered" if recovered else "rolled",
        rig_sheet=order.setup.model_dump(mode="json"), note=note,
        folder=str(folder.relative_to(sessions_folder)), binned_at=None,
    )  # fmt: skip
    return take, channels


def _frames_in(path: Path) -> int:
    try:
        return facts_of(path).frames
    except FileRefused:
        return 0
