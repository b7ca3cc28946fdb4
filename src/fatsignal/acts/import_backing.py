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
from fatsignal.core.level.loudness import LoudnessMeter, gated_loudness_lufs
from fatsignal.core.level.waveform_peaks import Columns, columns
from fatsignal.core.timing.beat_tracking import find_pulse
from fatsignal.engine.orders import ListenOrder
from fatsignal.errors import FileRefused, SignalError
from fatsignal.files.bext import BextChunk
from fatsignal.files.claims import place_file
from fatsignal.files.names import file_name
from fatsignal.files.sound import open_mono, read_blocks
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

    def tell(share: float) -> None:
        if on_progress:
            on_progress(min(1.0, share))

    def converted() -> Iterator[Samples]:
        frames = 0
        for block in uploaded_blocks(source, shown_name, rate_hz=session.rate_hz):
            frames += len(block)
            yield block
            # Measuring and listening take about as long again.
            tell(min(0.5, 0.5 * frames / expected))

    return _keep(
        converted(), mark=mark, name=Path(shown_name).stem, channels=facts.channels, depth=depth, session=session,
        sessions_folder=sessions_folder, waves_folder=waves_folder,
        on_measured=lambda frames: tell(0.5 + 0.25 * frames / expected),
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
    on_measured: Callable[[int], None] = lambda frames: None,
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
        meter = LoudnessMeter(rate_hz=session.rate_hz, channels=channels, most_frames=frames)
        wave, loudness_lufs, silent = _measured(partial, meter, on_measured)
        if silent:
            raise FileRefused(f"{wanted.stem} holds nothing but silence: there is nothing to play to")
        pulse, no_pulse = _pulse_of(partial, beats_per_bar=session.tempo.meter_at(1).beats)
        target = place_file(partial, wanted)
    except BaseException:
        partial.unlink(missing_ok=True)
        raise
    backing_id = uuid4()
    keep_wave(waves_folder, str(backing_id), wave)
    return BackingFile(
        backing_id, target.stem, str(target.relative_to(sessions_folder / session.folder)), frames, channels,
        loudness_lufs, pulse, no_pulse,
    )  # fmt: skip


def _measured(
    path: Path, meter: LoudnessMeter, on_measured: Callable[[int], None]
) -> tuple[Columns, float | None, bool]:
    """Columns of its wave, its loudness, and whether it is silent; block by block, however long it is."""
    waves, silent, done = [], True, 0
    for block in read_blocks(path):
        meter.push(block)
        waves.append(columns(block))
        silent = silent and not np.any(block)
        done += len(block)
        on_measured(done)
    loudness_lufs = gated_loudness_lufs(meter.block_powers())
    return np.concatenate(waves, axis=1), loudness_lufs if np.isfinite(loudness_lufs) else None, silent


def _pulse_of(path: Path, *, beats_per_bar: int) -> tuple[dict[str, Any] | None, str]:
    """What was heard in it, or why nothing was."""
    try:
        with open_mono(path) as sound:
            return asdict(find_pulse(sound, beats_per_bar=beats_per_bar)), ""
    except SignalError as trouble:
        return None, str(trouble)
