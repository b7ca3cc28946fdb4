"""Rendering a print: the dry channel of a material through a tone revision, with its whole origin."""

import contextlib
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import UUID

import numpy as np

import fatsignal
from fatsignal.acts.dry_sound import DrySound
from fatsignal.acts.materials import material_of_files
from fatsignal.acts.survey import ChannelPass
from fatsignal.acts.waves import keep_wave
from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples
from fatsignal.core.json_values import json_ready
from fatsignal.core.level.loudness import LoudnessMeter, gated_loudness_lufs
from fatsignal.core.level.waveform_peaks import Columns
from fatsignal.core.material.channels import DRY, Wanted, find, sides
from fatsignal.core.takes.windows import Window
from fatsignal.core.tone.chain import inner_factor
from fatsignal.core.tone.document import parse_tone
from fatsignal.core.tone.print_settings import PrintSettings
from fatsignal.core.tone.tone_distance import SpectrumMeter, levels_apart_db
from fatsignal.errors import FileRefused
from fatsignal.files.bext import BextChunk, mono_history
from fatsignal.files.claims import place_file
from fatsignal.files.material_files import MaterialOnDisk, sha256_of
from fatsignal.files.names import file_name
from fatsignal.files.reamp import reamp_material
from fatsignal.store.tones import ToneRevision


@dataclass(frozen=True, slots=True)
class ToPrint:
    """What is to be rendered: a dry sound, what of it is used, what it is called, when it was played."""

    dry: DrySound
    used: Window
    name: str
    recorded_at: datetime


@dataclass(frozen=True, slots=True)
class RenderedPrint:
    """A finished print; `file` is relative to the folder of all sessions."""

    file: str
    sha256: str
    frames: int
    origin: dict[str, Any]
    checks: dict[str, Any]
    channels: int
    times_real_time: float


def render_print(
    what: ToPrint, revision: ToneRevision, settings: PrintSettings, *, print_id: UUID, holder: str, folder: Path,
    sessions_folder: Path, waves_folder: Path, on_progress: Callable[[float, float], None],
) -> RenderedPrint:  # fmt: skip
    """Render a print into `folder`; the same audio and the same revision give the same bytes, on one kind of processor.

    Whoever renders has its own half-written file, named by `holder`. The finished one gets a name that nothing has.
    `on_progress` is told the share done and how many times faster than real time it goes; what it raises ends the
    rendering, and no file is left.

    Raises
    ------
    FileRefused
        If there is no DI, or its file is gone or was changed.
    """
    recorded, material, tone = what.dry.recorded, what.dry.recorded.material, parse_tone(revision.document)
    dry = recorded.files_of(DRY)
    if not dry:
        raise FileRefused(f"{what.name} has no DI to re-amp")
    recorded.check_whole(DRY)
    name = file_name(f"{what.name} - {revision.name}", ending=f" r{revision.revision}")
    folder.mkdir(parents=True, exist_ok=True)
    partial, copy = (folder / f"{print_id}.{holder}.{what}.wav" for what in ("rendering", "copy.rendering"))
    partial.unlink(missing_ok=True)
    copy.unlink(missing_ok=True)
    copy_rate_hz = settings.rate_hz
    note = BextChunk(
        description=name,
        originated_at=what.recorded_at,
        time_reference_frames=max(0, material.first_frame),
        coding_history=mono_history(material.rate_hz, settings.depth),
    )
    started_s = time.monotonic()

    def progress(share: float) -> None:
        spent_s = max(time.monotonic() - started_s, 1e-3)
        on_progress(share, share * material.frames / material.rate_hz / spent_s)

    try:
        with recorded.reader() as reader:
            frames, channels = reamp_material(
                reader, DRY, partial, tone, voltage=what.dry.voltage, settings=settings, note=note,
                on_progress=progress, copy=copy if copy_rate_hz else None,
            )  # fmt: skip
        times_real_time = frames / material.rate_hz / max(time.monotonic() - started_s, 1e-3)
        checksum = sha256_of(partial)
        wet = material_of_files(
            print_id, [(each, partial) for each in sides("sim", revision.name, channels)], frames=frames,
            first_frame=material.first_frame, rate_hz=material.rate_hz, fingerprint=checksum,
        )  # fmt: skip
        checks, waves = _checks(wet, what)
        keep_wave(waves_folder, checksum, waves)
        copied = {}
        if copy_rate_hz:
            there = {"sha256": sha256_of(copy), "rate_hz": copy_rate_hz}
            placed = place_file(copy, folder / f"{name} {copy_rate_hz / 1000:g} kHz.wav")
            copied = {"copy": {"file": str(placed.relative_to(sessions_folder)), **there}}
        target = place_file(partial, folder / f"{name}.wav")
        # What workers that died left half done of this print.
        for left in folder.glob(f"{print_id}.*.rendering.wav"):
            left.unlink(missing_ok=True)
    finally:
        partial.unlink(missing_ok=True)
        copy.unlink(missing_ok=True)
    return RenderedPrint(
        file=str(target.relative_to(sessions_folder)),
        sha256=checksum,
        frames=frames,
        origin={
            "engine": fatsignal.__version__,
            "material_id": str(material.id),
            "material_fingerprint": what.dry.fingerprint,
            "di_full_scale_v": what.dry.voltage.full_scale_v,
            "di_inverted": what.dry.voltage.inverted,
            "dry_files": [{"file": each.path.name, "sha256": each.sha256} for each in dry],
            "tone": revision.document,
            "tone_revision": revision.revision,
            "tone_fingerprint": revision.fingerprint,
            "rate_hz": material.rate_hz,
            "first_frame": material.first_frame,
            "oversampling": inner_factor(settings.oversample or tone.oversample, material.rate_hz),
            "depth": settings.depth,
            "tail_s": settings.tail_s,
            **copied,
        },
        checks=checks,
        channels=channels,
        times_real_time=times_real_time,
    )


def _checks(wet: MaterialOnDisk, what: ToPrint) -> tuple[dict[str, Any], Columns]:
    """Level figures over what is used with the distance in tone from the miked amp, if there is one; and the wave."""
    rate_hz, used = what.dry.recorded.material.rate_hz, what.used
    with wet.reader() as reader:
        passes = [ChannelPass(reader, Wanted.exactly(channel)) for channel in wet.material.channels]
        passing = passes[0]
        checks, waves = passing.checks([used], kind="sim"), np.concatenate([each.columns() for each in passes])
        if len(passes) > 1:
            _of_both(checks, passes, used, rate_hz)
        mic = find(what.dry.recorded.material.channels, Wanted(("mic",)))
        if mic is not None and used.frames >= rate_hz // 4:
            with contextlib.suppress(FileRefused), what.dry.recorded.reader() as amp:
                reference = _spectrum(amp.blocks(Wanted.exactly(mic), used), used, rate_hz)
                levels = _spectrum(passing.blocks(used), used, rate_hz)
                checks["spectrum_difference_db"] = round(levels_apart_db(levels, reference), 2)
    return checks, waves


def _of_both(checks: dict[str, Any], passes: Sequence[ChannelPass], used: Window, rate_hz: int) -> None:
    """Loudness of both sides together (ITU-R BS.1770), and the higher of their peaks."""
    meter = LoudnessMeter(rate_hz=rate_hz, channels=len(passes), most_frames=used.frames)
    for blocks in zip(*(side.blocks(used) for side in passes), strict=True):
        meter.push(np.column_stack(blocks))
    others = [side.checks([used], kind="sim") for side in passes[1:]]
    checks |= json_ready({"loudness_lufs": gated_loudness_lufs(meter.block_powers())}, digits=3)
    for name in ("peak_dbfs", "true_peak_dbtp"):
        told = [each[name] for each in (checks, *others) if each[name] is not None]
        checks[name] = max(told, default=None)


def _spectrum(blocks: Iterable[Samples], span: Window, rate_hz: int) -> Real:
    meter = SpectrumMeter(rate_hz=rate_hz, frames=span.frames)
    for block in blocks:
        meter.push(block)
    return meter.third_octave_levels_db()
