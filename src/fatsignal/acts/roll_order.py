"""From what is armed and how the session rolls to the order that rolls it."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID, uuid4

from pydantic import TypeAdapter

from fatsignal.acts.arming import PlayedTone
from fatsignal.core.cue.monitoring import Monitoring
from fatsignal.core.instrument.player import Note
from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.roll_plan import Range, RollMode, RollPlan, plan_loop, plan_once, plan_windows
from fatsignal.core.takes.windows import Window
from fatsignal.engine.orders import Cue, PartMonitor, PartOrder, PlayTrack, RollOrder, StandbyOrder
from fatsignal.errors import InvalidSetting
from fatsignal.files.names import file_name
from fatsignal.rig.check_scenarios import made_up_notes
from fatsignal.rig.device import SimulatedDevice
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import RigSetup
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session

_NOTES: TypeAdapter[list[Note]] = TypeAdapter(list[Note])


@dataclass(frozen=True, slots=True)
class Armed:
    """A part that rolls, the number of its first take, and how the simulated player plays this time."""

    part: Part
    number: int
    seed: int
    tone: PlayedTone | None = None


def roll_plan(
    session: Session, *, way: RollMode | None = None, section: SongSection | None = None, from_frame: int | None = None,
    by_hand: bool = False, windows: Sequence[Window] = (),
) -> RollPlan:  # fmt: skip
    """What a roll plays through, by the session's settings; `way` does it another way this once.

    Once plays a section, or from a frame on to the song's end; loop and windows play what is set. `windows` are played
    past once, whatever is set, with a bar before them at least.

    Raises
    ------
    InvalidSetting
        If there is nothing to play: no section and no frame, or no window.
    """
    settings, tempo = session.roll_settings, session.tempo
    count_in_bars = session.click_settings.roll_count_in_bars
    if windows:
        pre_roll_bars = max(1, settings.pre_roll_bars)
        once = settings.model_copy(update={"windows": windows, "again": False, "pre_roll_bars": pre_roll_bars})
        return plan_windows(tempo, once, count_in_bars=count_in_bars)
    match way or settings.way:
        case "loop":
            return plan_loop(tempo, settings, count_in_bars=count_in_bars)
        case "windows":
            return plan_windows(tempo, settings, count_in_bars=count_in_bars)
        case _:
            if from_frame is not None:
                bar = tempo.bar_at(from_frame)
                if not 1 <= bar <= session.song_bars:
                    raise InvalidSetting(f"the song has bars 1 to {session.song_bars}: go to one of them and roll")
                played = Range(bar, session.song_bars + 1)
            elif section is not None:
                played = Range(section.first_bar, section.end_bar)
            else:
                raise InvalidSetting("choose a section, or a place in the song, to roll from")
            return plan_once(
                tempo, played, settings, count_in_bars=count_in_bars, from_frame=from_frame, by_hand=by_hand
            )


def roll_order(
    session: Session, plan: RollPlan, armed: Sequence[Armed], *, section_id: UUID | None, sessions_folder: Path,
    interface: SimulatedInterface, record_offset_frames: int, speed: float, tracks: Sequence[PlayTrack] = (),
    cues: Sequence[Cue] = (),
) -> RollOrder:  # fmt: skip
    """Roll all that is armed through a plan, together."""
    return RollOrder(
        roll_id=uuid4(),
        session_id=session.id,
        section_id=section_id,
        rate_hz=session.rate_hz,
        depth=session.depth,
        tempo=session.tempo,
        plan=plan,
        parts=[
            _part_order(session, each, sessions_folder, bars=(plan.play_from_frame, plan.to_frame)) for each in armed
        ],
        tracks=list(tracks),
        cues=list(cues),
        device=SimulatedDevice(settings=interface),
        record_offset_frames=record_offset_frames,
        reference_pitch_hz=float(session.reference_pitch_hz),
        click=session.click_settings,
        speed=speed,
    )


def standby_order(
    session: Session, armed: Sequence[Armed], *, sessions_folder: Path, interface: SimulatedInterface, speed: float,
    cues: Sequence[Cue],
) -> StandbyOrder:  # fmt: skip
    """Let who is armed hear the own playing; nothing goes to disk."""
    tempo = session.tempo
    return StandbyOrder(
        roll_id=uuid4(),
        session_id=session.id,
        rate_hz=session.rate_hz,
        tempo=tempo,
        parts=[
            _part_order(session, each, sessions_folder, bars=(tempo.bar_frame(1), tempo.bar_frame(3))) for each in armed
        ],
        cues=list(cues),
        device=SimulatedDevice(settings=interface),
        reference_pitch_hz=float(session.reference_pitch_hz),
        speed=speed,
    )


def _part_order(session: Session, armed: Armed, sessions_folder: Path, *, bars: tuple[int, int]) -> PartOrder:
    rig, tempo, name = RigSetup.model_validate(armed.part.rig), session.tempo, file_name(armed.part.name)
    first_bar, last_bar = tempo.bar_at(bars[0]), tempo.bar_at(bars[1])
    return PartOrder(
        part_id=armed.part.id,
        name=name,
        folder=sessions_folder / session.folder / name,
        first_number=armed.number,
        setup=rig,
        notes=_NOTES.validate_python(armed.part.written)
        or made_up_notes(rig, tempo, from_bar=first_bar, to_bar=last_bar + 1),
        seed=armed.seed,
        monitor=_monitor(armed, rig),
    )


def _monitor(armed: Armed, rig: RigSetup) -> PartMonitor:
    chosen = Monitoring.model_validate(armed.part.monitoring)
    names = [name for name, _ in rig.inputs]
    first_mic = next((place for place, name in enumerate(names) if name != "DI"), 0)
    return PartMonitor(
        hear=chosen.hear,
        when=chosen.when,
        channel=names.index(chosen.channel) if chosen.channel in names else first_mic,
        tone=armed.tone.tone if armed.tone else None,
        tone_revision_id=armed.tone.revision_id if armed.tone else None,
        print_sim=chosen.print_sim,
    )
