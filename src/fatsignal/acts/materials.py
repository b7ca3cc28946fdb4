"""From what is stored to what sounds: the material of a take, of a print, of a backing track, of a trial clip."""

from collections.abc import Sequence
from pathlib import Path
from uuid import UUID

from fatsignal.core.material.channels import Channel, sides
from fatsignal.core.material.material import Source, fingerprint_of, whole
from fatsignal.core.takes.counting import Played
from fatsignal.files.material_files import MaterialOnDisk, SourceFile
from fatsignal.store.backings import Backing
from fatsignal.store.prints import Print
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.store.trials import Trial

TRACK, LEFT, RIGHT = Channel("track", "track"), Channel("track", "left"), Channel("track", "right")


def played(take: Take) -> Played:
    """A take as the rule of what counts asks for it."""
    return Played(take.id, take.windows, take.whole, take.rating)


def source_of(take: Take, channels: Sequence[TakeChannel]) -> Source:
    """What a take recorded."""
    return Source(
        id=take.id, fingerprint=fingerprint_of(channel.checksum for channel in channels),
        frames=take.frames, channels=tuple(channel.key for channel in channels),
    )  # fmt: skip


def files_of(take: Take, channels: Sequence[TakeChannel], sessions_folder: Path) -> tuple[SourceFile, ...]:
    """Where it lies."""
    folder = sessions_folder / take.folder
    return tuple(SourceFile(take.id, channel.key, folder / channel.file, sha256=channel.sha256) for channel in channels)


def material_of_take(take: Take, channels: Sequence[TakeChannel], sessions_folder: Path) -> MaterialOnDisk:
    """All of a take, its handles too, where it lies now."""
    material = whole(source_of(take, channels), first_frame=take.from_frame, rate_hz=take.rate_hz)
    return MaterialOnDisk(material, files_of(take, channels, sessions_folder))


def material_of_trial(trial: Trial, sessions_folder: Path) -> MaterialOnDisk:
    """All of a trial clip, where it was recorded."""
    channels = tuple(channel.key for channel in trial.channels)
    source = Source(
        id=trial.id, fingerprint=fingerprint_of((channel.key, channel.sha256) for channel in trial.channels),
        frames=trial.frames, channels=channels,
    )  # fmt: skip
    files = tuple(
        SourceFile(trial.id, channel.key, sessions_folder / trial.folder / channel.file, sha256=channel.sha256)
        for channel in trial.channels
    )
    return MaterialOnDisk(whole(source, first_frame=trial.from_frame, rate_hz=trial.rate_hz), files)


def material_of_files(
    source_id: UUID, files: Sequence[tuple[Channel, Path]], *, frames: int, first_frame: int, rate_hz: int,
    fingerprint: str = "",
) -> MaterialOnDisk:  # fmt: skip
    """Files that were just written together, a channel each, or a column each of one file; what they hold may be known
    only when it is looked at.
    """
    channels = tuple(channel for channel, _ in files)
    source = Source(id=source_id, fingerprint=fingerprint, frames=frames, channels=channels)
    material = whole(source, first_frame=first_frame, rate_hz=rate_hz)
    columns: dict[Path, int] = {}
    sources = []
    for channel, path in files:
        column = columns.get(path, 0)
        columns[path] = column + 1
        sources.append(SourceFile(source_id, channel, path, column))
    return MaterialOnDisk(material, tuple(sources))


def material_of_print(print_: Print, *, first_frame: int, rate_hz: int, sessions_folder: Path) -> MaterialOnDisk:
    """A finished print, on the place of what it was made of."""
    assert print_.sha256 is not None, "it is finished"
    assert print_.file is not None, "it is finished"
    assert print_.frames is not None, "it is finished"
    channels = sides("sim", print_.tone_name, print_.channels)
    source = Source(id=print_.id, fingerprint=print_.sha256, frames=print_.frames, channels=channels)
    path = sessions_folder / print_.file
    return MaterialOnDisk(
        whole(source, first_frame=first_frame, rate_hz=rate_hz),
        tuple(
            SourceFile(print_.id, channel, path, column, sha256=print_.sha256)
            for column, channel in enumerate(channels)
        ),
    )


def material_of_backing(backing: Backing, session: Session, sessions_folder: Path) -> MaterialOnDisk:
    """A backing track where it is placed; stereo has a left and a right channel."""
    channels = (LEFT, RIGHT) if backing.channels == 2 else (TRACK,)
    # Its file is written once and never changed: its id tells its content.
    source = Source(id=backing.id, fingerprint=str(backing.id), frames=backing.frames, channels=channels)
    path = sessions_folder / session.folder / backing.file
    material = whole(source, first_frame=backing.placed_frame, rate_hz=session.rate_hz)
    return MaterialOnDisk(
        material, tuple(SourceFile(backing.id, channel, path, column) for column, channel in enumerate(channels))
    )
