"""Rendering a print: a take's dry channel through a tone revision, with its whole origin."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import fatsignal
from fatsignal.acts.survey import keep_wave, level_checks, sha256_of
from fatsignal.core.clip import Clip
from fatsignal.core.tone.chain import inner_factor
from fatsignal.core.tone.document import parse_tone
from fatsignal.core.tone.spectra import spectrum_difference_db
from fatsignal.errors import FileRefused
from fatsignal.files.bext import BroadcastNote
from fatsignal.files.names import file_name
from fatsignal.files.reamp import reamp_file
from fatsignal.files.sound import read_clip
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.store.tones import ToneRevision


@dataclass(frozen=True, slots=True)
class RenderedPrint:
    """A finished print; `file` is relative to the folder of all sessions."""

    file: str
    sha256: str
    frames: int
    origin: dict[str, Any]
    checks: dict[str, Any]
    times_real_time: float


def render_print(
    *, print_id: str, asking: int, session: Session, take: Take, channels: list[TakeChannel], revision: ToneRevision,
    sessions_folder: Path, waves_folder: Path, on_progress: Callable[[float, float], None],
) -> RenderedPrint:  # fmt: skip
    """Render a print to its place; the same audio and the same revision give the same bytes.

    `asking` keeps two renderings of one print out of each other's half-written files. `on_progress` is told the
    share done and how many times faster than real time it goes; what it raises ends the rendering, and no file is
    left.
    """
    dry = next((channel for channel in channels if channel.kind == "di"), None)
    if dry is None:
        raise FileRefused(f"take {take.number} has no DI to re-amp")
    tone = parse_tone(revision.document)
    source = sessions_folder / take.folder / dry.file
    if not source.exists():
        raise FileRefused(f"{dry.file} is not in its folder any more; put it back to re-amp this take")
    if sha256_of(source) != dry.sha256:
        raise FileRefused(f"{dry.file} was changed since it was recorded; put the recorded file back")
    stem = Path(dry.file).stem.rsplit(" - ", 1)[0]
    target = (
        sessions_folder
        / session.folder
        / "Prints"
        / (f"{file_name(f'{stem} - {revision.name} r{revision.revision}')}.wav")
    )
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = target.with_name(f"{print_id}.{asking}.rendering.wav")
    # What a worker that died left half done, of this asking or one before, is rendered again from the start.
    for number in range(1, asking + 1):
        target.with_name(f"{print_id}.{number}.rendering.wav").unlink(missing_ok=True)
    note = BroadcastNote(
        description=target.stem,
        originated_at=take.recorded_at,
        time_reference_frames=take.from_frame,
        coding_history=f"A=PCM,F={take.rate_hz},W=24,M=mono,T=Fat Signal {fatsignal.__version__}\r\n",
    )
    started_s = time.monotonic()

    def progress(share: float) -> None:
        spent_s = max(time.monotonic() - started_s, 1e-3)
        on_progress(share, share * take.frames / take.rate_hz / spent_s)

    frames = reamp_file(source, partial, tone, depth="24", note=note, on_progress=progress)
    times_real_time = frames / take.rate_hz / max(time.monotonic() - started_s, 1e-3)
    wet = read_clip(partial)
    checks = _checks(wet, take, channels, sessions_folder)
    keep_wave(waves_folder, print_id, wet)
    partial.replace(target)
    return RenderedPrint(
        file=str(target.relative_to(sessions_folder)),
        sha256=sha256_of(target),
        frames=frames,
        origin={
            "engine": fatsignal.__version__,
            "take_id": str(take.id),
            "dry_file": dry.file,
            "dry_sha256": dry.sha256,
            "tone": revision.document,
            "tone_revision": revision.revision,
            "tone_fingerprint": revision.fingerprint,
            "rate_hz": take.rate_hz,
            "oversampling": inner_factor(tone.oversample, take.rate_hz),
            "depth": "24",
        },
        checks=checks,
        times_real_time=times_real_time,
    )


def _checks(wet: Clip, take: Take, channels: list[TakeChannel], sessions_folder: Path) -> dict[str, Any]:
    """Level figures over the take's window, and the distance in tone from the miked amp, if there is one."""
    start, end = take.used.moved(-take.from_frame)
    heard = Clip(wet.samples[start:end], wet.rate_hz)
    checks = level_checks(heard, kind="sim")
    mic = next((channel for channel in channels if channel.kind == "mic"), None)
    path = sessions_folder / take.folder / mic.file if mic else None
    if path is not None and path.exists() and heard.frames >= heard.rate_hz // 4:
        reference = read_clip(path).channel(0)[start:end]
        checks["spectrum_difference_db"] = round(
            spectrum_difference_db(heard.channel(0), reference, rate_hz=wet.rate_hz), 2
        )
    return checks
