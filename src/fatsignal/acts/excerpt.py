"""An excerpt of a material as a sound of its own: a channel as it is, or its DI through a tone.

What went through a tone is kept as a file, for as long as there is room: it is computed to be measured, and heard
piece by piece afterwards.
"""

import hashlib
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

import fatsignal
from fatsignal.core.clip import Clip, Samples, in_one
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.level.true_peak import true_peak_dbtp
from fatsignal.core.material.channels import Wanted
from fatsignal.core.takes.windows import Window
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.voltage import UNKNOWN, DiVoltage
from fatsignal.files.atomic_write import atomic_write
from fatsignal.files.kept import forget_oldest
from fatsignal.files.material_files import MaterialOnDisk

# So much is played before the excerpt, so that gates, tubes and strings are as they were.
RUN_IN_S = 0.5
# Some minutes at 48 kHz.
_MOST_KEPT_BYTES = 256 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Excerpt:
    """Frames `span` of the session out of one channel of a material, through a tone where one is given."""

    recorded: MaterialOnDisk
    wanted: Wanted
    span: Window
    tone: Tone | None = None
    voltage: DiVoltage = UNKNOWN

    @property
    def rate_hz(self) -> int:
        return self.recorded.material.rate_hz

    def fingerprint(self) -> str:
        """Of what is heard: its files as they are now, the stretch, the tone, and the release that computes it."""
        told = hashlib.sha256(f"{fatsignal.__version__} {self.recorded.material.fingerprint} {self.wanted}".encode())
        told.update(f" {self.span} {self.tone.model_dump_json() if self.tone else ''} {self.voltage}".encode())
        for file in self.recorded.files_of(self.wanted):
            told.update(f" {file.path.stat().st_mtime_ns if file.path.exists() else 0}".encode())
        return told.hexdigest()

    def samples(self, run_in: int = 0) -> Samples:
        """Its dry samples, with so many frames before them; silence where nothing of the material lies."""
        with self.recorded.reader() as reader:
            return reader.read(self.wanted, self.span.from_frame - run_in, self.span.frames + run_in)


def sound_of(excerpt: Excerpt, folder: Path) -> Clip:
    """The excerpt as it is heard; `folder` keeps what went through a tone.

    Raises
    ------
    FileRefused
        If a file of the material is gone.
    """
    if excerpt.tone is None:
        return Clip.mono(excerpt.samples(), excerpt.rate_hz)
    path = kept_excerpt(folder, excerpt.fingerprint())
    kept = _opened(path)
    if kept is None:
        kept = _through(excerpt, excerpt.tone)
        folder.mkdir(parents=True, exist_ok=True)
        with atomic_write(path) as partial:
            np.save(partial, kept)
        forget_oldest(folder, most_bytes=_MOST_KEPT_BYTES)
    return Clip.mono(np.asarray(kept, dtype=np.float64), excerpt.rate_hz)


def kept_excerpt(folder: Path, fingerprint: str) -> Path:
    """Where an excerpt that went through a tone lies, if it is kept."""
    return folder / f"{fingerprint}.npy"


def piece_of_kept(path: Path, from_frame: int, frames: int) -> NDArray[np.float32] | None:
    """Some frames of a kept excerpt, silence beyond its end; None where it is kept no more."""
    kept = _opened(path)
    if kept is None:
        return None
    piece = np.zeros(frames, dtype=np.float32)
    found = kept[from_frame : from_frame + frames]
    piece[: len(found)] = found
    return piece


def loudness_and_peak(clip: Clip) -> tuple[float, float]:
    """Loudness in LUFS and true peak in dBTP, as equal loudness needs them."""
    peaks_dbtp = [true_peak_dbtp(clip.channel(each), rate_hz=clip.rate_hz) for each in range(clip.channels)]
    return integrated_loudness_lufs(clip), max(peaks_dbtp)


def _through(excerpt: Excerpt, tone: Tone) -> NDArray[np.float32]:
    from fatsignal.core.tone.chain import ToneChain
    from fatsignal.core.tone.render import render

    run_in = round(RUN_IN_S * excerpt.rate_hz)
    chain = ToneChain(tone, rate_hz=excerpt.rate_hz, voltage=excerpt.voltage)
    # Held against each other are one channel each: of a wide tone its middle.
    return in_one(render(chain, excerpt.samples(run_in)))[run_in:].astype(np.float32)


def _opened(path: Path) -> NDArray[np.float32] | None:
    try:
        kept: NDArray[np.float32] = np.load(path, mmap_mode="r")
    except (OSError, ValueError, EOFError):
        return None
    return kept
