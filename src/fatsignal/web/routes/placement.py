"""Placement: trial clips of a part, recorded, heard, measured, held against each other, one of them chosen."""

import asyncio
from collections.abc import Sequence
from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import APIRouter, File, Query, Response, UploadFile
from pydantic import BaseModel, Field

from fatsignal.acts.trial_sound import TrialSound, trial_sound
from fatsignal.acts.trials import bin_trial, choose_trial, placement_of
from fatsignal.core.material.channels import RecordedKind
from fatsignal.core.mics.blend import MicBlend
from fatsignal.core.mics.trial import PlacementSettings, common_frames, trial_plan
from fatsignal.core.tone.loudness_match import matching_gains_db
from fatsignal.errors import InvalidSetting, WorkFailed
from fatsignal.jobs.kinds.imports import ReceivedFile
from fatsignal.jobs.kinds.trial_imports import TRIAL_IMPORT_KIND, TrialImportInput
from fatsignal.jobs.kinds.trials import TRIAL_DIFFERENCE_KIND, TRIAL_KIND
from fatsignal.store import history, parts, sessions, trials
from fatsignal.store.database import Connection
from fatsignal.store.trials import Trial
from fatsignal.web.context import EngineDep, Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.presenters.trial_reports import (
    AcrossView,
    PartSpectrumView,
    RuledView,
    SharedBumpView,
    TrialReportView,
)
from fatsignal.web.presenters.trials import PlacementView, TrialView, placement_view, trial_view
from fatsignal.web.revisions import IfMatch, check_revision, revision_of
from fatsignal.web.sound_files import received
from fatsignal.web.sounds import LONGEST_PIECE_FRAMES, PlayedChannel, floats
from fatsignal.web.work_queue import WorkQueue

router = APIRouter(prefix="/api", tags=["placement"])

MOST_COMPARED = 9


class TrialStarted(BaseModel):
    roll_id: UUID
    number: int


class NewNote(BaseModel):
    note: str = Field(max_length=200)


class ComparedTrial(BaseModel):
    trial_id: UUID
    number: int
    gain_db: float
    report: TrialReportView
    channels: list[PlayedChannel]


class MissingTrial(BaseModel):
    trial_id: UUID
    says: str


class ComparedTrials(BaseModel):
    """Clips from the beginning of what is played of each; they run as long as the shortest of them."""

    from_frame: int
    to_frame: int
    centres_hz: list[float]
    sounds: list[ComparedTrial]
    missing: list[MissingTrial] = Field(description="Those whose sound is not there.")


Of = Annotated[str | None, Query(max_length=40, description="One channel alone, by its name; null: all together.")]


@router.get("/parts/{part_id}/placement")
async def placement(part_id: UUID, conn: Transaction) -> PlacementView:
    """A part's trial clips, and how they are recorded."""
    return await _placement(conn, part_id)


@router.put("/parts/{part_id}/placement/settings")
async def set_settings(
    part_id: UUID, settings: PlacementSettings, conn: Transaction, seen: IfMatch = None
) -> PlacementView:
    """Which bars are played for a trial; whether a count-in comes before them."""
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    trial_plan(session.tempo, settings, song_bars=session.song_bars, count_in_bars=0)
    scope: history.Scope = {"part": [part_id]}
    says = f"{part.name}: what a trial plays changed"
    async with history.act(conn, part.session_id, kind="placement", says=says, scope=scope, subject=str(part_id)):
        now = await parts.get_part(conn, part_id)
        check_revision(seen, revision_of(now.placement), what=f"the placement of {part.name}")
        kept = settings.model_copy(update={"chosen": placement_of(now).chosen})
        await parts.set_placement(conn, part_id, kept.model_dump(mode="json"))
    return await _placement(conn, part_id)


@router.post("/parts/{part_id}/trials", status_code=201)
async def record_trial(part_id: UUID, conn: Transaction, settings: SettingsDep, engine: EngineDep) -> TrialStarted:
    """Record a trial clip of the part, with its microphones as they stand now."""
    from fatsignal.acts.start_trial import order_trial

    async with engine.presses:
        order = await order_trial(conn, part_id, sessions_folder=settings.sessions_folder, speed=settings.rig_speed)
        await engine.start(order)
    return TrialStarted(roll_id=order.roll_id, number=order.parts[0].first_number)


@router.post("/parts/{part_id}/trials/imports", status_code=201)
async def import_clip(
    part_id: UUID, files: Annotated[list[UploadFile], File(min_length=1, max_length=6)], pool: Pool,
    settings: SettingsDep, queue: WorkQueueDep,
) -> TrialView:  # fmt: skip
    """Bring in a sound to hold placements against: one file of one or two channels, or several that begin together."""
    from fatsignal.core.takes.channel_names import guess_kinds

    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
    async with received(files, settings.uploads_folder, largest_bytes=settings.largest_upload_bytes) as upload:
        names = [each.shown_name for each in upload.files]
        # What is brought in alone is listened to, whatever its name says.
        kinds: list[RecordedKind] = ["mic"] if len(names) == 1 else guess_kinds(names)
        asked = TrialImportInput(
            files=[
                ReceivedFile(path=each.path, shown_name=each.shown_name, kind=kind)
                for each, kind in zip(upload.files, kinds, strict=True)
            ],
            part_id=part_id,
        )  # fmt: skip
        work = await queue.ask(
            kind=TRIAL_IMPORT_KIND, fingerprint=upload.name, session_id=part.session_id,
            work_input=asked.model_dump(mode="json"),
        )  # fmt: skip
        made = await queue.result(work)
    async with pool.connection() as conn:
        return await _one(conn, UUID(made["trial_id"]))


@router.put("/trials/{trial_id}/note")
async def set_note(trial_id: UUID, new: NewNote, conn: Transaction, seen: IfMatch = None) -> TrialView:
    """A person's own words about a clip."""
    trial = await trials.get_trial(conn, trial_id)
    part = await parts.get_part(conn, trial.part_id)
    scope: history.Scope = {"trial": [trial_id]}
    says = f"trial {trial.number}: note changed"
    async with history.act(conn, part.session_id, kind="trial note", says=says, scope=scope, subject=str(trial_id)):
        _check_seen(await trials.get_trial(conn, trial_id), seen)
        await trials.set_note(conn, trial_id, new.note.strip())
    return await _one(conn, trial_id)


@router.put("/trials/{trial_id}/blend")
async def set_blend(trial_id: UUID, blend: MicBlend, conn: Transaction, seen: IfMatch = None) -> TrialView:
    """How its microphones are heard together: delays, polarities, levels, sides. What was recorded stays as it is."""
    trial = await trials.get_trial(conn, trial_id)
    part = await parts.get_part(conn, trial.part_id)
    unknown = {strip.name for strip in blend.strips} - {channel.name for channel in trial.channels}
    if unknown:
        raise InvalidSetting(f"trial {trial.number} has no {', '.join(sorted(unknown))}")
    scope: history.Scope = {"trial": [trial_id]}
    says = f"trial {trial.number}: alignment changed"
    async with history.act(conn, part.session_id, kind="trial blend", says=says, scope=scope, subject=str(trial_id)):
        _check_seen(await trials.get_trial(conn, trial_id), seen)
        await trials.set_blend(conn, trial_id, blend.model_dump(mode="json"))
    return await _one(conn, trial_id)


@router.post("/trials/{trial_id}/bin", status_code=204)
async def throw_away(trial_id: UUID, conn: Transaction) -> Response:
    """Put a clip into the bin."""
    await bin_trial(conn, await trials.get_trial(conn, trial_id), binned=True)
    return Response(status_code=204)


@router.delete("/trials/{trial_id}/bin", status_code=204)
async def bring_back(trial_id: UUID, conn: Transaction) -> Response:
    """Take a clip out of the bin."""
    await bin_trial(conn, await trials.get_trial(conn, trial_id), binned=False)
    return Response(status_code=204)


@router.post("/trials/{trial_id}/choose")
async def choose(trial_id: UUID, conn: Transaction) -> PlacementView:
    """Put the rig's microphones where they stood for this clip: takes recorded from now on carry it."""
    trial = await trials.get_trial(conn, trial_id)
    await choose_trial(conn, trial)
    return await _placement(conn, trial.part_id)


@router.get("/trials/compared")
async def compared(
    trial_ids: Annotated[list[UUID], Query(alias="id", min_length=1, max_length=MOST_COMPARED)],
    pool: Pool, settings: SettingsDep, queue: WorkQueueDep, of: Of = None,
) -> ComparedTrials:  # fmt: skip
    """Clips beside each other: what each sounds like, and the gains that make them equally loud."""
    from fatsignal.core.level.third_octaves import CENTRES_HZ

    async with pool.connection() as conn:
        found = await trials.trials_by_id(conn, trial_ids)
        there = [found[each] if each in found else await trials.get_trial(conn, each) for each in trial_ids]
    frames = common_frames([trial.span.frames for trial in there], rate_hz=there[0].rate_hz)
    wholes = [trial_sound(trial, settings.sessions_folder, of=of if _has(trial, of) else None) for trial in there]
    sounds = [whole.first(frames) for whole in wholes]
    told, missing = await _told_and_missing(queue, there, sounds, of)
    heard = [(trial, whole, told[trial.id]) for trial, whole in zip(there, wholes, strict=True) if trial.id in told]
    reports = [report for _, _, report in heard]
    gains = matching_gains_db([each.loudness_lufs for each in reports], [each.peak_dbtp for each in reports])
    return ComparedTrials(
        from_frame=there[0].span.from_frame, to_frame=there[0].span.from_frame + frames,
        centres_hz=[float(each) for each in CENTRES_HZ],
        sounds=[
            ComparedTrial(
                trial_id=trial.id, number=trial.number, gain_db=round(gain, 3), report=report,
                channels=_streamed(trial, whole, of, at=there[0].span.from_frame),
            )
            for (trial, whole, report), gain in zip(heard, gains, strict=True)
        ],
        missing=missing,
    )  # fmt: skip


@router.get("/sessions/{session_id}/placement/across")
async def across(session_id: UUID, pool: Pool, settings: SettingsDep, queue: WorkQueueDep) -> AcrossView:
    """All parts whose placement is chosen: how their sum tilts, and which bumps they share."""
    from fatsignal.core.level.across_parts import across_parts
    from fatsignal.core.level.third_octaves import CENTRES_HZ

    async with pool.connection() as conn:
        await sessions.get_session(conn, session_id)
        there = await parts.list_parts(conn, session_id)
        ids = {placement_of(part).chosen: part for part in there}
        found = await trials.trials_by_id(conn, [each for each in ids if each is not None])
    chosen = [trial for trial in found.values() if trial.binned_at is None]
    reports = await asyncio.gather(
        *(_measured(queue, trial, trial_sound(trial, settings.sessions_folder), None) for trial in chosen)
    )
    spectra = {
        ids[trial.id].name: (ids[trial.id].id, report["heard"]["thirds_db"])
        for trial, report in zip(chosen, reports, strict=True)
        if report["heard"] is not None
    }
    if not spectra:
        return AcrossView(parts=[], centres_hz=[], together_db=[], tilt_db_per_octave=0.0, bumps=[], says=[])
    fewest = min(len(thirds) for _, thirds in spectra.values())
    told = across_parts({name: thirds[:fewest] for name, (_, thirds) in spectra.items()})
    return AcrossView(
        parts=[
            PartSpectrumView(
                part_id=part_id, name=name, thirds_db=[db - max(thirds) for db in thirds[:fewest]]
            )
            for name, (part_id, thirds) in spectra.items()
        ],
        centres_hz=[float(hz) for hz in CENTRES_HZ[:fewest]],
        together_db=[db - max(told.together_db) for db in told.together_db],
        tilt_db_per_octave=told.tilt_db_per_octave,
        bumps=[SharedBumpView(centre_hz=each.centre_hz, parts=each.parts, by_db=each.by_db) for each in told.bumps],
        says=told.says,
    )  # fmt: skip


@router.get("/trials/{trial_id}/against/{other_id}")
async def ruled(
    trial_id: UUID, other_id: UUID, pool: Pool, settings: SettingsDep, queue: WorkQueueDep, of: Of = None
) -> RuledView:
    """What this clip's placement does differently from another's, free of the playing: the DI is the ruler."""
    async with pool.connection() as conn:
        one, other = await trials.get_trial(conn, other_id), await trials.get_trial(conn, trial_id)
    sounds = [trial_sound(each, settings.sessions_folder, of=of) for each in (one, other)]
    work = await queue.ask(
        kind=TRIAL_DIFFERENCE_KIND, fingerprint=" ".join(sound.fingerprint() for sound in sounds),
        work_input={"trials": [str(other_id), str(trial_id)], "of": of, "frames": None},
    )  # fmt: skip
    return RuledView.model_validate(await queue.result(work))


@router.get(
    "/trials/{trial_id}/sound", response_class=Response, responses={200: {"content": {"application/octet-stream": {}}}}
)
async def sound(
    trial_id: UUID, ear: Literal["left", "right"],
    from_frame: Annotated[int, Query(ge=-(1 << 40), le=1 << 40)],
    frames: Annotated[int, Query(ge=1, le=LONGEST_PIECE_FRAMES)], pool: Pool, settings: SettingsDep, of: Of = None,
    fingerprint: str | None = None,
) -> Response:  # fmt: skip
    """Frames of one ear, as 32-bit floats (little-endian), counted from the first that is listened to."""
    async with pool.connection() as conn:
        trial = await trials.get_trial(conn, trial_id)
    heard = trial_sound(trial, settings.sessions_folder, of=of)
    if fingerprint is not None and fingerprint != heard.fingerprint():
        raise InvalidSetting("what this trial sounds like has changed: play again")
    samples = await asyncio.to_thread(heard.read, heard.span.from_frame + from_frame, frames, ears=(ear,))
    return floats(samples[:, 0], lasting=fingerprint is not None)


def _streamed(trial: Trial, sound: TrialSound, of: str | None, *, at: int) -> list[PlayedChannel]:
    named = f"&of={of}" if of and _has(trial, of) else ""
    ears = (("left", 1.0, 1.0),) if sound.in_both_ears else (("left", 1.0, 0.0), ("right", 0.0, 1.0))
    return [
        PlayedChannel(
            sound_url=f"/api/trials/{trial.id}/sound?ear={ear}&fingerprint={sound.fingerprint()}{named}",
            from_frame=at, frames=sound.span.frames, left=left, right=right,
        )
        for ear, left, right in ears
    ]  # fmt: skip


def _has(trial: Trial, of: str | None) -> bool:
    return any(channel.name == of for channel in trial.channels)


async def _told_and_missing(
    queue: WorkQueue, there: Sequence[Trial], sounds: Sequence[TrialSound], of: str | None
) -> tuple[dict[UUID, TrialReportView], list[MissingTrial]]:
    """What each sounds like; one whose file is away for a moment takes none of the others with it.

    Raises
    ------
    WorkFailed
        If none of them can be measured.
    """

    async def ask(trial: Trial, sound: TrialSound) -> TrialReportView | WorkFailed:
        try:
            return TrialReportView.model_validate(await _measured(queue, trial, sound, of))
        except WorkFailed as problem:
            return problem

    answers = await asyncio.gather(*(ask(trial, sound) for trial, sound in zip(there, sounds, strict=True)))
    by_trial = dict(zip((trial.id for trial in there), answers, strict=True))
    told = {trial_id: each for trial_id, each in by_trial.items() if isinstance(each, TrialReportView)}
    problems = {trial_id: each for trial_id, each in by_trial.items() if isinstance(each, WorkFailed)}
    if not told:
        raise next(iter(problems.values()))
    return told, [MissingTrial(trial_id=trial_id, says=str(each)) for trial_id, each in problems.items()]


async def _measured(queue: WorkQueue, trial: Trial, sound: TrialSound, of: str | None) -> Any:
    """What it sounds like, by a worker; it is computed once for the same sound."""
    work = await queue.ask(
        kind=TRIAL_KIND, fingerprint=sound.fingerprint(),
        work_input={"trials": [str(trial.id)], "of": of if _has(trial, of) else None, "frames": sound.span.frames},
    )  # fmt: skip
    return await queue.result(work)


def _check_seen(trial: Trial, seen: str | None) -> None:
    check_revision(seen, revision_of(trial.note, trial.blend), what=f"trial {trial.number}")


async def _placement(conn: Connection, part_id: UUID) -> PlacementView:
    part = await parts.get_part(conn, part_id)
    return placement_view(part, await trials.list_trials(conn, part_id))


async def _one(conn: Connection, trial_id: UUID) -> TrialView:
    trial = await trials.get_trial(conn, trial_id)
    part = await parts.get_part(conn, trial.part_id)
    return trial_view(trial, placement_of(part))
