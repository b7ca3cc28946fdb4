"""The bench of a part: what lies on it, which sounds can be heard there, and the order that lets them sound."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal
from uuid import UUID, uuid4

from fatsignal.acts.dry_sound import DrySound, dry_sound
from fatsignal.acts.find_material import find_materials
from fatsignal.acts.reference_sound import material_of_reference
from fatsignal.core.cue.monitoring import Monitoring
from fatsignal.core.material.channels import DRY, Wanted, find
from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.windows import Window
from fatsignal.core.tone.document import Tone, missing_of, parse_tone
from fatsignal.engine.orders import BenchOrder, BenchSound
from fatsignal.errors import FileRefused, NotFound
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import benches, reference_sounds, sections, tones
from fatsignal.store.benches import Bench
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.store.tones import ToneRevision

MIKED = Wanted(("mic",))
# What the keys of sounds begin with that have an id behind it.
REVISION, PRINT, REFERENCE = "revision:", "print:", "file:"
SoundKind = Literal["tone", "mic", "kept", "aside", "revision", "print", "file", "dry"]


@dataclass(frozen=True, slots=True)
class SoundOnBench:
    """One that can be heard: through a tone, a material of its own, or the dry source where both are None."""

    key: str
    name: str
    kind: SoundKind
    tone: Tone | None = None
    material: MaterialOnDisk | None = None
    wanted: tuple[Wanted, ...] = ()


@dataclass(frozen=True, slots=True)
class BenchThings:
    """All that lies on the bench of a part."""

    bench: Bench
    dry: DrySound
    loop: Window
    kept: ToneRevision | None
    sounds: tuple[SoundOnBench, ...]

    @property
    def heard(self) -> str:
        """What is heard: as was chosen, as long as it is there."""
        return self.bench.heard if any(each.key == self.bench.heard for each in self.sounds) else "tone"


async def bench_of(conn: Connection, part: Part) -> Bench:
    """The bench of a part; one on which nothing was laid yet has the tone that the part is played through, or one that
    suits it.
    """
    found = await benches.find_bench(conn, part.id)
    if found is not None:
        return found
    revision_id = Monitoring.model_validate(part.monitoring).tone_revision_id
    revision = await tones.get_revision(conn, revision_id) if revision_id else await _usual(conn, part)
    return Bench(id=part.id, document=revision.document, tone_revision_id=revision.id)


async def _usual(conn: Connection, part: Part) -> ToneRevision:
    newest = await tones.list_newest(conn)
    if not newest:
        raise NotFound("tone", "any")
    bass = "bass" in str(part.rig.get("instrument", ""))
    return next((each for each in newest if ("bass" in str(each.document.get("use", ""))) == bass), newest[0])


async def things_on_bench(
    conn: Connection, part: Part, session: Session, sessions_folder: Path, *, bench: Bench | None = None
) -> BenchThings:
    """What lies there, with all that can be heard.

    Raises
    ------
    FileRefused
        If the part has nothing dry yet.
    """
    bench = bench or await bench_of(conn, part)
    try:
        dry = await dry_sound(conn, bench.material_id or part.id, sessions_folder)
    except NotFound:
        raise FileRefused(f"{part.name} has nothing dry yet: roll a take, or bring in a DI file in Takes") from None
    if find(dry.recorded.material.channels, DRY) is None:
        raise FileRefused(f"{part.name} has no DI there: choose a take that has one, or bring in a DI file in Takes")
    kept = await tones.get_revision(conn, bench.tone_revision_id) if bench.tone_revision_id else None
    loop = _loop(bench, session, dry, [each.in_song for each in await sections.list_sections(conn, session.id)])
    return BenchThings(bench, dry, loop, kept, tuple(await _sounds(conn, bench, dry, kept, loop, sessions_folder)))


def _loop(bench: Bench, session: Session, dry: DrySound, all_sections: list[SongSection]) -> Window:
    """The bars that go round; without any the first section that the source plays, or all of it."""
    tempo, span = session.tempo, dry.recorded.material.span
    if bench.from_bar is not None and bench.to_bar is not None:
        return Window(tempo.bar_frame(bench.from_bar), tempo.bar_frame(bench.to_bar))
    for section in all_sections:
        bars = Window(tempo.bar_frame(section.first_bar), tempo.bar_frame(section.end_bar))
        shared = Window(max(bars.from_frame, span.from_frame), min(bars.to_frame, span.to_frame))
        if shared.frames > bars.frames // 2:
            return bars
    return span


async def _sounds(
    conn: Connection, bench: Bench, dry: DrySound, kept: ToneRevision | None, loop: Window, sessions_folder: Path
) -> list[SoundOnBench]:
    found = [SoundOnBench("tone", bench.tone.name, "tone", bench.tone)]
    miked = find(dry.recorded.material.channels, MIKED)
    if miked is not None:
        wanted = (Wanted.exactly(miked),)
        found.append(SoundOnBench("mic", f"miked amp, {miked.name}", "mic", None, dry.recorded, wanted))
    if kept is not None:
        found.append(SoundOnBench("kept", kept.title, "kept", parse_tone(kept.document)))
    for letter, document in sorted(bench.aside.items()):
        found.append(SoundOnBench(letter, f"put aside, {letter}", "aside", parse_tone(document)))
    prints = [UUID(key.removeprefix(PRINT)) for key in bench.beside if key.startswith(PRINT)]
    materials = await find_materials(conn, prints, sessions_folder) if prints else {}
    files = [UUID(key.removeprefix(REFERENCE)) for key in bench.beside if key.startswith(REFERENCE)]
    references = await reference_sounds.references_by_id(conn, files) if files else {}
    for key in bench.beside:
        if key.startswith(REVISION):
            revision = await tones.get_revision(conn, UUID(key.removeprefix(REVISION)))
            found.append(SoundOnBench(key, revision.title, "revision", parse_tone(revision.document)))
        elif key.startswith(PRINT) and (sound := materials.get(UUID(key.removeprefix(PRINT)))):
            channels = sound.material.channels[:2]
            name = channels[0].name if channels else "print"
            found.append(SoundOnBench(key, name, "print", None, sound, tuple(map(Wanted.exactly, channels))))
        elif key.startswith(REFERENCE) and (reference := references.get(UUID(key.removeprefix(REFERENCE)))):
            rate_hz = dry.recorded.material.rate_hz
            brought = material_of_reference(reference, loop, rate_hz=rate_hz, sessions_folder=sessions_folder)
            sides = tuple(map(Wanted.exactly, brought.material.channels))
            found.append(SoundOnBench(key, reference.name, "file", None, brought, sides))
    found.append(SoundOnBench("dry", "dry", "dry"))
    # What cannot be heard is no sound; of the tone itself a person is told what it lacks.
    return [each for each in found if each.key == "tone" or each.tone is None or not missing_of(each.tone)]


def told_of(things: BenchThings, of: SoundOnBench) -> list[Any]:
    """All that makes a sound on the bench sound as it does."""
    return [
        things.dry.fingerprint, things.dry.voltage.full_scale_v, things.dry.voltage.inverted, *things.loop,
        of.tone.model_dump(mode="json") if of.tone else None,
        of.material.material.fingerprint if of.material else None,
    ]  # fmt: skip


def bench_order(
    things: BenchThings, session: Session, *, speed: float, start_frame: int | None, gains_db: Mapping[str, float]
) -> BenchOrder:
    """Let what lies on the bench sound, from a place of its loop on."""
    dry, loop = things.dry, things.loop
    inside = start_frame is not None and loop.from_frame <= start_frame < loop.to_frame
    return BenchOrder(
        roll_id=uuid4(), session_id=session.id, rate_hz=session.rate_hz, tempo=session.tempo, speed=speed,
        bench_id=things.bench.id, dry=dry.recorded.material, dry_files=dry.recorded.files, dry_wanted=DRY,
        full_scale_v=dry.voltage.full_scale_v, inverted=dry.voltage.inverted,
        from_frame=loop.from_frame, to_frame=loop.to_frame,
        start_frame=start_frame if inside and start_frame is not None else loop.from_frame,
        sounds=[
            BenchSound(
                key=sound.key, tone=sound.tone,
                material=sound.material.material if sound.material else None,
                files=sound.material.files if sound.material else (), wanted=list(sound.wanted),
                gain_db=gains_db.get(sound.key, 0.0),
            )
            for sound in things.sounds
        ],
        heard=things.heard,
    )  # fmt: skip
