"""Judging the takes of a part: hear each out once, then compare them phrase by phrase."""

from collections.abc import Sequence
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
from fatsignal.store.takes import Take, TakeChannel

# What is heard out: the clean signal where there is one.
_HEARD_FIRST = ("di", "mic", "sim")
_BLEED_S = 8.0


def judged_take(
    take: Take, channels: Sequence[TakeChannel], *, sessions_folder: Path, waves_folder: Path,
    click: tuple[TempoMap, ClickSettings] | None = None,
) -> JudgedTake | None:  # fmt: skip
    """A take with what was heard in it; None where its file is gone. Its bleed is measured where a `click` is given."""
    playing = playing_of(take, channels, sessions_folder=sessions_folder, waves_folder=waves_folder)
    if playing is None:
        return None
    clipped = [channel for channel in channels if channel.checks["flat_top_runs"]]
    tops = {}
    for channel in clipped:
        path = sessions_folder / take.folder / channel.file
        if path.exists():
            tops[channel.name] = flat_tops(read_clip(path).channel(0))
    bleed = _bleed(take, channels, sessions_folder, *click) if click and take.origin != "imported" else {}
    return JudgedTake(playing, take.from_frame, take.windows, take.gaps, tops, bleed)


def _bleed(
    take: Take, channels: Sequence[TakeChannel], sessions_folder: Path, tempo: TempoMap, settings: ClickSettings
) -> dict[str, float]:
    """How far below the playing the click lies in each microphone, heard in the take's first seconds.

    There the count-in is, before anything is played: nothing tells a leak better.
    """
    found = {}
    for channel in channels:
        path, average = sessions_folder / take.folder / channel.file, channel.checks["average_dbfs"]
        if channel.kind != "mic" or average is None or not path.exists():
            continue
        with soundfile.SoundFile(path) as sound:
            recorded = sound.read(min(sound.frames, round(_BLEED_S * take.rate_hz)), dtype="float64")
        click = render_click(
            tempo, from_frame=take.recorded_frame, to_frame=take.recorded_frame + len(recorded), settings=settings
        ).channel(0)
        if not click.any():
            continue
        report = measure_bleed_while_playing(recorded, click, rate_hz=take.rate_hz, playing_dbfs=average)
        if report.found:
            found[channel.name] = report.below_playing_db
    return found


def playing_of(
    take: Take, channels: Sequence[TakeChannel], *, sessions_folder: Path, waves_folder: Path
) -> Playing | None:
    """What was played in a take, heard out now where it was not before."""
    kept = waves_folder / f"{take.id}.playing.npz"
    playing = load_playing(kept)
    if playing is not None:
        return playing
    for kind in _HEARD_FIRST:
        for channel in channels:
            path = sessions_folder / take.folder / channel.file
            if channel.kind == kind and path.exists():
                playing = listen_to(read_clip(path).channel(0), rate_hz=take.rate_hz)
                save_playing(kept, playing)
                return playing
    return None
