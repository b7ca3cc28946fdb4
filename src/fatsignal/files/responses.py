"""Impulse responses of one's own on disk: each file as it was brought in, under the SHA-256 of its bytes.

A file that is there is never written again; what is not what its name says is taken for missing.
"""

import hashlib
import io
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile

from fatsignal.core.clip import HIGHEST_RATE_HZ, LOWEST_RATE_HZ
from fatsignal.core.tone.impulse_response import LONGEST_S, Response, bounds
from fatsignal.errors import FileRefused
from fatsignal.files.atomic_write import atomic_write, sync_file, sync_folder

LARGEST_BYTES = 16 * 1024**2
# Nothing in it is louder: -120 dBFS, below what 20 bits hold.
_SILENT = 1e-6
_SHORTEST_FRAMES = 8


@dataclass(frozen=True, slots=True)
class ResponseFacts:
    """What a file holds: its length is that of its sound, without silence before and after."""

    sha256: str
    rate_hz: int
    channels: int
    sound_s: float


class ResponseFolder:
    """Where the responses of a studio lie, with some that are at hand beside it. It is a `Shelf`."""

    def __init__(self, folder: Path, at_hand: Mapping[str, bytes] | None = None) -> None:
        self._folder = folder
        self._at_hand = {
            sha256: _usable(content, f"the impulse response {sha256[:12]}…")
            for sha256, content in (at_hand or {}).items()
        }

    def __call__(self, sha256: str) -> Response | None:
        """A response by the SHA-256 of its file; None where it is missing or is another by now."""
        if sha256 in self._at_hand:
            return self._at_hand[sha256]
        path = self._path(sha256)
        try:
            state = path.stat()
        except OSError:
            return None
        return _read_again(path, sha256, state.st_size, state.st_mtime_ns)

    def read_bytes(self, sha256: str) -> bytes | None:
        """The file as it was brought in; None where it is missing or is another by now."""
        try:
            content = self._path(sha256).read_bytes()
        except OSError:
            return None
        return content if hashlib.sha256(content).hexdigest() == sha256 else None

    def keep(self, content: bytes, shown_name: str) -> ResponseFacts:
        """Check a file and keep it; it is on the disk when this returns.

        Raises
        ------
        FileRefused
            If no response can be made of it, or it cannot be written.
        """
        facts = checked(content, shown_name)
        if self.read_bytes(facts.sha256) is not None:
            return facts
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            with atomic_write(self._path(facts.sha256)) as partial:
                partial.write_bytes(content)
                sync_file(partial)
            sync_folder(self._folder)
        except OSError as trouble:
            raise FileRefused(
                f"{shown_name} could not be kept ({trouble.strerror or trouble}): make room in the data folder and "
                "bring it in again"
            ) from None
        return facts

    def _path(self, sha256: str) -> Path:
        return self._folder / f"{sha256}.sound"


def checked(content: bytes, shown_name: str) -> ResponseFacts:
    """What a file holds.

    Raises
    ------
    FileRefused
        If it is too large, cannot be read, has more than two channels, holds no sound or what is no number, or sounds
        for longer than `LONGEST_S`.
    """
    response = _usable(content, shown_name)
    begins, ends = bounds(response.samples)
    sound_s = (ends - begins) / response.rate_hz
    return ResponseFacts(hashlib.sha256(content).hexdigest(), response.rate_hz, response.samples.shape[1], sound_s)


def _usable(content: bytes, shown_name: str) -> Response:
    """A response that can be used, or the sentence of `checked`."""
    check_bytes(len(content), shown_name)
    response = _read(content, shown_name)
    samples = response.samples
    if not np.isfinite(samples).all():
        raise FileRefused(f"{shown_name} holds samples that are no numbers: export it again")
    if np.abs(samples).max(initial=0.0) <= _SILENT:
        raise FileRefused(f"{shown_name} is silent: choose a file in which a response sounds")
    begins, ends = bounds(samples)
    sound_s = (ends - begins) / response.rate_hz
    if sound_s > LONGEST_S:
        raise FileRefused(
            f"{shown_name} sounds for {sound_s:.1f} s; an impulse response has up to {LONGEST_S:g} s: cut it, or "
            "choose a file that is one"
        )
    return response


def check_bytes(size: int, shown_name: str) -> None:
    """Refuse a file by its size alone."""
    if size > LARGEST_BYTES:
        raise FileRefused(
            f"{shown_name} has {size / 1e6:.0f} MB; an impulse response has up to {LARGEST_BYTES / 1e6:.0f} MB and "
            f"{LONGEST_S:g} s: cut it"
        )


def _read(content: bytes, shown_name: str) -> Response:
    if not content:
        raise FileRefused(f"{shown_name} is empty: it has 0 bytes; export it again")
    try:
        with soundfile.SoundFile(io.BytesIO(content)) as sound:
            rate_hz, channels, frames = sound.samplerate, sound.channels, sound.frames
            if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
                raise FileRefused(
                    f"{shown_name} has a rate of {rate_hz} Hz; {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz can be used: "
                    "export it at one of these"
                )
            if channels > 2:
                raise FileRefused(
                    f"{shown_name} has {channels} channels; an impulse response has one or two: export one microphone, "
                    "or a pair"
                )
            if frames < _SHORTEST_FRAMES:
                raise FileRefused(f"{shown_name} has only {frames} samples: no response is so short; export it again")
            samples = sound.read(dtype="float64", always_2d=True)
    except (soundfile.LibsndfileError, TypeError, RuntimeError):
        raise FileRefused(
            f"{shown_name} is not a sound file that can be read: export it as WAV, FLAC or AIFF"
        ) from None
    return Response(rate_hz, samples)


@lru_cache(maxsize=32)
def _read_again(path: Path, sha256: str, size_bytes: int, modified_ns: int) -> Response | None:
    """As long as a file is as it was it is read and checked once."""
    content = path.read_bytes()
    if hashlib.sha256(content).hexdigest() != sha256:
        return None
    return _read(content, sha256)
