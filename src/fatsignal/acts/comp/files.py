"""A comp as files: one for each channel, written once, with what they were made of beside them."""

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from pathlib import Path
from typing import Any
from uuid import UUID

import fatsignal
from fatsignal.acts.part_sound import sound_of_version
from fatsignal.core.clip import Samples
from fatsignal.core.comp.comp import performance
from fatsignal.core.comp.pieces import Pieces, within
from fatsignal.core.comp.sheet import window_of_bars
from fatsignal.core.level.depth import Depth
from fatsignal.core.material.channels import Channel, Wanted
from fatsignal.core.takes.windows import Window, clipped
from fatsignal.errors import InvalidSetting
from fatsignal.files.bext import BextChunk, mono_history
from fatsignal.files.claims import place_file
from fatsignal.files.material_files import MaterialOnDisk, sha256_of
from fatsignal.files.names import channel_name, file_name
from fatsignal.files.sound_writer import write_sound
from fatsignal.store import comps, parts, sections, sessions, takes
from fatsignal.store.database import Connection

FOLDER = "Comps"


@dataclass(frozen=True, slots=True)
class ToWrite:
    """A comp, the span of the song that is wanted of it, and what its files are called."""

    comp_id: UUID
    sound: MaterialOnDisk
    pieces: Pieces
    numbers: dict[UUID, int]
    span: Window
    stem: str
    depth: Depth
    made_at: datetime
    folder: Path
    sessions_folder: Path

    def fingerprint(self) -> str:
        """Of the files: the same are not written twice."""
        return "/".join(
            str(each)
            for each in (
                fatsignal.__version__, self.sound.material.fingerprint, self.sound.material.first_frame, *self.span,
                self.stem, self.depth,
            )
        )  # fmt: skip


async def to_write(conn: Connection, comp_id: UUID, section_id: UUID | None, sessions_folder: Path) -> ToWrite:
    """What a comp's files are made of, over a section or all of it.

    Raises
    ------
    InvalidSetting
        If nothing sounds there.
    """
    version = await comps.get_comp(conn, comp_id)
    part = await parts.get_part(conn, version.part_id)
    session = await sessions.get_session(conn, part.session_id)
    sound = await sound_of_version(conn, version, sessions_folder)
    stem = f"{part.name} {version.name}"
    if sound is None:
        raise InvalidSetting(f"{stem} has nothing that sounds yet: use a take first")
    span = sound.material.span
    if section_id is not None:
        section = await sections.get_section(conn, section_id)
        bars = window_of_bars(session.tempo, section.first_bar, section.bars)
        span = next(iter(clipped([bars], span)), Window(0, 0))
        stem = f"{stem} {section.name}"
    newest_first = await takes.kept_placed(conn, part.id)
    pieces = within(performance(version.comp, newest_first), span)
    if not pieces:
        raise InvalidSetting(f"nothing sounds in {stem}: use a take there first")
    numbers = await takes.numbers_of(conn, sorted({piece.take_id for piece in pieces}))
    return ToWrite(
        comp_id, sound, pieces, numbers, span, file_name(stem), session.depth, version.made_at,
        sessions_folder / session.folder / FOLDER, sessions_folder,
    )  # fmt: skip


def write_comp(what: ToWrite, *, holder: str, on_progress: Callable[[float], None]) -> dict[str, Any]:
    """Write a comp's files; what `on_progress` raises ends it, and nothing half written is left.

    Returns
    -------
    dict
        As JSON: the files with their channel, SHA-256 and frames, and the document beside them.

    Raises
    ------
    FileRefused
        If a file of it is gone or was changed since it was recorded.
    """
    channels = [channel for channel in what.sound.material.channels if channel.kind != "track"]
    for channel in channels:
        what.sound.check_whole(Wanted.exactly(channel))
    what.folder.mkdir(parents=True, exist_ok=True)
    total, done = len(channels) * what.span.frames, 0
    partials: list[Path] = []

    def told(blocks: Iterator[Samples]) -> Iterator[Samples]:
        nonlocal done
        for block in blocks:
            done += len(block)
            on_progress(done / total)
            yield block[:, None]

    try:
        written = []
        with what.sound.reader() as reader:
            for channel in channels:
                partial = what.folder / f"{what.comp_id}.{holder}.{len(partials)}.rendering.wav"
                partial.unlink(missing_ok=True)
                partials.append(partial)
                blocks = reader.blocks(Wanted.exactly(channel), what.span)
                write_sound(
                    partial, told(blocks), rate_hz=what.sound.material.rate_hz, channels=1, depth=what.depth,
                    note=_note(what, channel),
                )  # fmt: skip
                written.append((channel, sha256_of(partial), partial))
        files = [
            {
                "file": str(_placed(partial, what, channel).relative_to(what.sessions_folder)),
                "channel": channel.name, "kind": channel.kind, "sha256": sha256, "frames": what.span.frames,
            }
            for channel, sha256, partial in written
        ]  # fmt: skip
        document = {**_origin(what), "files": files}
        beside = what.folder / f"{what.comp_id}.{holder}.rendering.json"
        partials.append(beside)
        beside.write_text(json.dumps(document, indent=2, ensure_ascii=False))
        origin = place_file(beside, what.folder / f"{what.stem}.json")
    finally:
        for partial in partials:
            partial.unlink(missing_ok=True)
    return {"files": files, "origin": str(origin.relative_to(what.sessions_folder))}


def tidy(what: ToWrite) -> None:
    """What an attempt that was cut off has left."""
    for left in what.folder.glob(f"{what.comp_id}.*.rendering.*"):
        left.unlink(missing_ok=True)


def _placed(partial: Path, what: ToWrite, channel: Channel) -> Path:
    return place_file(partial, what.folder / f"{file_name(channel_name(what.stem, channel.name))}.wav")


def _note(what: ToWrite, channel: Channel) -> BextChunk:
    used = ", ".join(str(number) for number in sorted(set(what.numbers.values())))
    return BextChunk(
        description=f"{channel_name(what.stem, channel.name)}: made of takes {used}",
        originated_at=what.made_at,
        time_reference_frames=max(0, what.span.from_frame),
        coding_history=mono_history(what.sound.material.rate_hz, what.depth),
    )


def _origin(what: ToWrite) -> dict[str, Any]:
    """What the files were made of: an engineer can see, and make again, every piece and join."""
    borders = {other.place.from_frame: other.join for _, other in pairwise(what.pieces) if other.join is not None}
    return {
        "made by": f"Fat Signal {fatsignal.__version__}",
        "rate_hz": what.sound.material.rate_hz,
        "depth": what.depth,
        "from_frame": what.span.from_frame,
        "frames": what.span.frames,
        "pieces": [
            {
                "take": what.numbers.get(piece.take_id), "take_id": str(piece.take_id),
                "from_frame": piece.place.from_frame, "to_frame": piece.place.to_frame,
                "take_frame": piece.take_frame, "gain_db": piece.gain_db, "moved_frames": piece.moved_frames,
                "eased": [
                    {"take_frame": each.take_frame, "later_by": each.by_frames, "cents": each.cents}
                    for each in (piece.easing.strokes if piece.easing else ())
                ],
                "fade_frames": borders[piece.place.from_frame].frames if piece.place.from_frame in borders else None,
            }
            for piece in what.pieces
        ],
        "recorded files": [
            {"file": file.path.name, "sha256": file.sha256, "take_id": str(file.source_id)} for file in what.sound.files
        ],
    }  # fmt: skip
