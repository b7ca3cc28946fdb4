"""Judging the takes of a part: hear each out once, then compare them phrase by phrase."""

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache, partial
from itertools import islice
from pathlib import Path

from fatsignal.acts.materials import material_of_take
from fatsignal.core.level.bleed import measure_bleed_while_playing
from fatsignal.core.level.peak import Extent, FlatTops, extent_of
from fatsignal.core.material.channels import MEASURED_FIRST, Wanted, first_of
from fatsignal.core.takes.judge import JudgedTake
from fatsignal.core.takes.notes import TakeAnalysis, listen_through
from fatsignal.core.timing.click import ClickSettings, render_click
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.files.analysis_cache import load_analysis, save_analysis
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store.takes import Take, TakeChannel

_BLEED_S = 8.0
_MOST_KEPT = 1024
# More flat tops than this are not told one by one.
_MOST_FLAT_TOPS = 10_000


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
    recorded = material_of_take(take, channels, sessions_folder)
    tops, bleed = {}, {}
    for channel in channels:
        path, wanted = sessions_folder / take.folder / channel.file, Wanted.exactly(channel.key)
        if not path.exists():
            continue
        changed_ns, average = path.stat().st_mtime_ns, channel.checks["average_dbfs"]
        if channel.checks["flat_top_runs"]:
            tops[channel.name] = list(_flat_tops(recorded, wanted, changed_ns))
        if channel.kind == "mic" and average is not None and take.origin != "imported":
            below = _click_below_playing_db(recorded, wanted, changed_ns, take.recorded_frame, average, *click)
            if below is not None:
                bleed[channel.name] = below
    return replace(known, flat_tops=tops, bleed_db=bleed)


# Files are written once: what was measured of them holds as long as the program runs, however often takes are judged.
@lru_cache(maxsize=_MOST_KEPT)
def _flat_tops(recorded: MaterialOnDisk, wanted: Wanted, changed_ns: int) -> tuple[int, ...]:
    with recorded.reader() as reader:
        extent = Extent(0.0, 0.0, 0.0, 0.0, 0)
        for block in reader.blocks(wanted):
            extent = extent.joined(extent_of(block))
        tops = FlatTops(extent, most_places=_MOST_FLAT_TOPS)
        for block in reader.blocks(wanted):
            tops.push(block)
    return tuple(islice(tops.places, _MOST_FLAT_TOPS))


@lru_cache(maxsize=_MOST_KEPT)
def _click_below_playing_db(
    recorded: MaterialOnDisk, wanted: Wanted, changed_ns: int, recorded_frame: int, average_dbfs: float,
    tempo: TempoMap, settings: ClickSettings,
) -> float | None:  # fmt: skip
    """How far below the playing the click lies in a microphone, heard in the take's first seconds; None: not heard.

    There the count-in is, before anything is played: nothing tells a leak better.
    """
    span = recorded.material.span
    with recorded.reader() as reader:
        heard = reader.read(wanted, span.from_frame, min(span.frames, round(_BLEED_S * tempo.rate_hz)))
    click = render_click(
        tempo, from_frame=recorded_frame, to_frame=recorded_frame + len(heard), settings=settings
    ).channel(0)
    if not click.any():
        return None
    report = measure_bleed_while_playing(heard, click, rate_hz=tempo.rate_hz, playing_dbfs=average_dbfs)
    return report.below_playing_db if report.found else None


def playing_of(
    take: Take, channels: Sequence[TakeChannel], *, sessions_folder: Path, waves_folder: Path
) -> TakeAnalysis | None:
    """What was played in a take, heard out now where it was not before; it is kept by the content of its file."""
    folder = sessions_folder / take.folder
    heard = first_of((channel for channel in channels if (folder / channel.file).exists()), MEASURED_FIRST)
    # What is gone was perhaps heard out before: the clean signal counts, wherever its file is.
    clean = first_of(channels, MEASURED_FIRST)
    for channel in (clean, heard):
        playing = load_analysis(_kept(waves_folder, channel)) if channel is not None else None
        if playing is not None:
            return playing
    if heard is None:
        return None
    recorded = material_of_take(take, channels, sessions_folder)
    with recorded.reader() as reader:
        first = recorded.material.first_frame
        read = partial(reader.read, Wanted.exactly(heard.key))
        playing = listen_through(
            lambda from_frame, frames: read(first + from_frame, frames), frames=take.frames, rate_hz=take.rate_hz
        )
    save_analysis(_kept(waves_folder, heard), playing)
    return playing


def _kept(waves_folder: Path, channel: TakeChannel) -> Path:
    return waves_folder / f"{channel.sha256}.playing.npz"
