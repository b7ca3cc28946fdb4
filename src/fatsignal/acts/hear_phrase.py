"""A stretch of a take as a sound of its own: a channel as it was recorded, or its DI through a tone."""

import io
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.level.true_peak import true_peak_dbtp
from fatsignal.core.takes.windows import Window
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.errors import FileRefused
from fatsignal.files.sound import read_span

# So much is played before the stretch, so that gates, tubes and strings are as they were.
_RUN_IN_S = 0.5
# As many as are compared at once, and some more.
_MOST_KEPT = 12


@dataclass(frozen=True, slots=True)
class Stretch:
    """Where a sound comes from: frames `span` of the session out of a file that begins at `begins_frame` of it."""

    file: Path
    begins_frame: int
    span: Window
    rate_hz: int


def sound_of(stretch: Stretch, tone: Tone | None) -> Clip:
    """The stretch, through a tone where one is given; silence where the file has nothing.

    Raises
    ------
    FileRefused
        If the file is gone.
    """
    if tone is None:
        return Clip.mono(_read(stretch, 0), stretch.rate_hz)
    try:
        changed_ns = stretch.file.stat().st_mtime_ns
    except OSError:
        raise _gone(stretch.file) from None
    return Clip.mono(_through(stretch, tone.model_dump_json(), changed_ns).astype(np.float64), stretch.rate_hz)


@lru_cache(maxsize=_MOST_KEPT)
def _through(stretch: Stretch, tone_json: str, changed_ns: int) -> NDArray[np.float32]:
    """A stretch through a tone; it is asked for twice, to measure and to play, and computed once."""
    run_in = round(_RUN_IN_S * stretch.rate_hz)
    chain = ToneChain(Tone.model_validate_json(tone_json), rate_hz=stretch.rate_hz)
    wet = chain.process(np.concatenate((_read(stretch, run_in), np.zeros(chain.latency_frames))))
    return wet[chain.latency_frames + run_in :].astype(np.float32)


def as_wave(clip: Clip) -> bytes:
    """A clip as a WAV of 32-bit floats."""
    out = io.BytesIO()
    soundfile.write(out, clip.samples, clip.rate_hz, format="WAV", subtype="FLOAT")
    return out.getvalue()


def loudness_and_peak(clip: Clip) -> tuple[float, float]:
    """Loudness in LUFS and true peak in dBTP, as equal loudness needs them."""
    return integrated_loudness_lufs(clip), true_peak_dbtp(clip.channel(0), rate_hz=clip.rate_hz)


def _read(stretch: Stretch, run_in: int) -> Samples:
    first = stretch.span.from_frame - run_in - stretch.begins_frame
    try:
        with soundfile.SoundFile(stretch.file) as sound:
            return read_span(sound, from_frame=first, frames=stretch.span.frames + run_in)[:, 0]
    except (soundfile.LibsndfileError, OSError):
        raise _gone(stretch.file) from None


def _gone(file: Path) -> FileRefused:
    return FileRefused(f"{file.name} is not in its folder any more: put it back")
