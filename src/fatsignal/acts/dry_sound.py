"""The dry sound that goes through tones: a take's DI, or that of a comp, and the voltage that it stands for.

Pieces of a comp may have been recorded with different gains: they are brought to the voltage of the first, so that a
tone answers to what was played and not to how the input was turned.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal
from uuid import UUID

from fatsignal.acts.find_material import find_playable
from fatsignal.acts.part_sound import pieces_of_part, pieces_of_version
from fatsignal.core.instrument.plays_like import likely_full_scale_v, plays_like
from fatsignal.core.tone.voltage import UNKNOWN, DiVoltage
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.rig.setup import RigSetup
from fatsignal.store import comps
from fatsignal.store import di_voltages as di_voltages_stored
from fatsignal.store.database import Connection

HowKnown = Literal["typed", "rig sheet", "measured"]


@dataclass(frozen=True, slots=True)
class KnownVoltage:
    """A take's voltage, how it is known, and in words."""

    voltage: DiVoltage
    how: HowKnown
    says: str


@dataclass(frozen=True, slots=True)
class DrySound:
    """What is re-amped: `recorded` reads levelled in volts over all of its pieces, `voltage` is what they stand for.

    `fingerprint` tells the sound as it was recorded, without regard to voltage.
    """

    recorded: MaterialOnDisk
    voltage: DiVoltage
    known: KnownVoltage | None
    fingerprint: str


async def dry_sound(conn: Connection, material_id: UUID, sessions_folder: Path) -> DrySound:
    """A take, a version of a comp, or what a part sounds like by the part's id, as it goes through tones.

    Raises
    ------
    NotFound
        If nothing that sounds has this id.
    """
    recorded = await find_playable(conn, material_id, sessions_folder)
    material = recorded.material
    take_of = {source.id: source.id for source in material.sources}
    version = (await comps.comps_by_id(conn, [material_id])).get(material_id)
    if version is not None:
        take_of |= {piece.source_id: piece.take_id for piece in await pieces_of_version(conn, version)}
    elif material_id not in take_of:
        take_of |= {piece.source_id: piece.take_id for piece in await pieces_of_part(conn, material_id)}
    volts = _as_one_recording(await di_voltages(conn, list(dict.fromkeys(take_of.values()))))
    if not material.pieces:
        return DrySound(recorded, UNKNOWN, None, material.fingerprint)
    first = volts.get(take_of[material.pieces[0].source_id])
    voltage = first.voltage if first else UNKNOWN

    def up_db(source_id: UUID) -> float:
        known = volts.get(take_of[source_id])
        return 0.0 if known is None else 20 * math.log10(known.voltage.full_scale_v / voltage.full_scale_v)

    pieces = tuple(replace(piece, gain_db=piece.gain_db + up_db(piece.source_id)) for piece in material.pieces)
    levelled = replace(recorded, material=replace(material, pieces=pieces))
    return DrySound(levelled, voltage, first, material.fingerprint)


def _as_one_recording(volts: dict[UUID, KnownVoltage]) -> dict[UUID, KnownVoltage]:
    """Of takes that are only guessed at, one guess for all, by the loudest: they keep the levels they have."""
    guessed = [known for known in volts.values() if known.how == "measured"]
    if not guessed:
        return volts
    loudest = min(guessed, key=lambda known: known.voltage.full_scale_v)
    return {take_id: loudest if known.how == "measured" else known for take_id, known in volts.items()}


async def di_voltages(conn: Connection, take_ids: Sequence[UUID]) -> dict[UUID, KnownVoltage]:
    """What the DIs of some takes stand for: as it was typed, as the rig sheet tells, or guessed from how it plays."""
    found = {}
    for each in await di_voltages_stored.what_tells_volts(conn, take_ids):
        rig = RigSetup.model_validate(each.rig_sheet)
        of_rig = rig.di_voltage
        if each.di_full_scale_v is not None:
            typed = DiVoltage(each.di_full_scale_v, inverted=of_rig.inverted if of_rig else False)
            found[each.take_id] = KnownVoltage(typed, "typed", "as it was typed")
        elif each.was_rolled and of_rig is not None:
            found[each.take_id] = KnownVoltage(of_rig, "rig sheet", _path(rig))
        else:
            likely_v = likely_full_scale_v(each.di_peak_dbfs, string_volts=rig.string_volts)
            says = plays_like(likely_v, pickup=rig.pickup.kind, instrument=rig.instrument)
            found[each.take_id] = KnownVoltage(DiVoltage(likely_v), "measured", says)
    return found


def _path(rig: RigSetup) -> str:
    assert rig.di is not None, "its voltage is known"
    use = rig.di.input
    box = "" if rig.di.box == "none" else f"{rig.di.box} box, "
    return f"{box}{use.kind} input at {use.gain_db:+g} dB{', pad' if use.pad else ''}"
