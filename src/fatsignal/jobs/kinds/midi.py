"""Standard MIDI Files that were received: tempo map and sections are read out of them."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from fatsignal.config import Settings
from fatsignal.jobs.kind import calculation

MIDI_KIND = "midi"
_REMEMBERED = 20


def _read(asked: dict[str, Any], _: Settings) -> Any:
    from fatsignal.files.midi import LARGEST_BYTES, read_midi

    with Path(asked["path"]).open("rb") as file:
        # A byte too many is enough to see that it is too large.
        data = file.read(LARGEST_BYTES + 1)
    found = read_midi(
        data, shown_name=asked["shown_name"], rate_hz=asked["rate_hz"], bar_one_frame=asked["bar_one_frame"]
    )
    return {
        "tempos": [asdict(each) | {"bpm": str(each.bpm)} for each in found.tempo.tempos],
        "meters": [asdict(each) for each in found.tempo.meters],
        "song_bars": found.song_bars,
        "sections": [asdict(section) | {"id": str(section.id)} for section in found.sections],
        "remarks": found.remarks,
    }


MIDI = calculation(MIDI_KIND, _read, remembered=_REMEMBERED)
