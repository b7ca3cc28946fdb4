"""Bringing a sound file, or what the computer played, into a session as a backing track."""

from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

import numpy as np

from fatsignal.acts.upload_reader import uploaded_blocks, uploaded_facts
from fatsignal.acts.waves import keep_wave
from fatsignal.core.clip import Samples
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.level.waveform_peaks import columns
from fatsignal.core.timing.beat_tracking import find_pulse
from fatsignal.engine.orders import ListenOrder
from fatsignal.errors import FileRefused, SignalError
from fatsignal.files.bext import BextChunk
from fatsignal.files.claims import place_file
from fatsignal.files.names import file_name
from fatsignal.files.sound import read_blocks, read_clip
from fatsignal.files.sound_writer import write_sound
from fatsignal.store import backings, history
from fatsignal.store.backings import Backing
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session

LONGEST_S = 3_600
FOLDER = "Backing"
_SUBTYPES_24 = {"PCM_16", "PCM_24", "PCM_S8", "PCM_U8", "ALAC_16", "ALAC_24"}


@dataclass(frozen=True, slots=True)
class BackingFile:
    """A backing track on disk; `pulse` is what the core heard in it, or None with `no_pulse` saying why."""

    id: UUID
    name: str
    file: str
    frames: int
    channels: int
    loudness_lufs: float | None
    pulse: dict[str, Any] | None
    no_pulse: str


def import_backing(
    source: Path, *, shown_name: str, session: Session, sessions_folder: Path, waves_folder: Path,
    mark: str | None = None, on_progress: Callable[[float], None] | None = None,
) -> BackingFile:  # fmt: skip
    """Convert a sound file to the session's rate, measure it and look for its pulse.

    Half written, it bears the name `mark`. `on_progress` is told the share done, 0 to 1; what it raises ends the import
    and leaves no file.

    Raises
    ------
    FileRefused
        If it cannot be read, has more than two channels, is longer than an hour, or holds only silence.
    """
    facts = uploaded_facts(source, shown_name)
    if facts.channels > 2:
        raise FileRefused(f"{shown_name} has {facts.channels} channels; a backing track has one or two: mix it down")
    if facts.frames > LONGEST_S * facts.rate_hz:
        hours = facts.frames / facts.rate_hz / 3600
        raise FileRefused(
            f"{shown_name} is {hours:.1f} hours long; a backing track has up to one hour: cut out the song"
        )
    depth = "24" if facts.subtype in _SUBTYPES_24 else "32f"
    expected = max(1, round(facts.frames * session.rate_hz / facts.rate_hz))

    def converted() -> Iterator[Samples]:
        frames = 0
        for block in uploaded_blocks(source, shown_name, rate_hz=session.rate_hz):
            frames += len(block)
            yield block
            if on_progress:
                # Measuring takes about as long again.
                on_progress(min(0.5, 0.5 * frames / expected))

    return _keep(
        converted(), mark=mark, name=Path(shown_name).stem, channels=facts.channels, depth=depth, session=session,
        sessions_folder=sessions_folder, waves_folder=waves_folder,
    )  # fmt: skip


def join_playback(order: ListenOrder, session: Session, *, sessions_folder: Path, waves_folder: Path) -> BackingFile:
    """Make one backing track of the two channels that were recorded of the computer's playback."""
    left, right = (order.folder / f"{order.stem} - {side}.wav" for side in ("left", "right"))
    blocks = (
        np.column_stack((one[:, 0], other[:, 0]))
        for one, other in zip(read_blocks(left), read_blocks(right), strict=False)
    )
    return _keep(
        blocks, name=order.stem, channels=2, depth="24", session=session, sessions_folder=sessions_folder,
        waves_folder=waves_folder, from_frame=order.from_frame,
    )  # fmt: skip


async def enter_backing(
    conn: Connection, session: Session, made: BackingFile, *, origin: str, placed_frame: int
) -> Backing:
    """Enter a backing track that is on disk; undone, it is gone from the song and its file stays."""
    async with history.act(
        conn, session.id, kind="add backing", says=f"{made.name} brought in", scope={"backing": [made.id]}
    ):
        return await backings.add_backing(
            conn, session_id=session.id, name=made.name, file=made.file, origin=origin, frames=made.frames,
            channels=made.channels, placed_frame=placed_frame, loudness_lufs=made.loudness_lufs, pulse=made.pulse,
            backing_id=made.id,
        )  # fmt: skip


def backing_folder(sessions_folder: Path, session: Session) -> Path:
    """Where a session's backing tracks lie."""
    return sessions_folder / session.folder / FOLDER


def _keep(
    blocks: Iterator[Samples], *, name: str, channels: int, depth: str, session: Session, sessions_folder: Path,
    waves_folder: Path, from_frame: int | None = None, mark: str | None = None,
) -> BackingFile:  # fmt: skip
    folder = backing_folder(sessions_folder, session)
    folder.mkdir(parents=True, exist_ok=True)
    wanted = folder / f"{file_name(name)}.wav"
    partial = folder / f"{mark or uuid4()}.partial.wav"
    at = session.tempo.bar_frame(1) if from_frame is None else from_frame
    note = BextChunk(
        description=wanted.stem, originated_at=datetime.now().astimezone(), time_reference_frames=max(0, at)
    )
    try:
        frames = write_sound(
            partial,
            blocks,
            rate_hz=session.rate_hz,
            channels=channels,
            depth="24" if depth == "24" else "32f",
            note=note,
        )
        clip = read_clip(partial)
        if not np.any(clip.samples):
            raise FileRefused(f"{wanted.stem} holds nothing but silence: there is nothing to play to")
        target = place_file(partial, wanted)
    except BaseException:
        partial.unlink(missing_ok=True)
        raise
    backing_id = uuid4()
    keep_wave(waves_folder, str(backing_id), columns(clip.samples))
    loudness = integrated_loudness_lufs(clip)
    pulse, no_pulse = None, ""
    try:
        pulse = asdict(find_pulse(clip, beats_per_bar=session.tempo.meter_at(1).beats))
    except SignalError as trouble:
        no_pulse = str(trouble)
    return BackingFile(
        backing_id, target.stem, str(target.relative_to(sessions_folder / session.folder)), frames, channels,
        loudness if np.isfinite(loudness) else None, pulse, no_pulse,
    )  # fmt: skip
