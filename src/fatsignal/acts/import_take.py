"""Bringing in what was recorded elsewhere: one file or several that belong together become one take."""

import shutil
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Literal
from uuid import uuid4

import numpy as np

from fatsignal.acts.materials import material_of_files
from fatsignal.acts.survey import survey
from fatsignal.acts.take_channels import take_channels
from fatsignal.acts.take_numbers import part_folder
from fatsignal.acts.upload_reader import uploaded_blocks, uploaded_facts
from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import Channel, RecordedKind
from fatsignal.core.takes.channel_names import name_channels
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.delay import align
from fatsignal.engine.disk_space import RESERVE_BYTES, free_bytes
from fatsignal.errors import FileRefused, InvalidSetting, SignalError
from fatsignal.files.atomic_write import sync_folder
from fatsignal.files.bext import BextChunk, unpack_bext
from fatsignal.files.claims import claim_take_folder
from fatsignal.files.names import channel_name, file_name, take_stem
from fatsignal.files.sound import READ_FRAMES, SoundFacts
from fatsignal.files.wave_writer import WaveWriter, read_bext
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel

Placing = Literal["fitting", "stamp", "sound", "bar"]
_FLOAT_SUBTYPES = {"FLOAT", "DOUBLE", "VORBIS", "OPUS", "MPEG_LAYER_III"}

_LEAST_CONFIDENCE = 0.2
# Ten metres of air.
_AIR_S = 0.03
MOST_FILES = 12
LONGEST_IMPORT_S = 12 * 3600
# How much of two files is held against each other to lay one on the other, and from how long before their sound on.
_EXCERPT_S, _BEFORE_S = 180.0, 12.0
_BEGINS_SHARE = 0.1

Progress = Callable[[float], None]


def _nobody_asks(_: float) -> None:
    """Progress that is told to nobody."""


@dataclass(frozen=True, slots=True)
class Incoming:
    """A file on its way in, under the name that the person knows."""

    path: Path
    shown_name: str
    kind: RecordedKind


@dataclass(frozen=True, slots=True)
class _Looked:
    """What one pass over a file told; `sound_begins_s` is where it is first about as loud as anywhere."""

    file: Incoming
    facts: SoundFacts
    column: int
    stamp_frame: int | None
    sound_begins_s: float

    @property
    def note(self) -> str:
        side = f", {('left', 'right')[self.column]} channel of two" if self.facts.channels == 2 else ""
        return f", {self.facts.rate_hz} Hz{side}"

    @property
    def is_float(self) -> bool:
        return self.facts.subtype in _FLOAT_SUBTYPES

    def blocks(self, rate_hz: int) -> Iterator[Samples]:
        """The channel that is used, shape (frames,), at another rate."""
        for block in uploaded_blocks(self.file.path, self.file.shown_name, rate_hz=rate_hz):
            yield np.ascontiguousarray(block[:, self.column])


def import_take(
    files: Sequence[Incoming], *, session: Session, part: Part, number: int, placing: Placing = "fitting", bar: int = 1,
    sessions_folder: Path, waves_folder: Path, mark: str = "importing", on_progress: Progress = _nobody_asks,
) -> tuple[Take, list[TakeChannel]]:  # fmt: skip
    """Convert sound files to the session's rate and make one take of them, time-locked; it has `number`, or the next
    one that is free.

    Any rate, depth and length that can be read, in bounded memory. Of a file with two channels the louder one is taken.
    With "stamp" each file lies where its time stamp says; with "sound" the others are laid on the first by the delay
    between them; with "bar" all begin together, at a bar of the song; "fitting" takes the first of these that the files
    allow. Nothing is left behind when a file is refused. As long as the take is not entered, its folder holds an empty
    file named `mark`. `on_progress` is told the share done; what it raises ends the import.

    Raises
    ------
    FileRefused
        If one is no sound file, has more than two channels, holds no sound, or samples that are not numbers; if there
        is no time stamp where one is needed; if the disk has no room.
    InvalidSetting
        If there are too many files, two DIs, or no such bar.
    """
    _check(files, session, bar)
    looked = [
        _look(file, session.rate_hz, lambda share, done=done: on_progress((done + share) / len(files) / 3))  # type: ignore[misc]
        for done, file in enumerate(files)
    ]
    _check_room(looked, session, sessions_folder)
    offsets, from_frame, placing = _places(looked, session, placing, bar)
    now = datetime.now().astimezone()
    try:
        number, folder = claim_take_folder(part_folder(sessions_folder, session, part), number)
    except OSError as trouble:
        raise not_written("take", trouble) from None
    take_id, names = uuid4(), name_channels([file.kind for file in files])
    keys = [Channel(file.kind, name) for file, name in zip(files, names, strict=True)]
    stem = take_stem(file_name(part.name), number)
    paths = [folder / f"{channel_name(stem, name)}.wav" for name in names]
    try:
        (folder / mark).touch()
        leads = [offset - min(offsets) for offset in offsets]
        frames = _write(
            looked, paths, leads, session.rate_hz, now, from_frame, lambda share: on_progress((1 + share) / 3)
        )
        written = material_of_files(
            take_id, list(zip(keys, paths, strict=True)), frames=frames, first_frame=from_frame,
            rate_hz=session.rate_hz,
        )  # fmt: skip
        found = survey(written)
        sync_folder(folder)
        on_progress(1.0)
    except OSError as trouble:
        shutil.rmtree(folder, ignore_errors=True)
        raise not_written("take", trouble) from None
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    channels = take_channels(written, found, waves_folder)
    take = Take(
        id=take_id, part_id=part.id, number=number, recorded_at=now, rate_hz=session.rate_hz, from_frame=from_frame,
        recorded_frame=from_frame, frames=frames, windows=(Window(from_frame, from_frame + frames),),
        origin="imported", rig_sheet=part.rig, said=_said(looked, placing),
        folder=str(folder.relative_to(sessions_folder)),
    )  # fmt: skip
    return take, channels


def _write(
    looked: Sequence[_Looked], paths: Sequence[Path], leads: Sequence[int], rate_hz: int, now: datetime,
    from_frame: int, on_progress: Progress,
) -> int:  # fmt: skip
    """Write all files, each after its lead of silence, and all as long as the longest; returns their frames."""
    with ExitStack() as stack:
        writers = []
        for done, (each, path, lead) in enumerate(zip(looked, paths, leads, strict=True)):
            note = BextChunk(description=path.stem, originated_at=now, time_reference_frames=max(0, from_frame))
            writer = stack.enter_context(
                WaveWriter(path, rate_hz=rate_hz, depth="32f" if each.is_float else "24", note=note)
            )
            writers.append(writer)
            _write_silence(writer, lead)
            for block in each.blocks(rate_hz):
                writer.write(block[:, None])
                own = min(1.0, (writer.frames - lead) * each.facts.rate_hz / (rate_hz * each.facts.frames))
                on_progress((done + own) / len(looked))
            if writer.frames == lead:
                raise FileRefused(f"{each.file.shown_name} breaks off before its first sample")
        frames = max(writer.frames for writer in writers)
        for writer in writers:
            _write_silence(writer, frames - writer.frames)
    return frames


def _write_silence(writer: WaveWriter, frames: int) -> None:
    while frames > 0:
        writer.write(np.zeros((min(frames, READ_FRAMES), 1)))
        frames -= READ_FRAMES


def not_written(what: str, trouble: OSError) -> FileRefused:
    """The disk took none of it, in words."""
    return FileRefused(
        f"the {what} could not be written ({trouble.strerror or trouble}): nothing of it is kept; make room, or look "
        "at the session's folder, and import again"
    )


def _check(files: Sequence[Incoming], session: Session, bar: int) -> None:
    if not 1 <= len(files) <= MOST_FILES:
        raise InvalidSetting(f"a take is made of 1 to {MOST_FILES} files; these are {len(files)}")
    if sum(file.kind == "di" for file in files) > 1:
        raise InvalidSetting("a take has one DI: say what the others are")
    if not 1 <= bar <= session.song_bars:
        raise InvalidSetting(f"the song has bars 1 to {session.song_bars}: choose one of them to begin at")


def _look(file: Incoming, rate_hz: int, on_progress: Progress) -> _Looked:
    """Go over a file once: whether it can be used, which channel of two, where its sound begins."""
    facts = uploaded_facts(file.path, file.shown_name)
    if facts.channels > 2:
        raise FileRefused(
            f"{file.shown_name} has {facts.channels} channels; one microphone or DI has one, or two: "
            "export each as a file of its own"
        )
    if facts.frames > LONGEST_IMPORT_S * facts.rate_hz:
        hours = facts.frames / facts.rate_hz / 3600
        raise FileRefused(
            f"{file.shown_name} is {hours:.1f} hours long; up to {LONGEST_IMPORT_S // 3600} hours are imported: "
            "cut it into parts"
        )
    energy: Samples = np.zeros(facts.channels)
    loudest: list[float] = []
    for block in uploaded_blocks(file.path, file.shown_name):
        energy += np.sum(np.square(block), axis=0)
        on_progress(min(1.0, len(loudest) * len(block) / facts.frames))
        loudest.append(float(np.abs(block).max()))
    if not loudest:
        raise FileRefused(f"{file.shown_name} breaks off before its first sample")
    if not energy.any():
        what = "DI" if file.kind == "di" else "sound"
        raise FileRefused(f"{file.shown_name} holds nothing but silence: there is no {what} in it to work with")
    begins = next(index for index, peak in enumerate(loudest) if peak >= _BEGINS_SHARE * max(loudest))
    return _Looked(
        file, facts, int(np.argmax(energy)), _stamp(file.path, facts.rate_hz, rate_hz),
        begins * READ_FRAMES / facts.rate_hz,
    )  # fmt: skip


def _check_room(looked: Sequence[_Looked], session: Session, sessions_folder: Path) -> None:
    longest_s = max(each.facts.frames / each.facts.rate_hz for each in looked)
    needed = round(longest_s * session.rate_hz) * sum(4 if each.is_float else 3 for each in looked)
    try:
        left = free_bytes(sessions_folder) - RESERVE_BYTES
    except OSError:
        return
    if needed > left:
        raise FileRefused(
            f"this needs {needed / 1024**3:.1f} GB at the session's rate, and the disk has room for "
            f"{max(0, left) / 1024**3:.1f} GB: make room and import again"
        )


def _stamp(path: Path, file_rate_hz: int, rate_hz: int) -> int | None:
    """The time reference of a Broadcast WAV, in frames of the session's rate."""
    body = read_bext(path)
    if body is None or len(body) < 602:
        return None
    return round(unpack_bext(body).time_reference_frames * rate_hz / file_rate_hz)


def _places(looked: Sequence[_Looked], session: Session, placing: Placing, bar: int) -> tuple[list[int], int, Placing]:
    """Where each file begins against the others, where the earliest lies in the session, and how that was told."""
    at_bar = session.tempo.bar_frame(bar)
    together = [0] * len(looked)
    match placing:
        case "stamp":
            return *_by_stamps(looked, session, at_bar), placing
        case "sound" if len(looked) > 1:
            return _by_sound(looked, session.rate_hz), at_bar, placing
        case "fitting" if len(looked) > 1:
            if _stamped(looked):
                return *_by_stamps(looked, session, at_bar), "stamp"
            try:
                offsets = _by_sound(looked, session.rate_hz)
            except FileRefused:
                return together, at_bar, "bar"
            # Some milliseconds are the way through the air: of what was recorded together, and they stay.
            if max(offsets) - min(offsets) > _AIR_S * session.rate_hz:
                return offsets, at_bar, "sound"
    return together, at_bar, "bar"


def _stamped(looked: Sequence[_Looked]) -> bool:
    """Whether all files say when they began; zero in all of them is what a program writes that does not know."""
    stamps = [each.stamp_frame for each in looked]
    return None not in stamps and any(stamps)


def _by_stamps(looked: Sequence[_Looked], session: Session, at_bar: int) -> tuple[list[int], int]:
    stamps = []
    for each in looked:
        if each.stamp_frame is None:
            raise FileRefused(f"{each.file.shown_name} has no time stamp: lay the files by their sound, or at a bar")
        stamps.append(each.stamp_frame)
    end = session.tempo.bar_frame(session.song_bars + 1)
    if min(stamps) < end:
        return stamps, min(stamps)
    # Time of day: only how the files lie against each other is told, and the first one begins at the bar.
    return stamps, at_bar


def _by_sound(looked: Sequence[_Looked], rate_hz: int) -> list[int]:
    # All from the same moment of their files on: some seconds before the first of them sounds.
    begins_s = max(0.0, min(each.sound_begins_s for each in looked) - _BEFORE_S)
    first, *others = looked
    reference = _excerpt(first, begins_s, rate_hz)
    offsets = [0]
    for each in others:
        try:
            found = align(reference, _excerpt(each, begins_s, rate_hz), rate_hz=rate_hz)
        except SignalError as problem:
            raise FileRefused(f"{each.file.shown_name} cannot be laid on {first.file.shown_name}: {problem}") from None
        if found.confidence < _LEAST_CONFIDENCE:
            raise FileRefused(
                f"{each.file.shown_name} and {first.file.shown_name} do not sound alike enough to be laid on each "
                "other: use time stamps, or a bar"
            )
        offsets.append(-round(found.delay_samples))
    return offsets


def _excerpt(of: _Looked, begins_s: float, rate_hz: int) -> Samples:
    """So much of a file as tells how it lies against another."""
    skip, wanted = round(begins_s * rate_hz), round(_EXCERPT_S * rate_hz)
    kept: list[Samples] = []
    at = 0
    for block in of.blocks(rate_hz):
        piece = block[max(0, skip - at) : max(0, skip + wanted - at)]
        if len(piece):
            kept.append(piece)
        at += len(block)
        if at >= skip + wanted:
            break
    return np.concatenate(kept) if kept else np.zeros(0)


def _said(looked: Sequence[_Looked], placing: Placing) -> str:
    if len(looked) == 1:
        return f"from {file_name(looked[0].file.shown_name)}{looked[0].note}"
    how = {"stamp": "by their time stamps", "sound": "by their sound", "bar": "beginning together"}[placing]
    return f"from {len(looked)} files, {how}"
