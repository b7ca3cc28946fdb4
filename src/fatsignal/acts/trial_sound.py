"""A trial clip as it is heard: its microphones together, each at its delay, polarity, level and side; or one alone."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

import fatsignal
from fatsignal.acts.materials import material_of_trial
from fatsignal.core.clip import Samples
from fatsignal.core.json_values import json_ready
from fatsignal.core.material.channels import DRY, Wanted
from fatsignal.core.material.delayed import Read, read_delayed
from fatsignal.core.mics.blend import MicBlend, Played, played
from fatsignal.core.takes.windows import Window
from fatsignal.errors import NotFound, SignalError
from fatsignal.files.material_files import FilesReader, MaterialOnDisk
from fatsignal.store.trials import Trial

# What is told of a clip is remembered: another number where it is told in another form.
_TOLD = 6


@dataclass(frozen=True, slots=True)
class TrialSound:
    """A clip, what is played of it, and the stretch that is listened to."""

    recorded: MaterialOnDisk
    channels: tuple[tuple[Wanted, Played], ...]
    span: Window

    @property
    def in_both_ears(self) -> bool:
        """Whether left and right are one."""
        return all(played.left == played.right for _, played in self.channels)

    def first(self, frames: int) -> "TrialSound":
        """No more of it than so many frames."""
        start = self.span.from_frame
        return replace(self, span=Window(start, min(self.span.to_frame, start + frames)))

    def fingerprint(self) -> str:
        """Of all that it sounds like, and of the release that measures it."""
        told = f"{fatsignal.__version__} {_TOLD} {self.recorded.material.fingerprint} {self.channels} {self.span}"
        return hashlib.sha256(told.encode()).hexdigest()

    def read(self, from_frame: int, frames: int, *, ears: Sequence[str] = ("left", "right")) -> Samples:
        """Frames of the session, shape (frames, ears); any stretch gives the same samples."""
        rate_hz = self.recorded.material.rate_hz
        out = np.zeros((frames, len(ears)))
        with self.recorded.reader() as reader:
            for wanted, channel in self.channels:
                gains = np.array([getattr(channel, ear) for ear in ears])
                if gains.any():
                    delay_frames = channel.delay_ms / 1000 * rate_hz
                    late = read_delayed(_reading(reader, wanted), delay_frames, from_frame, frames)
                    out += late[:, None] * gains
        return out


def trial_sound(trial: Trial, sessions_folder: Path, *, of: str | None = None) -> TrialSound:
    """A clip as its blend says; or one channel of it, by its name, alone.

    Raises
    ------
    NotFound
        If it has no such channel.
    """
    kinds = {channel.name: channel.key for channel in trial.channels}
    if of is not None and of not in kinds:
        raise NotFound("channel of this trial", of)
    mics = [channel.name for channel in trial.channels if channel.kind == "mic"]
    heard = played(MicBlend.model_validate(trial.blend), mics or list(kinds), alone=of)
    return TrialSound(
        material_of_trial(trial, sessions_folder),
        tuple((Wanted.exactly(kinds[each.name]), each) for each in heard), trial.span,
    )  # fmt: skip


def measured(sound: TrialSound) -> dict[str, object]:
    """What a clip sounds like, as JSON (`core.stereo.trial_report.TrialReport`)."""
    from dataclasses import asdict

    from fatsignal.core.stereo.trial_report import report_trial

    span, material = sound.span, sound.recorded.material
    with sound.recorded.reader() as reader:
        wanted = {channel.name: Wanted.exactly(channel) for channel in material.channels if channel.kind == "mic"}
        mics = {name: reader.read(each, span.from_frame, span.frames) for name, each in wanted.items()}
        lead = max(0, span.from_frame - material.first_frame)
        before = {name: reader.read(each, material.first_frame, lead) for name, each in wanted.items()}
    heard = sound.read(span.from_frame, span.frames)
    left, right = (np.ascontiguousarray(heard[:, ear]) for ear in (0, 1))
    found: dict[str, object] = json_ready(
        asdict(report_trial(mics, left, right, rate_hz=material.rate_hz, before=before))
    )
    return found


def ruled(one: TrialSound, other: TrialSound) -> dict[str, object]:
    """What the other does differently, free of the playing, as JSON (`core.stereo.ruler.Ruled`).

    Raises
    ------
    SignalError
        If a clip has no DI, or one of them is silent.
    """
    from dataclasses import asdict

    from fatsignal.core.stereo.ruler import placement_difference

    clips: list[Samples] = []
    for sound in (one, other):
        span, material = sound.span, sound.recorded.material
        with sound.recorded.reader() as reader:
            if not reader.has(DRY):
                raise SignalError("there is no DI in one of the clips: the playing cannot be told from the placement")
            clips.append(reader.read(DRY, span.from_frame, span.frames))
        clips.append(sound.read(span.from_frame, span.frames).mean(axis=1))
    found: dict[str, object] = json_ready(asdict(placement_difference(*clips, rate_hz=material.rate_hz)))
    return found


def _reading(reader: FilesReader, wanted: Wanted) -> Read:
    return lambda from_frame, frames: reader.read(wanted, from_frame, frames)
