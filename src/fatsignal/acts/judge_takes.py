"""Judging the takes of a part: hear each out once, then compare them phrase by phrase."""

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import soundfile

from fatsignal.core.level.bleed import measure_bleed_while_playing
from fatsignal.core.level.peak import flat_tops
from fatsignal.core.takes.judge import JudgedTake
from fatsignal.core.takes.notes import Playing, listen_to
from fatsignal.core.timing.click import ClickSettings, render_click
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.files.playing import load_playing, save_playing
from fatsignal.files.sound import read_clip
from fatsignal.store.takes import Take, TakeChannel, first_of

# What is heard out: the clean signal where there is one.
_HEARD_FIRST = ("di", "mic", "sim")
_BLEED_S = 8.0
_MOST_KEPT = 1024


def heard_out(
    take: Take, channels: Sequence[TakeChannel], *, sessions_folder: Path, waves_folder: Path
) -> JudgedTake | None:
    """A take with what was played in it; None where its file is gone."""
    playing = playing_of(take, channels, sessions_folder=sessions_folder, waves_folder=waves_folder)
    return None if playing is None else JudgedTake(playing, take.from_frame, take.windows, take.gaps)


def judged_take(
    take: Take, channels: Sequence[TakeChannel], *, sessions_folder: Path, waves_folder: Path,
    click: tuple[TempoMap, ClickSettings],
) -> JudgedTake | None:  # fmt: skip
    """A take with what was played in it, its flat tops, and how its click bleeds; None where its file is gone."""
    known = heard_out(take, channels, sessions_folder=sessions_folder, waves_folder=waves_folder)
    if known is None:
        return None
    tops, bleed = {}, {}
    for channel in channels:
        path = sessions_folder / take.folder / channel.file
        if not path.exists():
            continue
        changed_ns, average = path.stat().st_mtime_ns, channel.checks["average_dbfs"]
        if channel.checks["flat_top_runs"]:
            tops[channel.name] = list(_flat_tops(path, changed_ns))
        if channel.kind == "mic" and average is not None and take.origin != "imported":
            below = _click_below_playing_db(path, changed_ns, take.recorded_frame, average, *click)
            if below is not None:
                bleed[channel.name] = below
    return replace(known, flat_tops=tops, bleed_db=bleed)


# Files are written once: what was measured of them holds as long as the program runs, however often takes are judged.
@lru_cache(maxsize=_MOST_KEPT)
def _flat_tops(path: Path, changed_ns: int) -> tuple[int, ...]:
    return tuple(flat_tops(read_clip(path).channel(0)))


@lru_cache(maxsize=_MOST_KEPT)
def _click_below_playing_db(
    path: Path, changed_ns: int, recorded_frame: int, average_dbfs: float, tempo: TempoMap, settings: ClickSettings
) -> float | None:
    """How far below the playing the click lies in a microphone, heard in the take's first seconds; None: not heard.

    There the count-in is, before anything is played: nothing tells a leak better.
    """
    with soundfile.SoundFile(path) as sound:
        recorded = sound.read(min(sound.frames, round(_BLEED_S * tempo.rate_hz)), dtype="float64")
    click = render_click(
        tempo, from_frame=recorded_frame, to_frame=recorded_frame + len(recorded), settings=settings
    ).channel(0)
    if not click.any():
        return None
    report = measure_bleed_while_playing(recorded, click, rate_hz=tempo.rate_hz, playing_dbfs=average_dbfs)
    return report.below_playing_db if report.found else None


def playing_of(
    take: Take, channels: Sequence[TakeChannel], *, sessions_folder: Path, waves_folder: Path
) -> Playing | None:
    """What was played in a take, heard out now where it was not before."""
    kept = waves_folder / f"{take.id}.playing.npz"
    playing = load_playing(kept)
    if playing is not None:
        return playing
    folder = sessions_folder / take.folder
    heard = first_of((channel for channel in channels if (folder / channel.file).exists()), _HEARD_FIRST)
    if heard is None:
        return None
    playing = listen_to(read_clip(folder / heard.file).channel(0), rate_hz=take.rate_hz)
    save_playing(kept, playing)
    return playing
