"""Trial clips of a placement, as pages show them."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.core.material.channels import RecordedKind
from fatsignal.core.mics.blend import MicBlend
from fatsignal.core.mics.trial import PlacementSettings
from fatsignal.core.verdict import Verdict
from fatsignal.rig.mic_words import in_short
from fatsignal.rig.setup import RigSetup
from fatsignal.store.parts import Part
from fatsignal.store.trials import Trial
from fatsignal.web.presenters.takes import what_is_broken
from fatsignal.web.revisions import revision_of


class GhostView(BaseModel):
    """Where a microphone stood, in metres from the middle of the front, and where it looked."""

    name: str
    kind: str
    place_m: list[float]
    looks: list[float]


class TrialChannelView(BaseModel):
    name: str
    kind: RecordedKind
    peak_dbfs: float | None


class TrialView(BaseModel):
    id: UUID
    number: int
    recorded_at: datetime
    rate_hz: int
    from_frame: int
    frames: int
    heard_from_frame: int = Field(description="What of it is listened to: without count-in and handles.")
    heard_to_frame: int
    origin: Literal["rolled", "imported", "recovered"]
    words: str = Field(description="Where its microphones stood.")
    room: str
    sounding: str
    ghosts: list[GhostView]
    channels: list[TrialChannelView]
    blend: MicBlend
    note: str
    verdict: Verdict
    said: str
    chosen: bool
    revision: str


class PlacementView(BaseModel):
    """`same_as` is the clip whose placement the rig has now, if one has."""

    part_id: UUID
    settings: PlacementSettings
    trials: list[TrialView]
    same_as: UUID | None
    revision: str


def placement_view(part: Part, found: list[Trial]) -> PlacementView:
    """A part's placement with its clips, the newest first."""
    settings = PlacementSettings.model_validate(part.placement)
    rig = RigSetup.model_validate(part.rig)
    here = _placed(rig)
    recorded = [trial for trial in found if trial.origin != "imported"]
    same = next((trial.id for trial in recorded if _placed(RigSetup.model_validate(trial.rig_sheet)) == here), None)
    return PlacementView(
        part_id=part.id, settings=settings, trials=[trial_view(trial, settings) for trial in found], same_as=same,
        revision=revision_of(part.placement),
    )  # fmt: skip


def trial_view(trial: Trial, settings: PlacementSettings) -> TrialView:
    """A clip as a page shows it."""
    rig = RigSetup.model_validate(trial.rig_sheet)
    verdict, said = _verdict(trial)
    imported = trial.origin == "imported"
    words = "imported" if imported else in_short(rig.mics)
    return TrialView(
        id=trial.id, number=trial.number, recorded_at=trial.recorded_at, rate_hz=trial.rate_hz,
        from_frame=trial.from_frame, frames=trial.frames, heard_from_frame=trial.span.from_frame,
        heard_to_frame=trial.span.to_frame, origin=trial.origin, words=words, room=rig.room,
        sounding=rig.sounding, ghosts=[] if imported else _ghosts(rig), blend=MicBlend.model_validate(trial.blend),
        channels=[
            TrialChannelView(name=channel.name, kind=channel.kind, peak_dbfs=channel.checks["peak_dbfs"])
            for channel in trial.channels
        ],
        note=trial.note, verdict=verdict, said=said, chosen=settings.chosen == trial.id,
        revision=revision_of(trial.note, trial.blend),
    )  # fmt: skip


def _ghosts(rig: RigSetup) -> list[GhostView]:
    found = []
    for mic in rig.mics:
        heard = rig.heard_by(mic)
        x, y, z = (float(each) for each in heard.capsule_m)
        looks = [float(each) for each in mic.place.looks]
        found.append(GhostView(name=mic.name, kind=mic.kind, place_m=[x, y, z], looks=looks))
    return found


def _placed(rig: RigSetup) -> object:
    """What a placement is: the microphones, but for how far their inputs are turned up."""
    return rig.sounding, rig.room, [mic.model_dump(exclude={"input"}) for mic in rig.mics]


def _verdict(trial: Trial) -> tuple[Verdict, str]:
    if broken := what_is_broken(trial.channels):
        return "fix", broken
    if trial.gaps or trial.origin == "recovered":
        return "look", trial.said
    return "good", trial.said
