"""Making the demonstration session: the simulated rig plays it, the engine's recorder rolls it."""

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from uuid import uuid4

from procrastinate import App
from pydantic import TypeAdapter

from fatsignal.acts.enter_roll import measure_roll, store_roll
from fatsignal.acts.make_session import make_session
from fatsignal.acts.print_batch import Cell, ask_for_batch
from fatsignal.acts.roll_order import Armed, roll_order, roll_plan
from fatsignal.acts.shipped_tones import keep_shipped_tones
from fatsignal.core.instrument.player import Note
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.tone.print_settings import PrintSettings
from fatsignal.demo import song
from fatsignal.demo.checked import add_backing, check_part
from fatsignal.demo.placed import try_placements
from fatsignal.engine.capture_factory import capture_of
from fatsignal.engine.orders import RollOrder
from fatsignal.files.names import take_folder_name
from fatsignal.jobs.worker import wake
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.setup import RigSetup, standard_rig
from fatsignal.store import parts, sections, sessions, takes, tones
from fatsignal.store.database import Connection

Say = Callable[[str], None]
_NOTES: TypeAdapter[list[Note]] = TypeAdapter(list[Note])

INTERFACE = SimulatedInterface()

BARITONE_RIG = standard_rig("baritone guitar")
BASS_RIG = standard_rig("four-string bass")
LEAD_RIG = standard_rig("six-string guitar")


@dataclass(frozen=True, slots=True)
class _Planned:
    """A part and its passes: of which section, and with which seed the player plays."""

    name: str
    rig: RigSetup
    notes: list[Note]
    passes: tuple[tuple[str, int], ...]
    chords: dict[str, tuple[int | None, ...]] = field(default_factory=dict)


# The outro of the baritone is left open: the next roll plays it.
_PARTS = (
    _Planned(
        "Baritone", BARITONE_RIG, song.baritone_part(),
        (("Intro", 11), ("Verse 1", 12), ("Verse 1", 13), ("Verse 1", 18), ("Chorus 1", 14), ("Chorus 1", 19),
         ("Chorus 1", 20), ("Chorus 1", 21), ("Verse 2", 15), ("Verse 2", 16), ("Chorus 2", 17), ("Chorus 2", 22)),
        song.CHORDS,
    ),
    _Planned("Baritone double", BARITONE_RIG, song.baritone_part(), (("Chorus 1", 41),), song.CHORDS),
    _Planned("Lead", LEAD_RIG, song.lead_part(), (("Chorus 1", 51), ("Chorus 1", 52), ("Chorus 1", 53))),
    _Planned("Bass", BASS_RIG, song.bass_part(), (("Verse 1", 31), ("Chorus 1", 32))),
)  # fmt: skip
# For the tests: enough to work with, quickly made.
_FIRST_PARTS = (
    replace(_PARTS[0], passes=(("Intro", 11), ("Chorus 1", 14))),
    *(replace(part, passes=()) for part in _PARTS[1:]),
)


async def build_demo(
    conn: Connection, queue: App, *, sessions_folder: Path, waves_folder: Path, say: Say, rate_hz: int = 48_000,
    first_passes_only: bool = False,
) -> None:  # fmt: skip
    """Make *Copper Weather* with its takes, and ask for two prints. `say` is told what is being done."""
    async with conn.transaction():
        session = await make_session(
            conn, sessions_folder, name=song.SONG, artist=song.DUO, depth="24", song_bars=song.SONG_BARS,
            tempo=TempoMap.steady(song.TEMPO_BPM, rate_hz=rate_hz, beats_per_bar=song.BEATS_PER_BAR),
        )  # fmt: skip
        song_sections = [replace(section, id=uuid4()) for section in song.SECTIONS]
        await sections.replace_sections(conn, session.id, song_sections)
        plan = _FIRST_PARTS if first_passes_only else _PARTS
        demo_parts = [
            await _add_part(conn, session, planned, armed=position == 0) for position, planned in enumerate(plan)
        ]
        await keep_shipped_tones(conn)
    where = {section.name: section for section in song_sections}
    orders = [
        (
            planned.name,
            section,
            roll_order(
                session, roll_plan(session, section=where[section]), [Armed(part, number, seed)],
                section_id=where[section].id, sessions_folder=sessions_folder, interface=INTERFACE,
                record_offset_frames=round(INTERFACE.round_trip_frames()), speed=0,
            ),
        )
        for part, planned in zip(demo_parts, plan, strict=True)
        for number, (section, seed) in enumerate(planned.passes, start=1)
    ]  # fmt: skip
    # The compiled loops leave Python free, so two passes are played at once.
    with ThreadPoolExecutor(max_workers=2) as players:
        played = [players.submit(_roll, order) for _, _, order in orders]
        rolled = {}
        for count, ((name, section_name, order), done) in enumerate(zip(orders, played, strict=True), start=1):
            say(f"playing the demonstration: {name}, {section_name.lower()} ({count} of {len(orders)})")
            await asyncio.wrap_future(done)
            measured = await asyncio.to_thread(
                measure_roll, take_folder(order), sessions_folder=sessions_folder, waves_folder=waves_folder
            )
            take = await store_roll(conn, measured)
            assert isinstance(take, takes.Take), "the demonstration is never silent"
            rolled[name, section_name] = take
    if not first_passes_only:
        say("checking the baritone's rig, trying its microphones, and recording a drum loop")
        async with conn.transaction():
            await check_part(conn, session, demo_parts[0])
            await try_placements(conn, demo_parts[0], sessions_folder=sessions_folder, waves_folder=waves_folder)
            await add_backing(conn, session, sessions_folder=sessions_folder, waves_folder=waves_folder)
    newest = {revision.name: revision for revision in await tones.list_newest(conn)}
    for section_name, tone_name in (("Chorus 1", "Kiln"), ("Chorus 1", "Foundry")):
        take = rolled["Baritone", section_name]
        asked = await ask_for_batch(conn, [Cell(take.id, newest[tone_name].id)], PrintSettings(), sessions_folder)
        for work in asked.to_wake:
            await wake(queue, work)


async def _add_part(conn: Connection, session: sessions.Session, planned: _Planned, *, armed: bool) -> parts.Part:
    return await parts.add_part(
        conn, session_id=session.id, name=planned.name, rig=planned.rig.model_dump(mode="json"),
        written=_NOTES.dump_python(planned.notes, mode="json"), armed=armed,
        chords=[{"name": name, "frets": list(frets)} for name, frets in planned.chords.items()],
    )  # fmt: skip


def take_folder(order: RollOrder) -> Path:
    """Where the first take of an order's first part lies."""
    part = order.parts[0]
    return part.folder / take_folder_name(part.first_number)


def _roll(order: RollOrder) -> None:
    with capture_of(order, lambda _: None) as capture:
        capture.run()
