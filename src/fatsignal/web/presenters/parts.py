"""Parts as pages show them."""

from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.rig.setup import RigSetup
from fatsignal.store.parts import Part


class PathStep(BaseModel):
    """One line of the drawn path to disk."""

    name: str
    kind: str
    detail: str


class ChordView(BaseModel, from_attributes=True):
    """A chord shape that a part plays: a fret, or null, for each string from the lowest."""

    name: str
    frets: list[int | None]


class PartView(BaseModel):
    id: UUID
    name: str
    armed: bool
    instrument: str
    to_disk: list[PathStep]
    chords: list[ChordView]
    makes_up: bool = Field(description="Nothing is written for it: the simulated player makes something up.")
    can_be_removed: bool = Field(description="Nothing was recorded or measured with it yet.")


def part_view(part: Part) -> PartView:
    """A part as a page shows it."""
    rig = RigSetup.model_validate(part.rig)
    to_disk = []
    if rig.di is not None:
        into = "the instrument input" if rig.di.box == "none" else f"a {rig.di.box} box"
        if rig.di.box == "none" and rig.di.input.kind != "instrument":
            into = f"a {rig.di.input.kind} input"
        detail = f"{rig.di.cable_m:g} m cable into {into} {rig.di.input.number}"
        to_disk.append(PathStep(name="DI, clean", kind="di", detail=detail))
    for mic in rig.mics:
        name = mic.name[:1].upper() + mic.name[1:]
        detail = f"{mic.distance_m * 100:.1f} cm away, input {mic.input.number}"
        to_disk.append(PathStep(name=f"{name} · {mic.kind}", kind="mic", detail=detail))
    return PartView(
        id=part.id,
        name=part.name,
        armed=part.armed,
        instrument=rig.instrument,
        to_disk=to_disk,
        chords=[ChordView.model_validate(chord) for chord in part.chords],
        makes_up=not part.written,
        can_be_removed=not part.holds,
    )
