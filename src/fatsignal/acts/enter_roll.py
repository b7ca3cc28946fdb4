"""Entering what the engine rolled as a take or a trial clip; also what a crash left behind."""

import asyncio
import contextlib
import os
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path
from typing import Any, Literal

from fatsignal.acts.materials import material_of_files
from fatsignal.acts.survey import survey
from fatsignal.acts.take_channels import take_channels
from fatsignal.core.material.channels import Channel
from fatsignal.core.takes.windows import Window, clipped
from fatsignal.engine.journal import ENTERED_NAME, JOURNAL_NAME, Journal
from fatsignal.errors import FileRefused
from fatsignal.files.atomic_write import rename_durably
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.files.sound import facts_of
from fatsignal.store import history, parts, takes, trials
from fatsignal.store.database import Connection
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.store.trials import Trial


def waiting_rolls(sessions_folder: Path) -> list[Path]:
    """Folders of takes that are not yet entered, also of those that still roll; the oldest first."""
    found = []
    for path in sessions_folder.glob(f"*/*/*/{JOURNAL_NAME}"):
        with contextlib.suppress(FileNotFoundError):  # a pass that was nothing but a copy has just been removed
            found.append((path.stat().st_mtime_ns, path.parent))
    return [folder for _, folder in sorted(found)]


def is_over(folder: Path) -> bool:
    """Whether a take's journal says that it ended; one that cannot be read does not say so."""
    try:
        return read_journal(folder).ended != ""
    except FileRefused:
        return False


def read_journal(folder: Path) -> Journal:
    """The journal beside the files of a roll."""
    try:
        return Journal.model_validate_json((folder / JOURNAL_NAME).read_text())
    except (OSError, ValueError):
        raise FileRefused(
            f"the journal of {folder.name} cannot be read; its audio lies untouched in its folder"
        ) from None


@dataclass(frozen=True, slots=True)
class MeasuredRoll:
    """A roll that was looked at and is not entered yet: a take, a trial clip, or neither where nothing was recorded."""

    folder: Path
    take: Take | None
    channels: list[TakeChannel]
    trial: Trial | None = None


def roll_files(folder: Path) -> list[list[Any]]:
    """What tells the files of a roll from what they were: name, bytes and time of change of each, its journal first."""
    journal = read_journal(folder)
    return [
        [path.name, state.st_size, state.st_mtime_ns]
        for path in (folder / JOURNAL_NAME, *(folder / channel.file for channel in journal.channels))
        if (state := _state(path)) is not None
    ]


def survey_roll(folder: Path, *, waves_folder: Path) -> dict[str, Any]:
    """Look at what a roll left, as JSON for `measured_roll`: its frames, and what is stored of each channel.

    Raises
    ------
    FileRefused
        If its journal or its files cannot be read.
    """
    journal = read_journal(folder)
    frames = _frames_recorded(journal, folder)
    if frames == 0:
        return {"frames": 0, "channels": []}
    recorded = _recorded(journal, folder, frames)
    channels = take_channels(recorded, survey(recorded, windows=_windows(journal, frames)), waves_folder)
    return {"frames": frames, "channels": [asdict(channel) for channel in channels]}


def measured_roll(folder: Path, surveyed: dict[str, Any], *, sessions_folder: Path) -> MeasuredRoll:
    """The take that a roll becomes, from what its survey found; the database takes it up in `store_roll`.

    A roll whose engine died before its end becomes a recovered take, with all frames that reached the disk.
    """
    journal, frames = read_journal(folder), int(surveyed["frames"])
    if frames == 0:
        return MeasuredRoll(folder, None, [])
    channels = [TakeChannel(**channel) for channel in surveyed["channels"]]
    take = _take(journal, folder, frames, sessions_folder)
    if journal.trial:
        return MeasuredRoll(folder, None, channels, _trial(take, channels))
    return MeasuredRoll(folder, take, channels)


def measure_roll(folder: Path, *, sessions_folder: Path, waves_folder: Path) -> MeasuredRoll:
    """Both at once, for whoever computes here."""
    return measured_roll(folder, survey_roll(folder, waves_folder=waves_folder), sessions_folder=sessions_folder)


async def store_roll(conn: Connection, measured: MeasuredRoll) -> Take | Trial | None:
    """Enter a measured roll as what it is; entering it again is harmless. Its journal is kept as `take.json`.

    Where its number is in use, as when a folder was put back by hand, it gets the next free one.
    """
    entered: Take | Trial | None = None
    async with conn.transaction():
        if measured.take is not None:
            take, new = await takes.add_take_numbered(conn, measured.take, measured.channels)
            if new and take.binned_at is not None:
                await _note_binned(conn, take, "take")
            entered = take
        elif measured.trial is not None:
            trial, new = await trials.add_trial(conn, measured.trial)
            if new and trial.binned_at is not None:
                await _note_binned(conn, trial, "trial")
            entered = trial
    await asyncio.to_thread(rename_durably, measured.folder / JOURNAL_NAME, measured.folder / ENTERED_NAME)
    return entered


async def _note_binned(conn: Connection, entered: Take | Trial, table: Literal["take", "trial"]) -> None:
    """It went into the bin before it was entered: undo takes it out again like any other."""
    part = await parts.get_part(conn, entered.part_id)
    await history.note(
        conn, part.session_id, kind="bin", says=f"{table} {entered.number} put into the bin",
        changes=[
            {
                "table": table, "id": str(entered.id), "before": {"binned_at": None},
                "after": {"binned_at": await history.stored(conn, table, entered.id, "binned_at")},
            }
        ],
    )  # fmt: skip


def readmit_refused(sessions_folder: Path) -> None:
    """What an earlier release refused for good is looked at again."""
    for path in sessions_folder.glob("*/*/*/roll.refused.json"):
        if not (path.parent / ENTERED_NAME).exists():
            with contextlib.suppress(OSError):
                path.replace(path.with_name(JOURNAL_NAME))


def _take(journal: Journal, folder: Path, frames: int, sessions_folder: Path) -> Take:
    recovered = journal.ended == ""
    return Take(
        id=journal.take_id, part_id=journal.part_id, number=journal.number, recorded_at=journal.started_at,
        rate_hz=journal.rate_hz, from_frame=journal.from_frame, recorded_frame=journal.from_frame, frames=frames,
        windows=_windows(journal, frames), by_hand=journal.by_hand,
        gaps=tuple(gap for gap in journal.gaps if gap.at_frame < frames),
        origin="recovered" if recovered else "rolled", rig_sheet=journal.setup.model_dump(mode="json"),
        said=_said(journal, frames), folder=str(folder.relative_to(sessions_folder)),
        binned_at=datetime.now().astimezone() if journal.into_bin else None, roll_id=journal.roll_id,
        heard=tuple(journal.heard),
        sim_tone=journal.sim_tone.model_dump(mode="json") if journal.sim_tone else None,
    )  # fmt: skip


def _trial(take: Take, channels: list[TakeChannel]) -> Trial:
    """The same as a trial clip: what a take would use is what is listened to."""
    return Trial(
        id=take.id, part_id=take.part_id, number=take.number, recorded_at=take.recorded_at, rate_hz=take.rate_hz,
        from_frame=take.from_frame, frames=take.frames, span=take.used, gaps=take.gaps, origin=take.origin,
        rig_sheet=take.rig_sheet, channels=tuple(channels), said=take.said, folder=take.folder,
        binned_at=take.binned_at,
    )  # fmt: skip


def _windows(journal: Journal, frames: int) -> tuple[Window, ...]:
    recorded_span = Window(journal.from_frame, journal.from_frame + frames)
    windows = clipped(journal.windows, recorded_span)
    if not windows and not journal.by_hand:
        # It was stopped in the count-in: all that there is, is the take.
        return (recorded_span,)
    return windows


def _recorded(journal: Journal, folder: Path, frames: int) -> MaterialOnDisk:
    return material_of_files(
        journal.take_id, [(Channel(each.kind, each.name), folder / each.file) for each in journal.channels],
        frames=frames, first_frame=journal.from_frame, rate_hz=journal.rate_hz,
    )  # fmt: skip


def _frames_recorded(journal: Journal, folder: Path) -> int:
    """As long as the shortest channel: what is on the disk of all of them."""
    return min((_frames_in(folder / channel.file) for channel in journal.channels), default=0)


def _state(path: Path) -> os.stat_result | None:
    try:
        return path.stat()
    except OSError:
        return None


def _said(journal: Journal, frames: int) -> str:
    if journal.ended == "":
        return f"recovered after a crash: {frames / journal.rate_hz:.1f} s were on disk"
    lost = sum(gap.frames for gap in journal.gaps)
    if lost:
        places = "one place" if len(journal.gaps) == 1 else f"{len(journal.gaps)} places"
        return f"the interface lost {1000 * lost / journal.rate_hz:.0f} ms at {places}; everything after keeps its time"
    return journal.problem


def _frames_in(path: Path) -> int:
    try:
        return facts_of(path).frames
    except FileRefused:
        return 0
