"""A bench that sounds goes on with what lies there, whoever changed it: a turn of a value, another source, an undo."""

from uuid import UUID

from fatsignal.acts.bench import bench_of, bench_order, things_on_bench
from fatsignal.config import Settings
from fatsignal.core.cue.monitoring import Monitoring
from fatsignal.core.tone.document import check_responses
from fatsignal.errors import FatSignalError
from fatsignal.store import parts, sessions
from fatsignal.store.database import Connection
from fatsignal.store.history import Act
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.web.engine_controller import EngineController


def plays_through_bench(part: Part) -> bool:
    """Whether a part is played live through the tone on its bench."""
    return Monitoring.model_validate(part.monitoring).from_bench


async def sound(
    conn: Connection, part: Part, session: Session, settings: Settings, engine: EngineController, *,
    start_frame: int | None,
) -> None:  # fmt: skip
    """Let what lies on a bench sound.

    Raises
    ------
    RollRefused
        If something rolls.
    ToneRefused
        If an impulse response of the tone is missing.
    """
    things = await things_on_bench(conn, part, session, settings.sessions_folder)
    check_responses(things.bench.tone)
    gains = engine.bench_gains.get(part.id, {})
    await engine.bench(
        bench_order(things, session, speed=settings.rig_speed or 1.0, start_frame=start_frame, gains_db=gains)
    )


async def sound_again(
    conn: Connection, part: Part, session: Session, settings: Settings, engine: EngineController
) -> None:
    """What sounds goes on with what lies on the bench now."""
    if engine.benching == part.id:
        await sound(conn, part, session, settings, engine, start_frame=engine.bench_frame)


async def after_history(conn: Connection, done: Act | None, settings: Settings, engine: EngineController) -> None:
    """What an undo or redo changed on a bench is heard too."""
    for change in done.changes if done else []:
        if change["table"] != "bench":
            continue
        part = await parts.get_part(conn, UUID(change["id"]))
        session = await sessions.get_session(conn, part.session_id)
        bench = await bench_of(conn, part)
        await engine.turn(part.id, bench.tone, live=plays_through_bench(part))
        turned_only = change["before"] and change["after"] and set(change["after"]) == {"document"}
        if not turned_only:
            try:
                await sound_again(conn, part, session, settings, engine)
            except FatSignalError:
                await engine.end_bench(part.id)
