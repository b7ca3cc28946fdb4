"""Making the demonstration session: the simulated rig plays it, the engine's recorder rolls it."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from uuid import uuid4

from procrastinate import App
from pydantic import TypeAdapter

from fatsignal.acts.enter_roll import enter_roll
from fatsignal.core.instrument.player import Note
from fatsignal.core.tone.document import FirstStages, Power, ToneNetwork
from fatsignal.demo import song
from fatsignal.engine.protocol import RollOrder
from fatsignal.engine.recorder import Recorder
from fatsignal.files.names import file_name, free_path
from fatsignal.jobs.queue import ask_to_render
from fatsignal.rig.setup import MicOnRig, RigSetup
from fatsignal.rig.simulated import Pace, Performance, SimulatedRig
from fatsignal.store import prints, sessions, tones
from fatsignal.store.database import Connection
from fatsignal.tones import shipped_tones

Say = Callable[[str], None]
_NOTES: TypeAdapter[list[Note]] = TypeAdapter(list[Note])
_FAST_BLOCK_FRAMES = 4096

BARITONE_RIG = RigSetup()
BASS_RIG = RigSetup(
    instrument="four-string bass",
    string_volts=1.6,
    pickup_inductance_h=3.2,
    amp_name="bass head",
    amp=[
        FirstStages(stages=2, drive=2, voicing="warm"),
        ToneNetwork(network="deep", bass=5, middle=6, treble=5),
        Power(level=4, sag=2, presence=3),
    ],
    speaker="1x15 bass",
    mics=[MicOnRig(name="mic A", kind="coil", distance_m=0.08, off_centre_m=0.06, gain_db=-8)],
)


@dataclass(frozen=True, slots=True)
class _Pass:
    """One pass to be rolled: which section, with which seed, and how steady."""

    section: str
    seed: int


# The outro is left open: the next roll plays it.
_BARITONE_PASSES = (
    _Pass("Intro", 11), _Pass("Verse 1", 12), _Pass("Verse 1", 13), _Pass("Chorus 1", 14), _Pass("Verse 2", 15),
    _Pass("Verse 2", 16), _Pass("Chorus 2", 17),
)  # fmt: skip
_BASS_PASSES = (_Pass("Verse 1", 31), _Pass("Chorus 1", 32))


async def build_demo(
    conn: Connection, queue: App, *, sessions_folder: Path, waves_folder: Path, say: Say, rate_hz: int = 48_000,
    first_passes_only: bool = False,
) -> None:  # fmt: skip
    """Make *Copper Weather* with its takes, and ask for two prints. `say` is told what is being done."""
    sessions_folder.mkdir(parents=True, exist_ok=True)
    folder = free_path(sessions_folder / file_name(song.SONG)).name
    async with conn.transaction():
        session = await sessions.add_session(
            conn, name=song.SONG, artist=song.DUO, rate_hz=rate_hz, depth="24", tempo_bpm=str(song.TEMPO_BPM),
            beats_per_bar=song.BEATS_PER_BAR, folder=folder,
        )  # fmt: skip
        for position, section in enumerate(song.SECTIONS):
            await sessions.add_section(
                conn, session_id=session.id, position=position, name=section.name, first_bar=section.first_bar,
                bars=section.bars, phrase_bars=section.phrase_bars,
            )  # fmt: skip
        baritone = await _add_part(conn, session, 0, "Baritone", BARITONE_RIG, song.baritone_part(), armed=True)
        bass = await _add_part(conn, session, 1, "Bass", BASS_RIG, song.bass_part(), armed=False)
        for tone in shipped_tones():
            await tones.keep_tone(conn, tone)
    passes = [(baritone, entry) for entry in _BARITONE_PASSES] + [(bass, entry) for entry in _BASS_PASSES]
    if first_passes_only:
        passes = [passes[0], passes[3]]
    numbers: dict[str, int] = {}
    rolled = {}
    for count, (part, entry) in enumerate(passes, start=1):
        numbers[part.name] = numbers.get(part.name, 0) + 1
        say(f"playing the demonstration: {part.name}, {entry.section.lower()} ({count} of {len(passes)})")
        order = _order(session, part, entry, numbers[part.name], sessions_folder)
        _roll(order, session)
        take = await enter_roll(conn, order.folder, sessions_folder=sessions_folder, waves_folder=waves_folder)
        assert take is not None, "the demonstration is never silent"
        rolled[part.name, entry.section] = take
    newest = {revision.name: revision for revision in await tones.list_newest(conn)}
    for section_name, tone_name in (("Chorus 1", "Kiln"), ("Chorus 1", "Foundry")):
        take = rolled["Baritone", section_name]
        print_, _ = await prints.ask_for_print(conn, take_id=take.id, tone_revision_id=newest[tone_name].id)
        await ask_to_render(queue, conn, print_.id)


async def _add_part(
    conn: Connection, session: sessions.Session, position: int, name: str, rig: RigSetup, notes: list[Note],
    *, armed: bool,
) -> sessions.Part:  # fmt: skip
    return await sessions.add_part(
        conn, session_id=session.id, position=position, name=name, rig=rig.model_dump(mode="json"),
        written=_NOTES.dump_python(notes, mode="json"), armed=armed,
    )  # fmt: skip


def _order(
    session: sessions.Session, part: sessions.Part, entry: _Pass, number: int, sessions_folder: Path
) -> RollOrder:
    tempo = session.tempo
    section = next(section for section in song.SECTIONS if section.name == entry.section)
    end_bar = section.first_bar + section.bars
    return RollOrder(
        roll_id=uuid4(),
        session_id=session.id,
        part_id=part.id,
        number=number,
        folder=sessions_folder / session.folder / file_name(part.name) / f"Take {number:02d}",
        stem=f"{part.name} {number:02d}",
        rate_hz=session.rate_hz,
        tempo_bpm=session.tempo_bpm,
        beats_per_bar=session.beats_per_bar,
        lead_in_bars=session.lead_in_bars,
        from_frame=tempo.bar_frame(section.first_bar - session.count_in_bars),
        window_from_frame=tempo.bar_frame(section.first_bar),
        window_to_frame=tempo.bar_frame(end_bar),
        to_frame=tempo.beat_frame((end_bar - 1) * session.beats_per_bar + 2),
        seed=entry.seed,
        setup=RigSetup.model_validate(part.rig),
        notes=_NOTES.validate_python(part.written),
        speed=0,
    )


def _roll(order: RollOrder, session: sessions.Session) -> None:
    performance = Performance(order.notes, session.tempo, order.from_frame, order.to_frame, order.seed)
    rig = SimulatedRig(order.setup, performance, pace=Pace(0), block_frames=_FAST_BLOCK_FRAMES)
    Recorder(order, rig, session.tempo, lambda _: None).run()
