"""Reading sound files of any common kind, with a clear word about those that are none."""

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
import soxr

from fatsignal.core.clip import HIGHEST_RATE_HZ, LOWEST_RATE_HZ, Clip, Samples, check_finite
from fatsignal.errors import FileRefused, SignalError

MOST_CHANNELS = 8
READ_FRAMES = 65_536
# What one measurement may hold in memory at once: 6 hours of mono at 48 kHz would be 8 GB.
LARGEST_CLIP_SAMPLES = 200_000_000


@dataclass(frozen=True, slots=True)
class SoundFacts:
    """What a file's header says."""

    rate_hz: int
    channels: int
    frames: int
    format: str
    subtype: str


@contextmanager
def open_sound(path: Path) -> Iterator[soundfile.SoundFile]:
    """Open a sound file and check that it can be used; every refusal is one sentence."""
    name = path.name
    try:
        size = path.stat().st_size
    except OSError:
        raise FileRefused(
            f"{name} cannot be opened: there is no such file, or it may not be read: look at its name and place"
        ) from None
    if path.is_dir():
        raise FileRefused(f"{name} is a folder, not a sound file")
    if size == 0:
        raise FileRefused(f"{name} is empty: it has 0 bytes; export it again")
    try:
        sound = soundfile.SoundFile(path)
    except (soundfile.LibsndfileError, TypeError, OSError):
        raise FileRefused(f"{name} is not a sound file that can be read; export it as WAV, FLAC, AIFF or Ogg") from None
    with sound:
        if not LOWEST_RATE_HZ <= sound.samplerate <= HIGHEST_RATE_HZ:
            raise FileRefused(
                f"{name} says it has a rate of {sound.samplerate} Hz; "
                f"{LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz can be read: export it at one of these"
            )
        if sound.channels > MOST_CHANNELS:
            raise FileRefused(
                f"{name} has {sound.channels} channels; up to {MOST_CHANNELS} can be read: "
                "export the DI as a file of its own"
            )
        if sound.frames <= 0:
            raise FileRefused(f"{name} has a header but no sound in it: its length is 0; export it again")
        yield sound


def facts_of(path: Path) -> SoundFacts:
    """Rate, channels and length of a file."""
    with open_sound(path) as sound:
        return SoundFacts(sound.samplerate, sound.channels, sound.frames, sound.format, sound.subtype)


def read_clip(path: Path) -> Clip:
    """The whole file as a clip; NaN and infinite samples are refused, saying where they are."""
    with open_sound(path) as sound:
        if sound.frames * sound.channels > LARGEST_CLIP_SAMPLES:
            hours = sound.frames / sound.samplerate / 3600
            raise FileRefused(f"{path.name} is {hours:.1f} hours long, too long to measure at once: cut it into parts")
        samples = np.empty((sound.frames, sound.channels))
        read = 0
        # A damaged end: what came before it is the file.
        with suppress(soundfile.LibsndfileError):
            while block := len(sound.read(out=samples[read : read + READ_FRAMES])):
                read += block
        samples = samples[:read]
        if not len(samples):
            raise FileRefused(f"{path.name} breaks off before its first sample; export it again")
        # Whole numbers are finite.
        if not sound.subtype.startswith("PCM"):
            try:
                check_finite(samples)
            except SignalError as problem:
                raise FileRefused(f"{path.name}: {problem}; export it again") from None
        return Clip(samples, sound.samplerate)


def read_span(sound: soundfile.SoundFile, *, from_frame: int, frames: int) -> Samples:
    """Frames of an open file, shape (frames, channels); silence before its beginning and after its end."""
    out = np.zeros((frames, sound.channels))
    start, stop = max(0, from_frame), min(sound.frames, from_frame + frames)
    if start < stop:
        sound.seek(start)
        read = sound.read(stop - start, dtype="float64", always_2d=True)
        out[start - from_frame : start - from_frame + len(read)] = read
    return out


@contextmanager
def open_mono(path: Path) -> Iterator["MonoFile"]:
    """Open a sound file to be read stretch by stretch, its channels taken together."""
    with open_sound(path) as sound:
        yield MonoFile(sound)


class MonoFile:
    """The mean of the channels of an open file, a `MonoSound`."""

    def __init__(self, sound: soundfile.SoundFile) -> None:
        self._sound = sound
        self.rate_hz, self.frames = int(sound.samplerate), int(sound.frames)

    def read(self, from_frame: int, frames: int) -> Samples:
        return np.asarray(read_span(self._sound, from_frame=from_frame, frames=frames).mean(axis=1))


def read_blocks(path: Path, *, rate_hz: int | None = None) -> Iterator[Samples]:
    """The file block by block, shape (frames, channels), converted to `rate_hz` when it has another rate."""
    with open_sound(path) as sound:
        if rate_hz is None or rate_hz == sound.samplerate:
            yield from _blocks(sound)
            return
        converter = RateConverter(sound.samplerate, rate_hz, sound.channels)
        for block in _blocks(sound):
            yield converter.convert(block)
        yield converter.rest()


class RateConverter:
    """Blocks of shape (frames, channels) from one rate to another; a frame stays at its time."""

    def __init__(self, rate_hz: int, to_hz: int, channels: int) -> None:
        self._channels = channels
        self._stream = soxr.ResampleStream(rate_hz, to_hz, channels, dtype="float64", quality="VHQ")

    def convert(self, block: Samples) -> Samples:
        """What is known of the new rate so far, which may be nothing."""
        return np.asarray(self._stream.resample_chunk(block)).reshape(-1, self._channels)

    def rest(self) -> Samples:
        """What is left at the end."""
        nothing = np.zeros((0, self._channels))
        return np.asarray(self._stream.resample_chunk(nothing, last=True)).reshape(-1, self._channels)


def _blocks(sound: soundfile.SoundFile) -> Iterator[Samples]:
    while True:
        try:
            block = sound.read(READ_FRAMES, dtype="float64", always_2d=True)
        except soundfile.LibsndfileError:
            # A damaged end: what came before it is the file.
            return
        if not len(block):
            return
        yield block
