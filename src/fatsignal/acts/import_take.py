"""Bringing in what was recorded elsewhere: one file or several that belong together become one take."""

import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Literal
from uuid import uuid4

import numpy as np

from fatsignal.acts.survey import keep_wave, survey_channel
from fatsignal.acts.take_numbers import part_folder
from fatsignal.acts.uploaded import uploaded_blocks, uploaded_facts
from fatsignal.core.clip import Clip, Samples
from fatsignal.core.takes.channel_names import ChannelKind, name_channels
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.delay import align
from fatsignal.errors import FileRefused, SettingRefused, SignalError
from fatsignal.files.bext import BroadcastNote, unpack_bext
from fatsignal.files.claims import claim_take_folder
from fatsignal.files.names import channel_name, file_name, take_stem
from fatsignal.files.sound_writer import write_sound
from fatsignal.files.wave_writer import read_bext
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel

Placing = Literal["fitting", "stamp", "sound", "bar"]
_FLOAT_SUBTYPES = {"FLOAT", "DOUBLE", "VORBIS", "OPUS", "MPEG_LAYER_III"}

_LEAST_CONFIDENCE = 0.2
# Ten metres of air.
_AIR_S = 0.03
MOST_FILES = 12


@dataclass(frozen=True, slots=True)
class Incoming:
    """A file on its way in, under the name that the person knows."""

    path: Path
    shown_name: str
    kind: ChannelKind


@dataclass(frozen=True, slots=True)
class _Read:
    samples: Samples
    stamp_frame: int | None
    is_float: bool
    note: str


def import_take(
    files: Sequence[Incoming], *, session: Session, part: Part, number: int, placing: Placing = "fitting", bar: int = 1,
    sessions_folder: Path, waves_folder: Path,
) -> tuple[Take, list[TakeChannel]]:  # fmt: skip
    """Convert sound files to the session's rate and make one take of them, time-locked; it has `number`, or the next
    one that is free.

    Any rate, depth and length that can be read. Of a file with two channels the louder one is taken. With "stamp" each
    file lies where its time stamp says; with "sound" the others are laid on the first by the delay between them; with
    "bar" all begin together, at a bar of the song; "fitting" takes the first of these that the files allow. Nothing is
    left behind when a file is refused.

    Raises
    ------
    FileRefused
        If one is no sound file, has more than two channels, holds no sound, or samples that are not numbers; if there
        is no time stamp where one is needed.
    SettingRefused
        If there are too many files, two DIs, or no such bar.
    """
    _check(files, session, bar)
    read = [_read(file, session.rate_hz) for file in files]
    offsets, from_frame, placing = _places(files, read, session, placing, bar)
    first = min(offsets)
    frames = max(offset - first + len(each.samples) for offset, each in zip(offsets, read, strict=True))
    now = datetime.now().astimezone()
    number, folder = claim_take_folder(part_folder(sessions_folder, session, part), number)
    stem = take_stem(file_name(part.name), number)
    take_id = uuid4()
    try:
        channels, signals = [], []
        names = name_channels([file.kind for file in files])
        for position, (file, name, each, offset) in enumerate(zip(files, names, read, offsets, strict=True)):
            samples = np.zeros(frames)
            samples[offset - first : offset - first + len(each.samples)] = each.samples
            called = channel_name(stem, name)
            target = folder / f"{called}.wav"
            note = BroadcastNote(description=called, originated_at=now, time_reference_frames=max(0, from_frame))
            write_sound(
                target, iter([samples[:, None]]), rate_hz=session.rate_hz, channels=1,
                depth="32f" if each.is_float else "24", note=note,
            )  # fmt: skip
            channel, signal = survey_channel(target, position=position, name=name, kind=file.kind)
            channels.append(channel)
            signals.append(signal)
        keep_wave(waves_folder, str(take_id), Clip(np.column_stack(signals), session.rate_hz))
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    take = Take(
        id=take_id, part_id=part.id, number=number, recorded_at=now, rate_hz=session.rate_hz, from_frame=from_frame,
        recorded_frame=from_frame, frames=frames, windows=(Window(from_frame, from_frame + frames),),
        origin="imported", rig_sheet=part.rig, said=_said(files, read, placing),
        folder=str(folder.relative_to(sessions_folder)),
    )  # fmt: skip
    return take, channels


def _check(files: Sequence[Incoming], session: Session, bar: int) -> None:
    if not 1 <= len(files) <= MOST_FILES:
        raise SettingRefused(f"a take is made of 1 to {MOST_FILES} files; these are {len(files)}")
    if sum(file.kind == "di" for file in files) > 1:
        raise SettingRefused("a take has one DI: say what the others are")
    if not 1 <= bar <= session.song_bars:
        raise SettingRefused(f"the song has bars 1 to {session.song_bars}: choose one of them to begin at")


def _read(file: Incoming, rate_hz: int) -> _Read:
    facts = uploaded_facts(file.path, file.shown_name)
    if facts.channels > 2:
        raise FileRefused(
            f"{file.shown_name} has {facts.channels} channels; one microphone or DI has one, or two: "
            "export each as a file of its own"
        )
    energy: Samples = np.zeros(facts.channels)
    for block in uploaded_blocks(file.path, file.shown_name):
        energy += np.sum(np.square(block), axis=0)
    if not energy.any():
        what = "DI" if file.kind == "di" else "sound"
        raise FileRefused(f"{file.shown_name} holds nothing but silence: there is no {what} in it to work with")
    louder = int(np.argmax(energy))
    blocks = [block[:, louder] for block in uploaded_blocks(file.path, file.shown_name, rate_hz=rate_hz)]
    samples = np.concatenate(blocks) if blocks else np.zeros(0)
    if not len(samples):
        raise FileRefused(f"{file.shown_name} breaks off before its first sample")
    note = f", {facts.rate_hz} Hz" + (f", {('left', 'right')[louder]} channel of two" if facts.channels == 2 else "")
    return _Read(samples, _stamp(file.path, facts.rate_hz, rate_hz), facts.subtype in _FLOAT_SUBTYPES, note)


def _stamp(path: Path, file_rate_hz: int, rate_hz: int) -> int | None:
    """The time reference of a Broadcast WAV, in frames of the session's rate."""
    body = read_bext(path)
    if body is None or len(body) < 602:
        return None
    return round(unpack_bext(body).time_reference_frames * rate_hz / file_rate_hz)


def _places(
    files: Sequence[Incoming], read: Sequence[_Read], session: Session, placing: Placing, bar: int
) -> tuple[list[int], int, Placing]:
    """Where each file begins against the others, where the earliest lies in the session, and how that was told."""
    at_bar = session.tempo.bar_frame(bar)
    together = [0] * len(files)
    match placing:
        case "stamp":
            return *_by_stamps(files, read, session, at_bar), placing
        case "sound" if len(files) > 1:
            return _by_sound(files, read, session.rate_hz), at_bar, placing
        case "fitting" if len(files) > 1:
            if _stamped(read):
                return *_by_stamps(files, read, session, at_bar), "stamp"
            try:
                offsets = _by_sound(files, read, session.rate_hz)
            except FileRefused:
                return together, at_bar, "bar"
            # Some milliseconds are the way through the air: of what was recorded together, and they stay.
            if max(offsets) - min(offsets) > _AIR_S * session.rate_hz:
                return offsets, at_bar, "sound"
    return together, at_bar, "bar"


def _stamped(read: Sequence[_Read]) -> bool:
    """Whether all files say when they began; zero in all of them is what a program writes that does not know."""
    stamps = [each.stamp_frame for each in read]
    return None not in stamps and any(stamps)


def _by_stamps(
    files: Sequence[Incoming], read: Sequence[_Read], session: Session, at_bar: int
) -> tuple[list[int], int]:
    stamps = []
    for file, each in zip(files, read, strict=True):
        if each.stamp_frame is None:
            raise FileRefused(f"{file.shown_name} has no time stamp: lay the files by their sound, or at a bar")
        stamps.append(each.stamp_frame)
    end = session.tempo.bar_frame(session.song_bars + 1)
    if min(stamps) < end:
        return stamps, min(stamps)
    # Time of day: only how the files lie against each other is told, and the first one begins at the bar.
    return stamps, at_bar


def _by_sound(files: Sequence[Incoming], read: Sequence[_Read], rate_hz: int) -> list[int]:
    offsets = [0]
    for file, each in zip(files[1:], read[1:], strict=True):
        try:
            found = align(read[0].samples, each.samples, rate_hz=rate_hz)
        except SignalError as problem:
            raise FileRefused(f"{file.shown_name} cannot be laid on {files[0].shown_name}: {problem}") from None
        if found.confidence < _LEAST_CONFIDENCE:
            raise FileRefused(
                f"{file.shown_name} and {files[0].shown_name} do not sound alike enough to be laid on each other: "
                "use time stamps, or a bar"
            )
        offsets.append(-round(found.delay_samples))
    return offsets


def _said(files: Sequence[Incoming], read: Sequence[_Read], placing: Placing) -> str:
    if len(files) == 1:
        return f"from {file_name(files[0].shown_name)}{read[0].note}"
    how = {"stamp": "by their time stamps", "sound": "by their sound", "bar": "beginning together"}[placing]
    return f"from {len(files)} files, {how}"
