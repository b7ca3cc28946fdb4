"""From a part and a section to the order that rolls it: count-in, window, and the handle in which the end rings."""

from fractions import Fraction
from pathlib import Path
from uuid import uuid4

from pydantic import TypeAdapter

from fatsignal.core.instrument.player import Note
from fatsignal.core.song.sections import SongSection
from fatsignal.engine.protocol import RollOrder
from fatsignal.files.names import file_name
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.situations import made_up_notes
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session

_NOTES: TypeAdapter[list[Note]] = TypeAdapter(list[Note])
# The last chord rings into the handle for two beats of a quarter.
_RINGS_QUARTERS = 2


def roll_order(
    session: Session, part: Part, section: SongSection, *, number: int, seed: int, sessions_folder: Path,
    interface: SimulatedInterface, record_offset_frames: int, speed: float,
) -> RollOrder:  # fmt: skip
    """Roll one section once."""
    tempo, click = session.tempo, session.click_settings
    rig = RigSetup.model_validate(part.rig)
    notes = _NOTES.validate_python(part.written) or made_up_notes(
        rig, tempo, from_bar=section.first_bar, to_bar=section.end_bar
    )
    return RollOrder(
        roll_id=uuid4(),
        session_id=session.id,
        part_id=part.id,
        section_id=section.id,
        number=number,
        folder=sessions_folder / session.folder / file_name(part.name) / f"Take {number:02d}",
        stem=f"{file_name(part.name)} {number:02d}",
        rate_hz=session.rate_hz,
        depth=session.depth,
        tempo=tempo,
        from_frame=max(0, tempo.bar_frame(section.first_bar - click.roll_count_in_bars)),
        window_from_frame=tempo.bar_frame(section.first_bar),
        window_to_frame=tempo.bar_frame(section.end_bar),
        to_frame=tempo.quarter_frame(tempo.bar_quarter(section.end_bar) + Fraction(_RINGS_QUARTERS)),
        seed=seed,
        setup=rig,
        notes=notes,
        interface=interface,
        record_offset_frames=record_offset_frames,
        reference_pitch_hz=float(session.reference_pitch_hz),
        click=click,
        speed=speed,
    )
