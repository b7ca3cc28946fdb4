"""Looking at a recorded file once: its checksum, its level checks, and the columns its wave is drawn from."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.level.pyramid import BASE_FRAMES, Columns, coarser, columns
from fatsignal.core.level.report import di_advice, measure_level, played_average_dbfs
from fatsignal.core.plain import json_ready
from fatsignal.core.takes.windows import Window
from fatsignal.files.atomic_write import atomic_write
from fatsignal.files.sound import read_clip
from fatsignal.store.takes import TakeChannel


@dataclass(frozen=True, slots=True)
class Survey:
    """What is known of one channel's file."""

    sha256: str
    clip: Clip
    checks: dict[str, Any]


def survey_file(path: Path, *, kind: str, windows: Sequence[Window] = ()) -> Survey:
    """Measure a file of one channel; `windows` limit the checks to ranges of the file, none: all of it."""
    clip = read_clip(path)
    heard = clip
    if windows:
        heard = Clip(np.concatenate([clip.samples[start:end] for start, end in windows]), clip.rate_hz)
    return Survey(sha256_of(path), clip, level_checks(heard, kind=kind))


def survey_channel(
    path: Path, *, position: int, name: str, kind: str, windows: Sequence[Window] = ()
) -> tuple[TakeChannel, Samples]:
    """One channel of a take, measured, and its samples, shape (frames,)."""
    survey = survey_file(path, kind=kind, windows=windows)
    channel = TakeChannel(
        position=position, name=name, kind=kind, file=path.name, sha256=survey.sha256, checks=survey.checks
    )
    return channel, survey.clip.samples[:, 0]


def sha256_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def level_checks(clip: Clip, *, kind: str) -> dict[str, Any]:
    """Level figures of a channel as JSON; minus infinity, which JSON lacks, becomes null."""
    report = measure_level(clip)
    average = played_average_dbfs(clip)[0]
    advice = di_advice(average, report.peak_dbfs[0], report.flat_top_runs[0]) if kind == "di" else None
    levels = {
        "peak_dbfs": report.peak_dbfs[0],
        "true_peak_dbtp": report.true_peak_dbtp[0],
        "average_dbfs": average,
        "loudness_lufs": report.loudness_lufs,
        "crest_db": report.crest_db[0],
    }
    return {
        **json_ready(levels, digits=3),
        "dc": report.dc[0],
        "flat_top_runs": report.flat_top_runs[0],
        "advice": advice,
    }


def keep_wave(folder: Path, key: str, clip: Clip) -> None:
    """Store the finest columns of a clip under `key`; coarser ones are joined from them when asked for."""
    folder.mkdir(parents=True, exist_ok=True)
    with atomic_write(folder / f"{key}.npy") as partial:
        np.save(partial, columns(clip.samples, frames_per_column=BASE_FRAMES))


def load_wave(folder: Path, key: str, *, frames_per_column: int) -> Columns:
    """Columns of a kept wave, shape (channels, columns, 2); `frames_per_column` is rounded to a step kept."""
    fine = np.load(folder / f"{key}.npy", mmap_mode="r")
    factor = max(1, round(frames_per_column / BASE_FRAMES))
    return coarser(np.asarray(fine), factor)
