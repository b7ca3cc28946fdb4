"""A sound of one's own on the bench: a file is brought in, and goes round beside what is worked out."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID, uuid4

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import sides
from fatsignal.core.material.material import Material, Piece, Source
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused
from fatsignal.files.claims import place_file
from fatsignal.files.material_files import MaterialOnDisk, SourceFile, sha256_of
from fatsignal.files.names import file_name
from fatsignal.store.reference_sounds import ReferenceSound

LONGEST_S = 900
FOLDER = "References"
# A file in which nothing is louder is taken for silent: -80 dBFS.
_SILENT = 1e-4
# The fewest frames that go round.
_LEAST_S = 0.25


@dataclass(frozen=True, slots=True)
class ReferenceFile:
    """A reference on disk."""

    id: UUID
    name: str
    file: str
    sha256: str
    frames: int
    channels: int


def import_reference(
    source: Path, *, shown_name: str, rate_hz: int, session_folder: str, sessions_folder: Path
) -> ReferenceFile:
    """Bring a sound file to the session's rate, into its folder.

    Raises
    ------
    FileRefused
        If it cannot be read, has more than two channels, is too long or too short, or holds only silence.
    """
    from fatsignal.acts.upload_reader import uploaded_blocks, uploaded_facts
    from fatsignal.files.sound_writer import write_sound

    facts = uploaded_facts(source, shown_name)
    if facts.channels > 2:
        raise FileRefused(f"{shown_name} has {facts.channels} channels; a reference has one or two: mix it down")
    seconds = facts.frames / facts.rate_hz
    if seconds > LONGEST_S:
        raise FileRefused(f"{shown_name} is {seconds / 60:.0f} minutes long; a reference has up to 15: cut out a part")
    if seconds < _LEAST_S:
        raise FileRefused(f"{shown_name} is {1000 * seconds:.0f} ms long; a reference has a quarter second at least")
    folder = sessions_folder / session_folder / FOLDER
    folder.mkdir(parents=True, exist_ok=True)
    reference_id, name = uuid4(), Path(shown_name).stem.strip()[:80] or "reference"
    partial = folder / f"{reference_id}.partial.wav"
    loudest = 0.0

    def converted() -> Iterator[Samples]:
        nonlocal loudest
        for block in uploaded_blocks(source, shown_name, rate_hz=rate_hz):
            loudest = max(loudest, float(np.abs(block).max(initial=0.0)))
            yield block

    try:
        frames = write_sound(partial, converted(), rate_hz=rate_hz, channels=facts.channels, depth="32f")
        if loudest < _SILENT:
            raise FileRefused(f"{shown_name} is silent: choose a file in which something sounds")
        checksum = sha256_of(partial)
        placed = place_file(partial, folder / f"{file_name(name)}.wav")
    finally:
        partial.unlink(missing_ok=True)
    file = str(placed.relative_to(sessions_folder))
    return ReferenceFile(reference_id, name, file, checksum, frames, facts.channels)


def material_of_reference(
    reference: ReferenceSound, loop: Window, *, rate_hz: int, sessions_folder: Path
) -> MaterialOnDisk:
    """A reference over the bars that go round: from its beginning, again and again as often as it fits."""
    channels = sides("track", reference.name, reference.channels)
    source = Source(id=reference.id, fingerprint=reference.sha256, frames=reference.frames, channels=channels)
    pieces = tuple(
        Piece(
            source_id=reference.id, source_frame=0, place=Window(start, min(start + reference.frames, loop.to_frame))
        )
        for start in range(loop.from_frame, loop.to_frame, reference.frames)
    )  # fmt: skip
    material = Material(
        id=reference.id, rate_hz=rate_hz, first_frame=loop.from_frame, frames=loop.frames, sources=(source,),
        pieces=pieces,
    )  # fmt: skip
    path = sessions_folder / reference.file
    files = tuple(
        SourceFile(reference.id, channel, path, column, sha256=reference.sha256)
        for column, channel in enumerate(channels)
    )
    return MaterialOnDisk(material, files)
