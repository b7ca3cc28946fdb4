"""What is armed: the parts that roll together, and what each needs for its next take."""

import secrets
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING
from uuid import UUID

from fatsignal.acts.bench import bench_of
from fatsignal.acts.take_numbers import next_number
from fatsignal.core.cue.monitoring import Monitoring
from fatsignal.core.tone.document import Tone, check_responses, parse_tone
from fatsignal.errors import RollRefused
from fatsignal.store import parts, tones
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session

if TYPE_CHECKING:
    from fatsignal.acts.roll_order import Armed


@dataclass(frozen=True, slots=True)
class PlayedTone:
    """A tone that is played through; `revision_id` None where it is turned on the bench."""

    tone: Tone
    revision_id: UUID | None


async def armed_parts(conn: Connection, session_id: UUID) -> list[Part]:
    """The parts that roll together.

    Raises
    ------
    RollRefused
        If none is armed.
    """
    armed = [part for part in await parts.list_parts(conn, session_id) if part.armed]
    if not armed:
        raise RollRefused("no part is armed: choose the part that you play")
    return armed


async def all_armed(conn: Connection, session: Session, armed: list[Part], *, sessions_folder: Path) -> "list[Armed]":
    """What is armed, with the number of its next take and the tone through which it is heard."""
    from fatsignal.acts.roll_order import Armed

    found = []
    for part in armed:
        tone = await tone_played_through(conn, part)
        number = await next_number(conn, sessions_folder, session, part)
        found.append(Armed(part, number, secrets.randbits(31), tone))
    return found


async def tone_played_through(conn: Connection, part: Part) -> PlayedTone | None:
    """The tone that a part is heard through, if any: a kept one, or that on its bench as it is turned now."""
    chosen = Monitoring.model_validate(part.monitoring)
    if chosen.from_bench:
        played = PlayedTone((await bench_of(conn, part)).tone, None)
    elif chosen.tone_revision_id is None:
        return None
    else:
        revision = await tones.get_revision(conn, chosen.tone_revision_id)
        played = PlayedTone(parse_tone(revision.document), revision.id)
    check_responses(played.tone)
    return played
