"""Bringing in a sound to hold placements against: a recording made elsewhere, or a reference of one's own."""

import shutil
from collections.abc import Sequence
from contextlib import ExitStack
from datetime import datetime
from pathlib import Path
from uuid import uuid4

import numpy as np

from fatsignal.acts.import_take import Incoming, not_written
from fatsignal.acts.materials import material_of_files
from fatsignal.acts.survey import survey
from fatsignal.acts.take_channels import take_channels
from fatsignal.acts.take_numbers import part_folder
from fatsignal.acts.trials import placement_of
from fatsignal.acts.upload_reader import uploaded_blocks, uploaded_facts
from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import Channel
from fatsignal.core.mics.blend import MicBlend
from fatsignal.core.takes.channel_names import name_channels
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused
from fatsignal.files.atomic_write import sync_folder
from fatsignal.files.bext import BextChunk
from fatsignal.files.claims import claim_trial_folder
from fatsignal.files.names import channel_name, file_name, trial_stem
from fatsignal.files.wave_writer import WaveWriter
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.store.trials import Trial

# Longer nobody compares.
LONGEST_TRIAL_S = 30.0
# So long trial clips are, of some bars.
_COMPARED_S = 8.0
# Within half a dB bars are as loud as others.
_AS_LOUD = 0.9
# What is 30 dB below the loudest is quiet before it.
_SOUNDS = 1e-3
_SHORTEST_S = 0.1
_STEP_S = 0.5


def import_trial(
    files: Sequence[Incoming], *, session: Session, part: Part, number: int, sessions_folder: Path, waves_folder: Path,
    mark: str = "importing",
) -> Trial:  # fmt: skip
    """Make a clip of one file, whose channels are left and right, or of several of one channel that begin together.

    Any rate, depth and length that can be read, in bounded memory; of what is longer than half a minute the stretch
    that begins with the loudest bars, of what is shorter all but quiet before it. Nothing is left behind when a file
    is refused.

    Raises
    ------
    FileRefused
        If one is no sound file, is silent, too short, has too many channels, or samples that are not numbers.
    """
    keys, columns = _channels(files)
    from_frame, frames = _stretch(files, session.rate_hz)
    now = datetime.now().astimezone()
    try:
        number, folder = claim_trial_folder(part_folder(sessions_folder, session, part), number)
    except OSError as trouble:
        raise not_written("clip", trouble) from None
    stem, trial_id = trial_stem(file_name(part.name), number), uuid4()
    paths = [folder / f"{channel_name(stem, key.name)}.wav" for key in keys]
    at = session.tempo.bar_frame(min(placement_of(part).first_bar, session.song_bars))
    try:
        (folder / mark).touch()
        _write(files, columns, paths, from_frame, frames, session.rate_hz, now, at)
        written = material_of_files(
            trial_id, list(zip(keys, paths, strict=True)), frames=frames, first_frame=at, rate_hz=session.rate_hz
        )
        channels = take_channels(written, survey(written), waves_folder)
        sync_folder(folder)
    except OSError as trouble:
        shutil.rmtree(folder, ignore_errors=True)
        raise not_written("clip", trouble) from None
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    image = MicBlend(image="left and right") if len(files) == 1 and len(keys) == 2 else MicBlend()
    minutes, seconds = divmod(from_frame // session.rate_hz, 60)
    cut = f", from {minutes}:{seconds:02d} on" if from_frame else ""
    return Trial(
        id=trial_id, part_id=part.id, number=number, recorded_at=now, rate_hz=session.rate_hz, from_frame=at,
        frames=frames, span=Window(at, at + frames), origin="imported", rig_sheet=part.rig, channels=tuple(channels),
        said=f"imported from {files[0].shown_name}{cut}", note=Path(files[0].shown_name).stem[:200],
        folder=str(folder.relative_to(sessions_folder)), blend=image.model_dump(mode="json"),
    )  # fmt: skip


def _channels(files: Sequence[Incoming]) -> tuple[list[Channel], list[int]]:
    """The channels of a clip, and how many each file has."""
    columns = []
    for file in files:
        count = uploaded_facts(file.path, file.shown_name).channels
        most = 2 if len(files) == 1 else 1
        if count > most:
            raise FileRefused(
                f"{file.shown_name} has {count} channels: bring in one file of one or two, "
                "or several of one channel each"
            )
        columns.append(count)
    if columns == [2]:
        return [Channel("mic", "left"), Channel("mic", "right")], columns
    names = name_channels([file.kind for file in files])
    return [Channel(file.kind, name) for file, name in zip(files, names, strict=True)], columns


def _stretch(files: Sequence[Incoming], rate_hz: int) -> tuple[int, int]:
    """First frame and frames of what is used, at the session's rate."""
    step = round(_STEP_S * rate_hz)
    energies: list[list[float]] = []
    lengths = []
    for file in files:
        found, frames, rest = [], 0, np.zeros(0)
        for block in uploaded_blocks(file.path, file.shown_name, rate_hz=rate_hz):
            frames += len(block)
            rest = np.concatenate((rest, np.sum(np.square(block), axis=1)))
            whole = len(rest) // step
            found += [float(each) for each in rest[: whole * step].reshape(whole, step).sum(axis=1)]
            rest = rest[whole * step :]
        energies.append([*found, float(rest.sum())])
        lengths.append(frames)
        if not any(energies[-1]):
            raise FileRefused(f"{file.shown_name} is silent: there is nothing to compare")
    frames = max(lengths)
    if frames < _SHORTEST_S * rate_hz:
        seconds = f"{frames / rate_hz:.2f} s"
        raise FileRefused(f"{files[0].shown_name} lasts {seconds}: bring in a tenth of a second at least")
    together = np.zeros(max(len(each) for each in energies))
    for each in energies:
        together[: len(each)] += each
    first = _loud_from(together, frames > round(LONGEST_TRIAL_S * rate_hz)) * step
    return first, min(frames - first, round(LONGEST_TRIAL_S * rate_hz))


def _loud_from(energies: Samples, long: bool) -> int:
    """The step at which what is used begins, because the beginnings of clips are what is compared.

    Of what is long it is where the first of the loudest bars begin; nowhere is it quiet.
    """
    first = 0
    if long:
        steps = round(_COMPARED_S / _STEP_S)
        running = np.concatenate(([0.0], np.cumsum(energies)))
        bars = running[steps:] - running[:-steps]
        first = int(np.flatnonzero(bars >= _AS_LOUD * bars.max())[0])
    return first + int(np.flatnonzero(energies[first:] >= _SOUNDS * energies.max())[0])


def _write(
    files: Sequence[Incoming], columns: Sequence[int], paths: Sequence[Path], from_frame: int, frames: int,
    rate_hz: int, now: datetime, at: int,
) -> None:  # fmt: skip
    places = iter(paths)
    with ExitStack() as stack:
        for file, count in zip(files, columns, strict=True):
            writers = []
            for _ in range(count):
                path = next(places)
                note = BextChunk(description=path.stem, originated_at=now, time_reference_frames=max(0, at))
                writers.append(stack.enter_context(WaveWriter(path, rate_hz=rate_hz, depth="32f", note=note)))
            passed = 0
            for block in uploaded_blocks(file.path, file.shown_name, rate_hz=rate_hz):
                used = block[max(0, from_frame - passed) : max(0, from_frame + frames - passed)]
                passed += len(block)
                for column, writer in enumerate(writers):
                    writer.write(np.ascontiguousarray(used[:, column : column + 1]))
            for writer in writers:
                writer.write(np.zeros((frames - writer.frames, 1)))
