"""Handing over: the channels of takes and the chosen prints, aligned and named, in one ZIP of open files."""

import hashlib
import shutil
import zipfile
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

import fatsignal
from fatsignal.acts.materials import material_of_print, material_of_take
from fatsignal.core.clip import Samples
from fatsignal.core.level.depth import Depth
from fatsignal.core.material.channels import RecordedKind, Wanted
from fatsignal.core.song.questions import tempo_in_words
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused, InvalidSetting
from fatsignal.files.bext import BextChunk
from fatsignal.files.material_files import MaterialOnDisk, open_recorded
from fatsignal.files.names import channel_name, file_name, take_stem
from fatsignal.files.sound_writer import FileKind, write_sound
from fatsignal.store import parts, prints, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.prints import Print
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel

_READ_BYTES = 1 << 20
_RECORDED = {
    "di": "Recorded dry.",
    "mic": "Recorded from the amp.",
    "sim": "The tone that was heard while it was played, printed with it.",
}

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
class OfTake:
    """A take with all that can be handed over of it."""

    take: Take
    part_name: str
    channels: list[TakeChannel]
    prints: list[Print]

    def names(self) -> list[tuple[str, str, RecordedKind]]:
        """Key, name and kind of each file it becomes."""
        stem = take_stem(self.part_name, self.take.number)
        return [
            *((_channel_key(self.take, c), channel_name(stem, c.name), c.kind) for c in self.channels),
            *((_print_key(p), _print_name(stem, p), "sim") for p in self.prints),
        ]


@dataclass(frozen=True, slots=True)
class Item:
    """One file to hand over: a channel of a material, and what it is called."""

    sounds: MaterialOnDisk
    wanted: Wanted
    name: str
    recorded_at: datetime
    says: str

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
            own = (item.sounds.material.fingerprint, item.from_frame, item.wanted, item.name, item.says)
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
        if self.form.kind == "flac" and self.form.depth == "32f":
            raise InvalidSetting("FLAC holds 16 or 24 bits; choose WAV for 32-bit float")
        for item in self.items:
            for file in item.sounds.files_of(item.wanted):
                try:
                    open_recorded(file.path).close()
                except FileRefused as refusal:
                    raise FileRefused(f"{refusal}, or leave it out") from None


async def what_there_is(conn: Connection, session_id: UUID) -> list[OfTake]:
    """All takes that are not in the bin, with their finished prints."""
    found = await takes.list_kept(conn, session_id)
    channels = await takes.channels_of(conn, [take.id for take in found])
    names = {part.id: part.name for part in await parts.list_parts(conn, session_id)}
    ready: dict[UUID, list[Print]] = {}
    for print_ in await prints.list_prints(conn, session_id):
        if print_.state == "ready":
            ready.setdefault(print_.material_id, []).append(print_)
    return [OfTake(take, names[take.part_id], channels[take.id], ready.get(take.id, [])) for take in found]


async def parcel_of(conn: Connection, session_id: UUID, asked: ParcelAsked, sessions_folder: Path) -> Parcel:
    """The parcel that is asked for.

    Raises
    ------
    InvalidSetting
        If something that is chosen is not there any more.
    """
    session = await sessions.get_session(conn, session_id)
    chosen = set(asked.items)
    items = [
        item for of_take in await what_there_is(conn, session_id) for item in _items(of_take, chosen, sessions_folder)
    ]
    if len(items) < len(chosen):
        raise InvalidSetting(f"{len(chosen) - len(items)} of the chosen things are not there any more: reload the page")
    return Parcel(session, items, ParcelForm(kind=asked.kind, depth=asked.depth, start=asked.start))


def _items(of_take: OfTake, chosen: Collection[str], sessions_folder: Path) -> list[Item]:
    take = of_take.take
    stem = take_stem(of_take.part_name, take.number)
    recorded = material_of_take(take, of_take.channels, sessions_folder)
    items = [
        Item(recorded, Wanted.exactly(c.key), channel_name(stem, c.name), take.recorded_at, _RECORDED[c.kind])
        for c in of_take.channels
        if _channel_key(take, c) in chosen
    ]
    for print_ in of_take.prints:
        if _print_key(print_) in chosen:
            says = f"Re-amped through {print_.tone_name}, revision {print_.tone_revision}."
            printed = material_of_print(
                print_, first_frame=take.from_frame, rate_hz=take.rate_hz, sessions_folder=sessions_folder
            )
            items.append(Item(printed, Wanted(), _print_name(stem, print_), take.recorded_at, says))
    return items


def _channel_key(take: Take, channel: TakeChannel) -> str:
    return f"channel-{take.id}-{channel.position}"


def _print_key(print_: Print) -> str:
    return f"print-{print_.id}"


def _print_name(stem: str, print_: Print) -> str:
    return f"{stem} - {print_.tone_name} r{print_.tone_revision}"


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
                    for block in reader.blocks(item.wanted, span):  # noqa: B023
                        done += len(block)
                        on_progress(done / total_frames)
                        yield block[:, None]

                write_sound(target, told_blocks(), rate_hz=session.rate_hz, channels=1, depth=form.depth, note=note)
            with target.open("rb") as file, archive.open(f"{folder}/{name}", "w", force_zip64=True) as entry:
                shutil.copyfileobj(file, entry, _READ_BYTES)
            target.unlink()
        archive.writestr(f"{folder}/About these files.txt", _about(session, items, form))


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
        f"{form.kind.upper()}, {bits}, {session.rate_hz} Hz, mono. {tempo_in_words(session.tempo)}.",
        f"Bar 1 begins {bar_one_s:.6f} s after the zero of the time line.",
        place,
        "",
    ]
    for item in items:
        at_s = item.from_frame / session.rate_hz
        lines.append(f"{item.name}: recorded from {at_s:.6f} s ({item.from_frame} samples). {item.says}")
    return "\n".join(lines) + "\n"


def _unique(name: str, taken: set[str]) -> str:
    stem, _, ending = name.rpartition(".")
    candidate, number = name, 2
    while candidate.lower() in taken:
        candidate, number = f"{stem} ({number}).{ending}", number + 1
    taken.add(candidate.lower())
    return candidate
