"""Pulses: a backing track is listened to again, near a tempo that somebody tapped."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from fatsignal.config import Settings
from fatsignal.jobs.kind import calculation

PULSE_KIND = "pulse"
_REMEMBERED = 100


def _found(asked: dict[str, Any], settings: Settings) -> Any:
    from fatsignal.core.timing.beat_tracking import find_pulse
    from fatsignal.files.sound import open_mono

    with open_mono(settings.sessions_folder / Path(asked["file"])) as sound:
        return asdict(find_pulse(sound, beats_per_bar=asked["beats_per_bar"], near_bpm=asked["near_bpm"]))


PULSE = calculation(PULSE_KIND, _found, remembered=_REMEMBERED)
