"""What was heard out of a take, kept as one file of arrays, so that it is heard out once."""

import json
import logging
import zipfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from fatsignal.core.takes.notes import TakeAnalysis
from fatsignal.core.takes.tuning_drift import NotePitch
from fatsignal.core.timing.pluck_onsets import Rise
from fatsignal.files.atomic_write import atomic_write

# Raised when what is heard changes: files of another version are made again.
VERSION = 2

log = logging.getLogger(__name__)


def save_analysis(path: Path, playing: TakeAnalysis) -> None:
    """Keep it, where it can be."""
    with _kept_where_it_can_be(path) as partial:
        np.savez(
            partial, version=VERSION, rate_hz=playing.rate_hz, frames=playing.frames, clearness=playing.clearness,
            attack_db=playing.attack_db, body_db=playing.body_db, pitch_hz=playing.pitch_hz,
            envelope_db=playing.envelope_db.astype(np.float32),
            rise=playing.rise.clearness.astype(np.float32),
            rise_grid=np.array([playing.rise.hop_frames, playing.rise.first_frame]),
        )  # fmt: skip


def load_analysis(path: Path) -> TakeAnalysis | None:
    """What was kept; None where there is nothing, or it is of another version or broken."""
    try:
        with np.load(path) as kept:
            if int(kept["version"]) != VERSION:
                return None
            hop, first = (int(each) for each in kept["rise_grid"])
            return TakeAnalysis(
                rate_hz=int(kept["rate_hz"]), frames=kept["frames"], clearness=kept["clearness"],
                attack_db=kept["attack_db"], body_db=kept["body_db"], pitch_hz=kept["pitch_hz"],
                envelope_db=kept["envelope_db"],
                rise=Rise(kept["rise"].astype(np.float64), hop, first),
            )  # fmt: skip
    except (OSError, KeyError, ValueError, EOFError, zipfile.BadZipFile):
        return None


def save_pitches(path: Path, pitches: Sequence[NotePitch], *, of: str) -> None:
    """Keep the notes of a take, read over what `of` names, where it can be."""
    kept = {"of": of, "notes": [[each.frame, each.midi_note, each.cents] for each in pitches]}
    with _kept_where_it_can_be(path) as partial:
        partial.write_text(json.dumps(kept))


def load_pitches(path: Path, *, of: str) -> list[NotePitch] | None:
    """What was kept; None where there is nothing, or it was read over something else."""
    try:
        kept = json.loads(path.read_bytes())
        return [NotePitch(*each) for each in kept["notes"]] if kept["of"] == of else None
    except (OSError, ValueError, KeyError, TypeError):
        return None


@contextmanager
def _kept_where_it_can_be(path: Path) -> Iterator[Path]:
    """Where to write it; a file that is there is replaced at once or not at all.

    A disk that takes none holds nothing up.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with atomic_write(path) as partial:
            yield partial
    except OSError as trouble:
        log.warning("%s is not kept: %s", path.name, trouble)
