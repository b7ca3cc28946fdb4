"""Chords: how far those that a part plays are from pure as its strings are aimed, and at best."""

from collections.abc import Sequence
from typing import ClassVar

from fatsignal.acts.checks.kind import CheckFound, CheckKind
from fatsignal.core.pitch.chords import Shape, ShapeReport, best_compromise, report_shape
from fatsignal.rig.setup import RigSetup
from fatsignal.store.parts import Part

# Re-tuning for less than this is not worth it.
_NEAR_BEST_CENTS = 1.0


class ChordCheck(CheckKind):
    kind: ClassVar[str] = "chords"
    title: ClassVar[str] = "Chords"
    needs: ClassVar[str] = "what clashes in tune"

    def now(self, part: Part) -> CheckFound | None:
        shapes, rig = own_shapes(part), RigSetup.model_validate(part.rig)
        if not shapes:
            return None
        # Offsets and clashes in cents do not depend on the reference pitch.
        offsets = list(rig.string_offsets_cents) or None
        now = mean_clash_cents([report_shape(shape, rig.open_notes, offsets_cents=offsets) for shape in shapes])
        best = mean_clash_cents(best_compromise(shapes, rig.open_notes).after)
        says = f"{now:.1f} cents from pure on average, {best:.1f} at best"
        return self.found("good" if now <= best + _NEAR_BEST_CENTS else "look", says, {})


def own_shapes(part: Part) -> list[Shape]:
    """The chords that a part plays."""
    return [Shape(chord["name"], tuple(chord["frets"])) for chord in part.chords]


def mean_clash_cents(reports: Sequence[ShapeReport]) -> float:
    """How far chords are from pure, on average."""
    return round(sum(report.clash_cents for report in reports) / len(reports), 3)
