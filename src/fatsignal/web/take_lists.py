"""Lists that tell something of every take of a session: made once, and of a list that changed only what changed.

A session may hold thousands of takes, and every page asks for all of them whenever one has changed.
"""

import asyncio
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Generic, TypeVar
from uuid import UUID

from fatsignal.store import listed_takes, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel

_MOST_PIECES, _MOST_LISTS = 20_000, 16

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")


@dataclass(frozen=True, slots=True)
class PerTake:
    """What a list tells of one take: JSON, with commas between where it is several things; b"" where it is nothing."""

    name: str
    make: Callable[[Session, str, Take, list[TakeChannel]], bytes]


class TakeLists:
    """The lists of all sessions, as JSON arrays; those that were not asked for longest are forgotten."""

    def __init__(self) -> None:
        self._pieces: _Recent[tuple[str, UUID], tuple[Hashable, bytes]] = _Recent(_MOST_PIECES)
        self._lists: _Recent[tuple[str, UUID], tuple[str, bytes]] = _Recent(_MOST_LISTS)

    async def read(self, conn: Connection, session_id: UUID, kind: PerTake) -> Callable[[], bytes]:
        """Reads what it needs; what it gives makes the list, and may be called in a thread."""
        version = await listed_takes.list_version(conn, session_id)
        known = self._lists.get((kind.name, session_id))
        if known is not None and known[0] == version:
            body = known[1]
            return lambda: body
        session = await sessions.get_session(conn, session_id)
        listed = await listed_takes.list_versions(conn, session_id)
        song = await asyncio.to_thread(_song, session)
        wanted = {each.id: (each.version, each.part_name, song) for each in listed}
        missing = [take_id for take_id, wants in wanted.items() if not self._has(kind, take_id, wants)]
        found = await takes.takes_by_id(conn, missing)
        channels = await takes.channels_of(conn, missing)

        def make() -> bytes:
            pieces = []
            for each in listed:
                piece = self._pieces.get((kind.name, each.id))
                if piece is None or piece[0] != wanted[each.id]:
                    if each.id not in found:
                        continue  # it went between the two questions: the next one tells of it
                    made = kind.make(session, each.part_name, found[each.id], channels[each.id])
                    piece = (wanted[each.id], made)
                    self._pieces.keep((kind.name, each.id), piece)
                if piece[1]:
                    pieces.append(piece[1])
            body = b"[" + b",".join(pieces) + b"]"
            self._lists.keep((kind.name, session_id), (version, body))
            return body

        return make

    def _has(self, kind: PerTake, take_id: UUID, wants: Hashable) -> bool:
        known = self._pieces.get((kind.name, take_id))
        return known is not None and known[0] == wants


def _song(session: Session) -> Hashable:
    """What of the session the places of its takes follow from."""
    return hash((session.rate_hz, repr(session.tempo)))


class _Recent(Generic[Key, Value]):
    """So many values, those that were used last."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[Key, Value] = OrderedDict()
        # Lists are made in threads, several at once.
        self._mine = threading.Lock()

    def get(self, key: Key) -> Value | None:
        with self._mine:
            found = self._kept.get(key)
            if found is not None:
                self._kept.move_to_end(key)
            return found

    def keep(self, key: Key, value: Value) -> None:
        with self._mine:
            self._kept[key] = value
            self._kept.move_to_end(key)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
