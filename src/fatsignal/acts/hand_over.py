"""Handing over: the channels of takes and the chosen prints, aligned and named, in one ZIP of open files."""

import hashlib
import shutil
import zipfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Literal
from uuid import UUID

import numpy as np
from pydantic import BaseModel, Field

import fatsignal
from fatsignal.acts.finished_prints import FinishedPrint, finished_prints
from fatsignal.acts.materials import material_of_take
from fatsignal.acts.part_sound import comps_of_session
from fatsignal.acts.printed_sound import PrintedPart, printed_parts
from fatsignal.core.clip import Samples
from fatsignal.core.level.depth import Depth
from fatsignal.core.material.channels import Channel, RecordedKind, Wanted
from fatsignal.core.song.questions import tempo_in_words
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused, InvalidSetting
from fatsignal.files.bext import BextChunk
from fatsignal.files.material_files import MaterialOnDisk, open_recorded
from fatsignal.files.names import channel_name, file_name, take_stem
from fatsignal.files.sound_writer import FileKind, check_depth, write_sound
from fatsignal.store import parts, prints, sessions, takes
from fatsignal.store.comps import StoredComp
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel

_READ_BYTES = 1 << 20
_BYTES: dict[Depth, int] = {"16": 2, "24": 3, "32f": 4}
# What a roll on the same disk goes on with meanwhile.
_SPARE_BYTES = 256 * 1024 * 1024
_RECORDED = {
    "di": "Recorded dry.",
    "mic": "Recorded from the amp.",
    "sim": "The tone that was heard while it was played, printed with it.",
}

_CHANNEL, _PRINT, _COMP, _PART = "channel-", "print-", "comp-", "part-"

# Of a part before its takes, the newest of which comes first.
_COMPS_FIRST = -1 << 40

Start = Literal["song", "own"]


class ParcelForm(BaseModel):
    """How the files of a parcel are written.

    `start`: "song", every file begins at the session's zero and all are equally long, so that they line up when dropped
    at zero; "own", each begins where it was recorded. The time stamp is right either way.
    """

    kind: FileKind = "wav"
    depth: Depth = "24"
    start: Start = "song"


class ParcelAsked(ParcelForm):
    """What is handed over, by the keys of `HandOverItem`, and how."""

    items: list[str] = Field(min_length=1, max_length=500)


@dataclass(frozen=True, slots=True)
class Item:
    """One file to hand over: a channel of a material, and what it is called."""

    sounds: MaterialOnDisk
    wanted: Wanted
    name: str
    recorded_at: datetime
    says: str
    # The right side, where the file is stereo; `wanted` is its left then.
    right: Wanted | None = None

    @property
    def sides(self) -> tuple[Wanted, ...]:
        return (self.wanted,) if self.right is None else (self.wanted, self.right)

    @property
    def from_frame(self) -> int:
        """Where on the song it begins."""
        return self.sounds.material.first_frame

    @property
    def frames(self) -> int:
        return self.sounds.material.frames


@dataclass(frozen=True, slots=True)
class Parcel:
    """All that a ZIP is made of."""

    session: Session
    items: list[Item]
    form: ParcelForm

    def fingerprint(self) -> str:
        """Of the ZIP: the same is not made twice."""
        session, told = self.session, hashlib.sha256()
        head = (fatsignal.__version__, session.name, session.artist, session.rate_hz, session.tempo, self.form)
        told.update(repr(head).encode())
        for item in self.items:
            own = (item.sounds.material.fingerprint, item.from_frame, item.sides, item.name, item.says)
            told.update(repr((*own, item.recorded_at)).encode())
        return told.hexdigest()

    def check(self) -> None:
        """See that it can be made, before anybody waits for it.

        Raises
        ------
        InvalidSetting
            If no file kind holds the depth.
        FileRefused
            If a file of it was moved away or replaced.
        """
        check_depth(self.form.kind, self.form.depth)
        for item in self.items:
            for file in item.sounds.files_of(item.wanted):
                try:
                    open_recorded(file.path).close()
                except FileRefused as refusal:
                    raise FileRefused(f"{refusal}, or leave it out") from None


def channel_keys(part_name: str, take: Take, channels: Sequence[TakeChannel]) -> list[tuple[str, str, RecordedKind]]:
    """Key, name and kind of each file that a take becomes."""
    stem = take_stem(part_name, take.number)
    return [(f"{_CHANNEL}{take.id}-{each.position}", channel_name(stem, each.name), each.kind) for each in channels]


def comp_keys(part_name: str, comp: StoredComp, sounds: MaterialOnDisk) -> list[tuple[str, str, Channel]]:
    """Key, name and channel of each file that a comp becomes."""
    stem = f"{part_name} {comp.name}"
    return [
        (f"{_COMP}{comp.id}-{place}", channel_name(stem, channel.name), channel)
        for place, channel in enumerate(sounds.material.channels)
    ]


def print_key(part_name: str, printed: FinishedPrint) -> tuple[str, str]:
    """Key and name of the file that a print becomes."""
    of, print_ = printed.of, printed.print_
    stem = take_stem(part_name, of.number) if isinstance(of, Take) else f"{part_name} {of.name}"
    return f"{_PRINT}{print_.id}", f"{stem} - {print_.tone_name} r{print_.tone_revision}"


def part_key(part_name: str, part_id: UUID, printed: PrintedPart) -> tuple[str, str]:
    """Key and name of the file that a part becomes that is heard by prints."""
    return f"{_PART}{part_id}", f"{part_name} - {printed.tone_name}"


async def prints_to_give(conn: Connection, session_id: UUID, sessions_folder: Path) -> list[FinishedPrint]:
    """Prints that can be handed over: of takes that are not in the bin, and of the comps that sound as they do now."""
    found = await finished_prints(conn, await prints.list_prints(conn, session_id), sessions_folder)
    return [
        each
        for each in found
        if (each.of.binned_at is None if isinstance(each.of, Take) else each.of.current and each.of_now)
    ]


async def parcel_of(conn: Connection, session_id: UUID, asked: ParcelAsked, sessions_folder: Path) -> Parcel:
    """The parcel that is asked for.

    Raises
    ------
    InvalidSetting
        If something that is chosen is not there any more.
    """
    session = await sessions.get_session(conn, session_id)
    found_parts = await parts.list_parts(conn, session_id)
    names = {part.id: part.name for part in found_parts}
    places = {part.id: place for place, part in enumerate(found_parts)}
    chosen = set(asked.items)
    of_channels = await takes.takes_by_id(conn, sorted({each for key in chosen if (each := _take_of(key))}))
    kept = [take for take in of_channels.values() if take.binned_at is None and take.part_id in names]
    channels = await takes.channels_of(conn, [take.id for take in kept])
    found: list[tuple[int, int, Item]] = []
    for take in kept:
        recorded = material_of_take(take, channels[take.id], sessions_folder)
        keys = channel_keys(names[take.part_id], take, channels[take.id])
        for (key, name, kind), channel in zip(keys, channels[take.id], strict=True):
            if key in chosen:
                item = Item(recorded, Wanted.exactly(channel.key), name, take.recorded_at, _RECORDED[kind])
                found.append((places[take.part_id], -take.number, item))
    if any(key.startswith(_COMP) for key in chosen):
        for comp, sounds in await comps_of_session(conn, session_id, sessions_folder):
            for key, name, of_comp in comp_keys(names[comp.part_id], comp, sounds):
                if key in chosen:
                    item = Item(sounds, Wanted.exactly(of_comp), name, comp.made_at, "Made of several takes.")
                    found.append((places[comp.part_id], _COMPS_FIRST, item))
    if any(key.startswith(_PART) for key in chosen):
        for part_id, heard in (await printed_parts(conn, session_id, sessions_folder)).items():
            key, name = part_key(names[part_id], part_id, heard)
            if key in chosen and heard.sound is not None and heard.asked_at is not None:
                says = f"What the part sounds like, through {heard.tone_name}."
                item = _printed_item(heard.sound, name, heard.asked_at, says)
                found.append((places[part_id], 2 * _COMPS_FIRST, item))
    if any(key.startswith(_PRINT) for key in chosen):
        for printed in await prints_to_give(conn, session_id, sessions_folder):
            key, name = print_key(names[printed.part_id], printed)
            if key in chosen:
                print_ = printed.print_
                says = f"Re-amped through {print_.tone_name}, revision {print_.tone_revision}."
                item = _printed_item(printed.sound, name, printed.recorded_at, says)
                order = -printed.of.number if isinstance(printed.of, Take) else _COMPS_FIRST
                found.append((places[printed.part_id], order, item))
    if len(found) < len(chosen):
        raise InvalidSetting(f"{len(chosen) - len(found)} of the chosen things are not there any more: reload the page")
    # Part by part, the newest take first, as the page lists them.
    items = [item for _, _, item in sorted(found, key=lambda each: each[:2])]
    return Parcel(session, items, ParcelForm(kind=asked.kind, depth=asked.depth, start=asked.start))


def _printed_item(sound: MaterialOnDisk, name: str, at: datetime, says: str) -> Item:
    left, *right = (Wanted.exactly(channel) for channel in sound.material.channels)
    return Item(sound, left, name, at, says, right[0] if right else None)


def _take_of(key: str) -> UUID | None:
    if not key.startswith(_CHANNEL):
        return None
    try:
        return UUID(key.removeprefix(_CHANNEL).rpartition("-")[0])
    except ValueError:
        return None


def write_parcel(parcel: Parcel, path: Path, on_progress: Callable[[float], None]) -> None:
    """Write the ZIP; memory does not grow with its size. What `on_progress` raises ends it.

    Raises
    ------
    FileRefused, InvalidSetting
        See `Parcel.check`.
    """
    parcel.check()
    session, form, items = parcel.session, parcel.form, parcel.items
    folder = file_name(session.name)
    end = max(item.from_frame + item.frames for item in items)
    spans = [Window(0, end) if form.start == "song" else item.sounds.material.span for item in items]
    total_frames = sum(span.frames for span in spans)
    _check_room(path.parent, sum(span.frames * len(item.sides) for item, span in zip(items, spans, strict=True)), form)
    taken: set[str] = set()
    done = 0
    with TemporaryDirectory(prefix=f"{path.stem}-", dir=path.parent) as scratch, zipfile.ZipFile(path, "w") as archive:
        for item, span in zip(items, spans, strict=True):
            name = _unique(f"{file_name(item.name)}.{form.kind}", taken)
            target = Path(scratch) / f"out.{form.kind}"
            note = BextChunk(
                description=f"{session.name}: {item.name}",
                originated_at=item.recorded_at,
                time_reference_frames=0 if form.start == "song" else item.from_frame,
            )
            with item.sounds.reader() as reader:

                def told_blocks() -> Iterator[Samples]:
                    nonlocal done
                    for sides in zip(*(reader.blocks(each, span) for each in item.sides), strict=True):  # noqa: B023
                        done += len(sides[0])
                        on_progress(done / total_frames)
                        yield np.column_stack(sides)

                write_sound(
                    target, told_blocks(), rate_hz=session.rate_hz, channels=len(item.sides), depth=form.depth,
                    note=note,
                )  # fmt: skip
            with target.open("rb") as file, archive.open(f"{folder}/{name}", "w", force_zip64=True) as entry:
                shutil.copyfileobj(file, entry, _READ_BYTES)
            target.unlink()
        archive.writestr(f"{folder}/About these files.txt", _about(session, items, form))


def _check_room(folder: Path, frames: int, form: ParcelForm) -> None:
    """FLAC may take as much as WAV: nobody knows before it is written."""
    wanted, free = frames * _BYTES[form.depth] + _SPARE_BYTES, shutil.disk_usage(folder).free
    if free < wanted:
        raise FileRefused(
            f"these files take up to {wanted / 1e9:.1f} GB as a ZIP and the disk has {free / 1e9:.1f} GB: make room, "
            "or hand over fewer at once"
        )


def _about(session: Session, items: list[Item], form: ParcelForm) -> str:
    bits = "32-bit float" if form.depth == "32f" else f"{form.depth}-bit"
    bar_one_s = session.tempo.bar_frame(1) / session.rate_hz
    place = (
        "All files begin at the same moment and are equally long: drop them at zero."
        if form.start == "song"
        else "Each file begins where it was recorded: place it by its time stamp (bext; in seconds below)."
    )
    lines = [
        f"{session.name}{f' by {session.artist}' if session.artist else ''}",
        f"{form.kind.upper()}, {bits}, {session.rate_hz} Hz, {_sides(items)}. {tempo_in_words(session.tempo)}.",
        f"Bar 1 begins {bar_one_s:.6f} s after the zero of the time line.",
        place,
        "",
    ]
    for item in items:
        at_s = item.from_frame / session.rate_hz
        lines.append(f"{item.name}: recorded from {at_s:.6f} s ({item.from_frame} samples). {item.says}")
    return "\n".join(lines) + "\n"


def _sides(items: list[Item]) -> str:
    """Mono, or which of them are not."""
    stereo = [item.name for item in items if len(item.sides) > 1]
    return "mono" if not stereo else "stereo" if len(stereo) == len(items) else f"mono; stereo: {', '.join(stereo)}"


def _unique(name: str, taken: set[str]) -> str:
    stem, _, ending = name.rpartition(".")
    candidate, number = name, 2
    while candidate.lower() in taken:
        candidate, number = f"{stem} ({number}).{ending}", number + 1
    taken.add(candidate.lower())
    return candidate
