"""The strokes of a part's takes in a section, for whoever cuts or moves by them."""

from dataclasses import asdict
from pathlib import Path
from typing import Any
from uuid import UUID

from fatsignal.acts.judged_section import ToJudge, recordings_of
from fatsignal.core.takes.placed_stroke import PlacedStroke
from fatsignal.core.takes.placing import placed_strokes
from fatsignal.core.takes.windows import Window


def strokes_of(loaded: ToJudge, *, sessions_folder: Path, waves_folder: Path) -> dict[str, Any]:
    """Strokes by the take, as plain values that are kept."""
    recordings = recordings_of(loaded.session, loaded.channels, sessions_folder, waves_folder)
    span = Window(loaded.phrases[0].from_frame, loaded.phrases[-1].to_frame)
    known = [(take, heard) for take in loaded.found if (heard := recordings.heard_out(take)) is not None]
    placed = placed_strokes([heard.performance for _, heard in known], span, loaded.session.tempo)
    return {
        str(take.id): [asdict(stroke) for stroke in strokes] for (take, _), strokes in zip(known, placed, strict=True)
    }


def as_placed(found: dict[str, Any]) -> dict[UUID, list[PlacedStroke]]:
    """What was kept, as it is asked for."""
    return {UUID(take_id): [PlacedStroke(**stroke) for stroke in strokes] for take_id, strokes in found.items()}
