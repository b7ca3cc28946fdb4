"""An excerpt of a material as a sound of its own: a channel as it is, or its DI through a tone."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.level.true_peak import true_peak_dbtp
from fatsignal.core.material.channels import Wanted
from fatsignal.core.takes.windows import Window
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.files.material_files import MaterialOnDisk

# So much is played before the excerpt, so that gates, tubes and strings are as they were.
_RUN_IN_S = 0.5
# As many as are compared at once, and some more.
_MOST_KEPT = 12


@dataclass(frozen=True, slots=True)
class Excerpt:
    """Frames `span` of the session out of one channel of a material."""

    recorded: MaterialOnDisk
    wanted: Wanted
    span: Window

    @property
    def rate_hz(self) -> int:
        return self.recorded.material.rate_hz

    def samples(self, run_in: int = 0) -> Samples:
        """Its samples, with so many frames before them; silence where nothing of the material lies."""
        with self.recorded.reader() as reader:
            return reader.read(self.wanted, self.span.from_frame - run_in, self.span.frames + run_in)


def sound_of(excerpt: Excerpt, tone: Tone | None) -> Clip:
    """The excerpt, through a tone where one is given.

    Raises
    ------
    FileRefused
        If a file is gone.
    """
    if tone is None:
        return Clip.mono(excerpt.samples(), excerpt.rate_hz)
    changed = tuple(
        file.path.stat().st_mtime_ns if file.path.exists() else 0 for file in excerpt.recorded.files_of(excerpt.wanted)
    )
    return Clip.mono(_through(excerpt, tone.model_dump_json(), changed).astype(np.float64), excerpt.rate_hz)


@lru_cache(maxsize=_MOST_KEPT)
def _through(excerpt: Excerpt, tone_json: str, changed_ns: tuple[int, ...]) -> NDArray[np.float32]:
    """An excerpt through a tone; it is asked for twice, to measure and to play, and computed once."""
    run_in = round(_RUN_IN_S * excerpt.rate_hz)
    chain = ToneChain(Tone.model_validate_json(tone_json), rate_hz=excerpt.rate_hz)
    wet = chain.process(np.concatenate((excerpt.samples(run_in), np.zeros(chain.latency_frames))))
    return wet[chain.latency_frames + run_in :].astype(np.float32)


def loudness_and_peak(clip: Clip) -> tuple[float, float]:
    """Loudness in LUFS and true peak in dBTP, as equal loudness needs them."""
    return integrated_loudness_lufs(clip), true_peak_dbtp(clip.channel(0), rate_hz=clip.rate_hz)
