"""The bench as a page shows it."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any, Literal
from uuid import UUID

import numpy as np
from pydantic import BaseModel, Field

from fatsignal.acts.bench import BenchThings, SoundKind
from fatsignal.acts.dry_sound import HowKnown
from fatsignal.core.material.channels import DRY, find
from fatsignal.core.tone.blocks import KINDS, Split, ToneBlock
from fatsignal.core.tone.controls import controls_of
from fatsignal.core.tone.document import Tone, missing_of
from fatsignal.core.tone.instruments import For
from fatsignal.core.tone.places import Place, block_at, every_block, moved_on
from fatsignal.store import comps, takes
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.web.sounds import StreamedSound, streamed


class ControlView(BaseModel, from_attributes=True):
    """One value of a block: a number on a rule, one of some choices, a switch, or a file by its name."""

    path: list[str | int]
    label: str
    shape: Literal["number", "choice", "switch", "file"]
    value: float | str | bool | None
    unit: str
    low: float
    high: float
    step: float
    even: Literal["steps", "ratios"]
    choices: list[str]


class ControlGroupView(BaseModel, from_attributes=True):
    """Controls of the block itself, or of one row of a list of it, which may be removable."""

    title: str
    path: list[str | int]
    controls: list[ControlView]
    removable: bool


class ExtensibleView(BaseModel, from_attributes=True):
    path: list[str | int]
    label: str


class BlockView(BaseModel):
    """A block; `place` is as in edits, and so is where a move brings it, null where there is no further."""

    place: list[int]
    lane: str = Field(description="Which path of a split it lies in, and what goes through that; empty outside.")
    forward: list[int] | None
    back: list[int] | None
    kind: str
    title: str
    bypassed: bool
    groups: list[ControlGroupView]
    extensible: list[ExtensibleView]


class LaneEnd(BaseModel):
    """The end of a path of a split, or where both are joined: a block can be added there, behind so many of all."""

    place: list[int]
    lane: str
    behind: int


class KindView(BaseModel):
    """A kind of block that can be added."""

    kind: str
    title: str
    group: str
    says: str


class DrySourceView(BaseModel):
    """Something dry that can go round."""

    material_id: UUID | None = Field(description="Null: what the part sounds like.")
    name: str
    first_bar: int
    last_bar: int


class VoltageView(BaseModel):
    """What the dry source stands for, and how that is known."""

    full_scale_v: float
    inverted: bool
    how: HowKnown | None
    says: str


class BenchSoundView(BaseModel):
    key: str
    name: str
    kind: SoundKind


class BenchView(BaseModel):
    part_id: UUID
    part_name: str
    revision: str = Field(description="Of the tone; sent with what moves blocks.")
    tone_name: str
    use: str
    instruments: list[For]
    kept_tone_id: UUID | None
    oversample: int
    kept_revision_id: UUID | None
    kept_revision: int | None
    changed: bool = Field(description="It is not as the revision that it was taken from.")
    blocks: list[BlockView] = Field(description="In signal order; those of a split's paths behind it.")
    lane_ends: list[LaneEnd]
    material_id: UUID | None
    sources: list[DrySourceView]
    from_bar: int
    to_bar: int
    from_frame: int
    to_frame: int
    sound: StreamedSound
    voltage: VoltageView
    missing: list[str] = Field(description="Names of impulse responses that the tone needs and that are not here.")
    aside: list[str]
    beside: list[str]
    sounds: list[BenchSoundView]
    heard: str


class MeasuredSoundView(BaseModel):
    """`gain_db` makes it as loud as the others; `thirds_db` are its thirds of an octave less those of the tone."""

    key: str
    loudness_lufs: float | None
    gain_db: float
    thirds_db: list[float]
    apart_db: float | None


class MeasuredView(BaseModel):
    bands_hz: list[float]
    sounds: list[MeasuredSoundView]
    columns: list[list[int]] = Field(description="The dry source over its loop: lowest and highest, in 127ths.")


def kinds_view() -> list[KindView]:
    """The kinds of blocks there are, in the order in which they usually stand."""
    return [
        KindView(
            kind=kind.model_fields["kind"].default, title=kind.TITLE, group=kind.GROUP,
            says=(kind.__doc__ or "").split("\n")[0],
        )
        for kind in KINDS
    ]  # fmt: skip


async def bench_view(
    conn: Connection, part: Part, session: Session, things: BenchThings, *, revision: str
) -> BenchView:
    """What lies there, with all that can be heard and turned."""
    bench, dry, tempo = things.bench, things.dry, session.tempo
    channel = find(dry.recorded.material.channels, DRY)
    assert channel is not None, "what has no DI does not lie there"
    tone = bench.tone
    first_bar = tempo.bar_at(things.loop.from_frame)
    return BenchView(
        part_id=part.id, part_name=part.name, revision=revision, tone_name=tone.name, use=tone.use,
        instruments=tone.instruments, kept_tone_id=things.kept.tone_id if things.kept else None,
        oversample=tone.oversample, kept_revision_id=things.kept.id if things.kept else None,
        kept_revision=things.kept.revision if things.kept else None,
        changed=things.kept is None or things.kept.fingerprint != tone.fingerprint(),
        blocks=[_block_view(tone, place, block) for place, block in every_block(tone.blocks)],
        lane_ends=_lane_ends(tone.blocks),
        material_id=bench.material_id, sources=await _sources(conn, part, session),
        from_bar=first_bar, to_bar=max(first_bar + 1, tempo.bar_at(things.loop.to_frame - 1) + 1),
        from_frame=things.loop.from_frame, to_frame=things.loop.to_frame,
        sound=streamed(dry.recorded.material, DRY),
        voltage=VoltageView(
            full_scale_v=round(dry.voltage.full_scale_v, 3), inverted=dry.voltage.inverted,
            how=dry.known.how if dry.known else None, says=dry.known.says if dry.known else "not known",
        ),
        missing=missing_of(tone), aside=sorted(bench.aside), beside=bench.beside,
        sounds=[BenchSoundView(key=each.key, name=each.name, kind=each.kind) for each in things.sounds],
        heard=things.heard,
    )  # fmt: skip


def measured_view(things: BenchThings, found: Sequence[dict[str, Any]]) -> MeasuredView:
    """What was measured of each sound, as it is compared."""
    from fatsignal.core.tone.loudness_match import matching_gains_db
    from fatsignal.core.tone.tone_distance import BANDS_HZ, levels_beside_db

    gains = matching_gains_db([each["loudness_lufs"] for each in found], [each["peak_dbtp"] for each in found])
    own = np.array(found[0]["thirds_db"])
    sounds = []
    for sound, each, gain_db in zip(things.sounds, found, gains, strict=True):
        thirds = [round(float(beside), 2) for beside in levels_beside_db(own, np.array(each["thirds_db"]))]
        apart = round(sum(map(abs, thirds)) / len(thirds), 2)
        audible = each["loudness_lufs"] is not None
        sounds.append(
            MeasuredSoundView(
                key=sound.key, loudness_lufs=each["loudness_lufs"], gain_db=round(gain_db, 2), thirds_db=thirds,
                apart_db=apart if audible else None,
            )
        )  # fmt: skip
    return MeasuredView(
        bands_hz=list(BANDS_HZ), sounds=sounds,
        columns=next((each["columns"] for each in found if "columns" in each), []),
    )  # fmt: skip


def _block_view(tone: Tone, place: Place, block: ToneBlock) -> BlockView:
    groups, extensible = controls_of(block)
    forward, back = (moved_on(tone.blocks, place, by) for by in (1, -1))
    return BlockView(
        place=list(place), lane=_lane(tone.blocks, place), forward=list(forward) if forward else None,
        back=list(back) if back else None,
        kind=type(block).model_fields["kind"].default,
        title=block.TITLE, bypassed=block.bypassed,
        groups=[ControlGroupView.model_validate(asdict(group)) for group in groups],
        extensible=[ExtensibleView.model_validate(asdict(each)) for each in extensible],
    )  # fmt: skip


def _lane(blocks: Sequence[ToneBlock], place: Place) -> str:
    """The path in which a place lies."""
    if len(place) == 1:
        return ""
    split = block_at(blocks, place[:-2])
    assert isinstance(split, Split), "a path is a split's"
    return f"path {place[-2] + 1}: {split.lane(place[-2])}"


def _lane_ends(blocks: Sequence[ToneBlock]) -> list[LaneEnd]:
    """The ends of all paths and the places where they are joined, in the order in which they are drawn."""
    places = [place for place, _ in every_block(blocks)]
    ends: dict[Place, str] = {}
    for place, block in every_block(blocks):
        if isinstance(block, Split):
            for number, path in enumerate(block.paths):
                end = (*place, number, len(path.blocks))
                ends[end] = _lane(blocks, end)
            # Where a path ends with a split, a block behind the join is one at the path's end.
            ends.setdefault((*place[:-1], place[-1] + 1), "joined")
    found = [
        LaneEnd(place=list(place), lane=lane, behind=sum(1 for each in places if each < place))
        for place, lane in ends.items()
    ]
    # Of those behind one block the innermost comes first.
    return sorted(found, key=lambda each: (each.behind, -len(each.place), each.place))


async def _sources(conn: Connection, part: Part, session: Session) -> list[DrySourceView]:
    """What the part sounds like, its comps, its takes: those with a DI."""
    tempo = session.tempo
    found = [DrySourceView(material_id=None, name="what it sounds like", first_bar=1, last_bar=session.song_bars)]
    for version in await comps.list_comps(conn, part.id):
        found.append(DrySourceView(material_id=version.id, name=version.name, first_bar=1, last_bar=session.song_bars))
    kept = await takes.kept_of_part(conn, part.id)
    channels = await takes.channels_of(conn, [take.id for take in kept])
    for take in kept:
        if any(channel.kind == "di" for channel in channels[take.id]):
            used = take.used
            found.append(
                DrySourceView(
                    material_id=take.id, name=f"take {take.number}", first_bar=tempo.bar_at(used.from_frame),
                    last_bar=tempo.bar_at(max(used.from_frame, used.to_frame - 1)),
                )
            )  # fmt: skip
    return found
