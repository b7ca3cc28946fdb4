"""History: what was done to a session, undone and redone by the server, whoever did it on whichever page.

An act is carried out inside `act`, which notes what it changed: the rows it was told to watch, before and after. So no
act needs an inverse of its own, and what is undone is exactly as it was.
"""

from collections.abc import AsyncIterator, Iterable, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from typing import Any, LiteralString
from uuid import UUID

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from fatsignal.errors import CannotUndo
from fatsignal.store.database import Connection
from fatsignal.store.parts import HOLDS

# Turning a value goes in many small steps: those that follow each other so closely are undone together.
_ONE_ACT_S = 1.5
# Of a session so many are kept.
_MOST_KEPT = 1_000


@dataclass(frozen=True, slots=True)
class _Watched:
    """What of a table an act may change, and which of its rows belong to a session."""

    columns: tuple[LiteralString, ...]
    of_session: LiteralString
    # What would be lost with a row that came and goes again.
    holds: LiteralString | None = None


_WATCHED: dict[LiteralString, _Watched] = {
    "session": _Watched(
        (
            "name", "artist", "depth", "reference_pitch_hz", "tempos", "meters", "bar_one_frame", "song_bars", "click",
            "arm_together", "roll", "blend",
        ),
        "id = %(session)s",
    ),
    "section": _Watched(
        ("id", "session_id", "position", "name", "first_bar", "bars", "phrase_bars"), "session_id = %(session)s",
    ),
    "part": _Watched(
        (
            "id", "session_id", "position", "name", "rig", "written", "armed", "chords", "cut", "monitoring",
            "placement", "comp_id", "heard_through",
        ),
        "session_id = %(session)s",
        holds=HOLDS,
    ),
    "take": _Watched(
        (
            "from_frame", "windows", "by_hand", "slip_frames", "rating", "note", "binned_at", "part_id", "number",
            "channel_names", "di_full_scale_v",
        ),
        "part_id IN (SELECT id FROM part WHERE session_id = %(session)s)",
    ),
    "trial": _Watched(
        ("note", "binned_at", "blend"), "part_id IN (SELECT id FROM part WHERE session_id = %(session)s)",
    ),
    "comp": _Watched(
        ("id", "part_id", "number", "name", "document", "made_at"),
        "part_id IN (SELECT id FROM part WHERE session_id = %(session)s)",
    ),
    "backing": _Watched(
        (
            "id", "session_id", "name", "file", "origin", "frames", "channels", "placed_frame", "gain_db",
            "loudness_lufs", "pulse", "added_at",
        ),
        "session_id = %(session)s",
    ),
    "cue": _Watched(("id", "session_id", "name", "mix", "made_at"), "session_id = %(session)s"),
    "bench": _Watched(
        ("id", "document", "tone_revision_id", "material_id", "from_bar", "to_bar", "aside", "beside"),
        "id IN (SELECT id FROM part WHERE session_id = %(session)s)",
    ),
    # Tones belong to no session: which ones an act may change is named.
    "tone": _Watched(
        ("id", "name"), "id = ANY(%(ids)s)",
        holds="EXISTS (SELECT FROM tone_revision WHERE tone_id = tone.id)",
    ),
    "tone_revision": _Watched(
        ("id", "tone_id", "revision", "document", "fingerprint", "made_at"), "id = ANY(%(ids)s)",
        holds="""
            EXISTS (SELECT FROM print WHERE tone_revision_id = tone_revision.id)
            OR EXISTS (SELECT FROM part WHERE monitoring ->> 'tone_revision_id' = tone_revision.id::text)
            OR EXISTS (
                SELECT FROM tone_revision later
                WHERE later.tone_id = tone_revision.tone_id AND later.revision > tone_revision.revision
            )
        """,
    ),
}  # fmt: skip

# Tables to watch, each with the ids of its rows, or None: all of the session.
Scope = Mapping[LiteralString, Iterable[UUID] | None]
_Rows = dict[tuple[str, str], dict[str, Any]]


@dataclass(slots=True)
class Acting:
    """An act under way: what it is called may be known only when it is done."""

    says: str
    changed: bool = field(default=False, init=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class Act:
    id: int
    kind: str
    says: str
    changes: list[dict[str, Any]]
    undone: bool


@dataclass(frozen=True, slots=True)
class History:
    """What the next undo and the next redo would do, in words; None where there is nothing."""

    undo: str | None
    redo: str | None


@asynccontextmanager
async def act(
    conn: Connection, session_id: UUID, *, kind: str, says: str, scope: Scope, subject: str = ""
) -> AsyncIterator[Acting]:
    """Carry out an act inside this, in a transaction; acts of a session are carried out one after the other."""
    await conn.execute("SELECT 1 FROM session WHERE id = %s FOR UPDATE", (session_id,))
    watched = {table: None if ids is None else list(ids) for table, ids in scope.items()}
    before = await _snapshot(conn, session_id, watched)
    acting = Acting(says)
    yield acting
    # What is named first in the scope is there before what refers to it, and goes after it.
    changes = sorted(
        _between(before, await _snapshot(conn, session_id, watched)),
        key=lambda change: list(scope).index(change["table"]),
    )
    if not changes:
        return
    acting.changed = True
    # What was undone before something new was done is not redone any more.
    await conn.execute("DELETE FROM act WHERE session_id = %s AND undone", (session_id,))
    if subject and await _joined(conn, session_id, kind, subject, acting.says, changes):
        return
    await _keep(conn, session_id, kind, acting.says, subject, changes)


async def note(conn: Connection, session_id: UUID, *, kind: str, says: str, changes: list[dict[str, Any]]) -> None:
    """Note an act that has been carried out elsewhere: a pass that went into the bin before it was entered."""
    await conn.execute("DELETE FROM act WHERE session_id = %s AND undone", (session_id,))
    await _keep(conn, session_id, kind, says, "", changes)


async def stored(conn: Connection, table: LiteralString, row_id: UUID, column: LiteralString) -> Any:
    """A value as an act writes it."""
    row = await (await conn.execute(f"SELECT to_jsonb({column}) FROM {table} WHERE id = %s", (row_id,))).fetchone()
    return row[0] if row else None


async def history_of(conn: Connection, session_id: UUID) -> History:
    last, following = await _last(conn, session_id), await _following(conn, session_id)
    return History(last.says if last else None, following.says if following else None)


async def undo(conn: Connection, session_id: UUID) -> Act | None:
    """Undo the last act; None where there is none.

    Raises
    ------
    CannotUndo
        If something else has changed since what it changed, or is gone for good. Nothing is changed then.
    """
    await conn.execute("SELECT 1 FROM session WHERE id = %s FOR UPDATE", (session_id,))
    last = await _last(conn, session_id)
    if last is None:
        return None
    for change in reversed(last.changes):
        await _put(conn, last, change, expected=change["after"], wanted=change["before"])
    await conn.execute("UPDATE act SET undone = true WHERE id = %s", (last.id,))
    return last


async def redo(conn: Connection, session_id: UUID) -> Act | None:
    """Do the act again that was undone last; None where there is none.

    Raises
    ------
    CannotUndo
        As `undo`.
    """
    await conn.execute("SELECT 1 FROM session WHERE id = %s FOR UPDATE", (session_id,))
    following = await _following(conn, session_id)
    if following is None:
        return None
    for change in following.changes:
        await _put(conn, following, change, expected=change["before"], wanted=change["after"])
    await conn.execute("UPDATE act SET undone = false WHERE id = %s", (following.id,))
    return following


async def _snapshot(conn: Connection, session_id: UUID, watched: Mapping[LiteralString, list[UUID] | None]) -> _Rows:
    found: _Rows = {}
    for table, ids in watched.items():
        async with conn.cursor() as cur:
            await cur.execute(
                f"""
                SELECT id, {_values(table)} FROM {table}
                WHERE {_WATCHED[table].of_session} AND (%(ids)s::uuid[] IS NULL OR id = ANY(%(ids)s::uuid[]))
                """,
                {"session": session_id, "ids": ids},
            )
            async for row in cur:
                found[table, str(row[0])] = row[1]  # type: ignore[assignment]
    return found


def _values(table: LiteralString) -> LiteralString:
    pairs: LiteralString = ", ".join(f"'{column}', {column}" for column in _WATCHED[table].columns)
    return f"jsonb_build_object({pairs})"


def _between(before: _Rows, after: _Rows) -> list[dict[str, Any]]:
    changes = []
    for table, row_id in dict.fromkeys([*before, *after]):
        old, new = before.get((table, row_id)), after.get((table, row_id))
        if old is not None and new is not None:
            differing = [column for column in old if old[column] != new[column]]
            if not differing:
                continue
            old, new = ({column: row[column] for column in differing} for row in (old, new))
        changes.append({"table": table, "id": row_id, "before": old, "after": new})
    return changes


async def _joined(
    conn: Connection, session_id: UUID, kind: str, subject: str, says: str, changes: list[dict[str, Any]]
) -> bool:
    """Whether the act became one with the last, of which it is the next small step."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            """
            SELECT id, kind, subject, changes, done_at > clock_timestamp() - make_interval(secs => %s) AS just_now
            FROM act WHERE session_id = %s ORDER BY id DESC LIMIT 1
            """,
            (_ONE_ACT_S, session_id),
        )
        last = await cur.fetchone()
    if last is None or not last["just_now"] or (last["kind"], last["subject"]) != (kind, subject):
        return False
    together = {(change["table"], change["id"]): change for change in last["changes"]}
    for change in changes:
        earlier = together.get((change["table"], change["id"]))
        if earlier is None:
            together[change["table"], change["id"]] = change
            continue
        if None in (earlier["before"], earlier["after"], change["before"], change["after"]):
            return False
        # Of a column that only one of the two changed, the other's row says nothing.
        earlier["before"] = {**change["before"], **earlier["before"]}
        earlier["after"] = {**earlier["after"], **change["after"]}
    await conn.execute(
        "UPDATE act SET changes = %s, says = %s, done_at = clock_timestamp() WHERE id = %s",
        (Jsonb(list(together.values())), says, last["id"]),
    )
    return True


async def _keep(
    conn: Connection, session_id: UUID, kind: str, says: str, subject: str, changes: list[dict[str, Any]]
) -> None:
    await conn.execute(
        "INSERT INTO act (session_id, kind, says, subject, changes) VALUES (%s, %s, %s, %s, %s)",
        (session_id, kind, says, subject, Jsonb(changes)),
    )
    await conn.execute(
        """
        DELETE FROM act WHERE session_id = %(session)s AND id <= (
            SELECT id FROM act WHERE session_id = %(session)s ORDER BY id DESC OFFSET %(most)s LIMIT 1
        )
        """,
        {"session": session_id, "most": _MOST_KEPT},
    )


async def _last(conn: Connection, session_id: UUID) -> Act | None:
    return await _one(conn, session_id, "NOT undone ORDER BY id DESC")


async def _following(conn: Connection, session_id: UUID) -> Act | None:
    return await _one(conn, session_id, "undone ORDER BY id")


async def _one(conn: Connection, session_id: UUID, which: LiteralString) -> Act | None:
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            f"SELECT id, kind, says, changes, undone FROM act WHERE session_id = %s AND {which} LIMIT 1", (session_id,)
        )
        row = await cur.fetchone()
    return Act(**row) if row else None


async def _put(
    conn: Connection, of: Act, change: dict[str, Any], *, expected: dict[str, Any] | None, wanted: dict[str, Any] | None
) -> None:
    """Make a row what is wanted, where it is what is expected."""
    table: LiteralString = next(name for name in _WATCHED if name == change["table"])
    row_id = UUID(change["id"])
    async with conn.cursor() as cur:
        await cur.execute(f"SELECT {_values(table)} FROM {table} WHERE id = %s FOR UPDATE", (row_id,))
        row = await cur.fetchone()
    now: Any = row[0] if row else None
    if (now is None) != (expected is None):
        raise CannotUndo(of.says, "what it changed is gone for good" if now is None else "it is there again already")
    if now is not None and expected is not None and any(now[column] != expected[column] for column in expected):
        raise CannotUndo(of.says, "what it changed has been changed since in another way")
    if wanted is None:
        if await holds_something(conn, table, row_id):
            raise CannotUndo(of.says, "something was recorded, measured or made with it since")
        await conn.execute(f"DELETE FROM {table} WHERE id = %s", (row_id,))
    elif expected is None:
        columns: LiteralString = ", ".join(_WATCHED[table].columns)
        await conn.execute(
            f"INSERT INTO {table} ({columns}) SELECT {columns} FROM jsonb_populate_record(NULL::{table}, %s)",
            (Jsonb(wanted),),
        )
    else:
        changed: LiteralString = ", ".join(column for column in _WATCHED[table].columns if column in wanted)
        await conn.execute(
            f"UPDATE {table} SET ({changed}) = (SELECT {changed} FROM jsonb_populate_record(NULL::{table}, %s))"
            " WHERE id = %s",
            (Jsonb(wanted), row_id),
        )


async def holds_something(conn: Connection, table: LiteralString, row_id: UUID) -> bool:
    """Whether something would be lost with a row: what was recorded, measured or printed with it."""
    holds = _WATCHED[table].holds
    if holds is None:
        return False
    async with conn.cursor() as cur:
        await cur.execute(f"SELECT {holds} FROM {table} WHERE id = %s", (row_id,))
        row = await cur.fetchone()
    return row is not None and bool(row[0])
