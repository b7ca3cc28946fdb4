"""Takes: one pass of a part, its channels time-locked."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, LiteralString
from uuid import UUID

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from fatsignal.core.material.channels import Channel, RecordedKind
from fatsignal.core.takes.counting import Played, Rating
from fatsignal.core.takes.windows import Gap, Window
from fatsignal.errors import NotFound
from fatsignal.store.database import Connection, in_turns
from fatsignal.store.numbers import add_numbered


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeChannel:
    """`file` lies in the take's folder; `checks` are the level figures over the window.

    `recorded_as` is what it was called before its take came to another part.
    """

    position: int
    name: str
    kind: RecordedKind
    file: str
    sha256: str
    checks: dict[str, Any]
    recorded_as: Channel | None = None

    @property
    def key(self) -> Channel:
        """What it is known by."""
        return Channel(self.kind, self.name)

    @property
    def checksum(self) -> tuple[Channel, str]:
        """What its take's fingerprint is made of: that stays, whatever it is called."""
        return self.recorded_as or self.key, self.sha256


@dataclass(frozen=True, slots=True, kw_only=True)
class Take:
    """`folder` is relative to the folder of all sessions; frames count from the session's zero.

    `recorded_frame` is where it was recorded; its section may have moved since, and a person may have slipped it by
    `slip_frames` besides. `gaps` are frames of its files that the device lost. `said` is the program's, `note` the
    person's own.
    """

    id: UUID
    part_id: UUID
    number: int
    recorded_at: datetime
    rate_hz: int
    from_frame: int
    recorded_frame: int
    slip_frames: int = 0
    frames: int
    windows: tuple[Window, ...]
    by_hand: bool = False
    gaps: tuple[Gap, ...] = ()
    origin: str
    # Written once, with the take, and read by whoever has the database: no list carries it.
    rig_sheet: dict[str, Any] = field(default_factory=dict)
    rating: Rating | None = None
    said: str = ""
    note: str = ""
    folder: str
    binned_at: datetime | None = None
    roll_id: UUID | None = None
    sim_tone: dict[str, Any] | None = None
    heard: tuple[UUID, ...] = ()

    @property
    def whole(self) -> Window:
        """All that was recorded."""
        return Window(self.from_frame, self.from_frame + self.frames)

    @property
    def used(self) -> Window:
        """From the first window's beginning to the last one's end; all of it where nothing is used yet."""
        return Window(self.windows[0].from_frame, self.windows[-1].to_frame) if self.windows else self.whole


_WINDOWS = (
    "(SELECT coalesce(json_agg(json_build_array(lower(w), upper(w)) ORDER BY w), '[]') FROM unnest(take.windows) AS w)"
)
_TAKE = (
    "take.id, take.part_id, take.number, take.recorded_at, take.rate_hz, take.from_frame, take.recorded_frame,"
    f" take.slip_frames, take.frames, {_WINDOWS} AS windows, take.by_hand, take.gaps, take.origin, take.rating,"
    " take.said, take.note, take.folder, take.binned_at, take.roll_id, take.heard,"
    # Of the tone that was printed with it, a whole document, the name is told.
    " CASE WHEN take.sim_tone IS NOT NULL THEN jsonb_build_object('name', take.sim_tone -> 'name') END AS sim_tone"
)


# Part by part, the newest first.
_LISTED = "part.position, take.number DESC"


def _from_row(row: dict[str, Any]) -> Take:
    row["windows"] = tuple(Window(*window) for window in row["windows"])
    row["heard"] = tuple(row["heard"])
    row["gaps"] = tuple(Gap(*gap) for gap in row["gaps"])
    return Take(**row)


def _multirange(windows: Sequence[Window]) -> str:
    return "{" + ",".join(f"[{window.from_frame},{window.to_frame})" for window in windows) + "}"


async def add_take(conn: Connection, take: Take, channels: list[TakeChannel]) -> bool:
    """Enter a take with its channels; False when it was entered before, so that entering again is harmless."""
    async with conn.cursor() as cur:
        await cur.execute(
            "INSERT INTO material (id, part_id, kind) VALUES (%s, %s, 'take') ON CONFLICT (id) DO NOTHING",
            (take.id, take.part_id),
        )
        await cur.execute(
            """
            INSERT INTO take (id, part_id, number, recorded_at, rate_hz, from_frame, recorded_frame, slip_frames,
                              frames, windows, by_hand, gaps, origin, rig_sheet, rating, said, note, folder, binned_at,
                              roll_id, sim_tone, heard)
            VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s::int8multirange, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s,
                    %s)
            ON CONFLICT (id) DO NOTHING
            """,
            (
                take.id, take.part_id, take.number, take.recorded_at, take.rate_hz, take.from_frame,
                take.recorded_frame, take.slip_frames, take.frames, _multirange(take.windows), take.by_hand,
                Jsonb([[gap.at_frame, gap.frames] for gap in take.gaps]), take.origin, Jsonb(take.rig_sheet),
                take.rating, take.said, take.note, take.folder, take.binned_at, take.roll_id,
                Jsonb(take.sim_tone) if take.sim_tone else None, list(take.heard),
            ),
        )  # fmt: skip
        if cur.rowcount == 0:
            return False
        await cur.executemany(
            """
            INSERT INTO take_channel (take_id, position, name, kind, file, sha256, checks)
            VALUES (%s, %s, %s, %s, %s, %s, %s)
            """,
            [
                (take.id, channel.position, channel.name, channel.kind, channel.file, channel.sha256,
                 Jsonb(channel.checks))
                for channel in channels
            ],
        )  # fmt: skip
    return True


async def add_take_numbered(conn: Connection, take: Take, channels: list[TakeChannel]) -> tuple[Take, bool]:
    """Enter a take under its own number, or the next free one where a take of its part has that already.

    False beside it where it was entered before.
    """
    number, new = await add_numbered(
        conn, "take", take.part_id, take.number, lambda number: add_take(conn, replace(take, number=number), channels)
    )
    return replace(take, number=number), new


async def list_takes(conn: Connection, session_id: UUID) -> list[Take]:
    """All takes of a session, part by part, the newest first, those in the bin too."""
    return await _of_session(conn, session_id, "")


async def list_kept(conn: Connection, session_id: UUID) -> list[Take]:
    """Takes that are not in the bin, in the same order."""
    return await _of_session(conn, session_id, "AND take.binned_at IS NULL")


async def list_binned(conn: Connection, session_id: UUID) -> list[Take]:
    """Takes in the bin, in the same order."""
    return await _of_session(conn, session_id, "AND take.binned_at IS NOT NULL")


async def _of_session(conn: Connection, session_id: UUID, where: LiteralString) -> list[Take]:
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            f"""
            SELECT {_TAKE} FROM take JOIN part ON part.id = take.part_id
            WHERE part.session_id = %s {where} ORDER BY {_LISTED}
            """,
            (session_id,),
        )
        return [_from_row(row) async for row in in_turns(cur)]


async def get_take(conn: Connection, take_id: UUID) -> Take:
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(f"SELECT {_TAKE} FROM take WHERE id = %s", (take_id,))
        row = await cur.fetchone()
    if row is None:
        raise NotFound("take", take_id)
    return _from_row(row)


async def kept_of_part(conn: Connection, part_id: UUID) -> list[Take]:
    """Takes of a part that are not in the bin, the newest first."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            f"SELECT {_TAKE} FROM take WHERE part_id = %s AND binned_at IS NULL ORDER BY number DESC", (part_id,)
        )
        return [_from_row(row) async for row in in_turns(cur)]


async def kept_placed(conn: Connection, part_id: UUID) -> list[Played]:
    """What the rule of what counts asks for of a part's takes that are not in the bin, the newest first."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            f"""
            SELECT take.id, {_WINDOWS} AS windows, take.from_frame, take.frames, take.rating FROM take
            WHERE part_id = %s AND binned_at IS NULL ORDER BY number DESC
            """,
            (part_id,),
        )
        return [
            Played(
                row["id"], tuple(Window(*each) for each in row["windows"]),
                Window(row["from_frame"], row["from_frame"] + row["frames"]), row["rating"],
            )
            async for row in in_turns(cur)
        ]  # fmt: skip


async def touching(conn: Connection, part_id: UUID, span: Window) -> list[Take]:
    """Takes of a part that are not in the bin and are used somewhere in a range of the session, the newest first."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            f"""
            SELECT {_TAKE} FROM take
            WHERE part_id = %s AND binned_at IS NULL AND windows && int8range(%s, %s) ORDER BY number DESC
            """,
            (part_id, span.from_frame, span.to_frame),
        )
        return [_from_row(row) async for row in in_turns(cur)]


async def takes_by_id(conn: Connection, take_ids: Sequence[UUID]) -> dict[UUID, Take]:
    """Those of some ids that are takes, in one query."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(f"SELECT {_TAKE} FROM take WHERE id = ANY(%s)", (list(take_ids),))
        return {row["id"]: _from_row(row) async for row in in_turns(cur)}


async def numbers_of(conn: Connection, take_ids: Sequence[UUID]) -> dict[UUID, int]:
    """Numbers of those of some ids that are takes: a list that only names them needs no more of them."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute("SELECT id, number FROM take WHERE id = ANY(%s)", (list(take_ids),))
        return {row["id"]: row["number"] async for row in in_turns(cur)}


async def rigs_of(conn: Connection, take_ids: Sequence[UUID]) -> dict[UUID, str]:
    """What tells the rig sheets of some takes from each other."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute("SELECT id, md5(rig_sheet::text) AS told FROM take WHERE id = ANY(%s)", (list(take_ids),))
        return {row["id"]: row["told"] async for row in in_turns(cur)}


async def rig_sheets_of(conn: Connection, take_ids: Sequence[UUID]) -> dict[UUID, dict[str, Any]]:
    """The rigs that some takes were recorded with; a list of takes is read without them."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute("SELECT id, rig_sheet FROM take WHERE id = ANY(%s)", (list(take_ids),))
        return {row["id"]: row["rig_sheet"] async for row in in_turns(cur)}


async def channels_of(conn: Connection, take_ids: list[UUID]) -> dict[UUID, list[TakeChannel]]:
    """Channels of several takes in one query, in their order."""
    found: dict[UUID, list[TakeChannel]] = {take_id: [] for take_id in take_ids}
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            """
            SELECT take_id, position, name, kind, file, sha256, checks, take.channel_names AS called
            FROM take_channel JOIN take ON take.id = take_id
            WHERE take_id = ANY(%s) ORDER BY take_id, position
            """,
            (take_ids,),
        )
        async for row in in_turns(cur):
            found[row.pop("take_id")].append(_channel(row))
    return found


def _channel(row: dict[str, Any]) -> TakeChannel:
    called = {position: (kind, name) for position, kind, name in row.pop("called")}
    if row["position"] not in called:
        return TakeChannel(**row)
    recorded_as = Channel(row["kind"], row["name"])
    kind, name = called[row["position"]]
    return TakeChannel(**{**row, "kind": kind, "name": name}, recorded_as=recorded_as)


async def move_take(
    conn: Connection, take_id: UUID, part_id: UUID, number: int, called: Sequence[tuple[int, Channel]]
) -> None:
    """Let a take be one of another part, under another number, its channels by position called otherwise."""
    names = [[position, channel.kind, channel.name] for position, channel in called]
    await conn.execute(
        "UPDATE take SET part_id = %s, number = %s, channel_names = %s WHERE id = %s",
        (part_id, number, Jsonb(names), take_id),
    )


async def last_rolled(conn: Connection, session_id: UUID) -> list[UUID]:
    """The newest pass of a session that is not in the bin: a take, or those of several parts that rolled as one."""
    async with conn.cursor() as cur:
        await cur.execute(
            """
            WITH rolled AS (
                SELECT take.* FROM take JOIN part ON part.id = take.part_id
                WHERE part.session_id = %s AND take.binned_at IS NULL AND take.origin <> 'imported'
            ), newest AS (SELECT * FROM rolled ORDER BY recorded_at DESC, number DESC LIMIT 1)
            SELECT rolled.id FROM rolled, newest
            WHERE rolled.id = newest.id OR (rolled.roll_id = newest.roll_id AND rolled.from_frame = newest.from_frame
                                            AND rolled.recorded_at >= newest.recorded_at - interval '1 second')
            """,
            (session_id,),
        )
        return [UUID(str(row[0])) async for row in cur]


async def set_binned(conn: Connection, take_id: UUID, *, binned: bool) -> None:
    """Put a take into the bin or take it out again; its audio stays where it is."""
    async with conn.cursor() as cur:
        await cur.execute("UPDATE take SET binned_at = CASE WHEN %s THEN now() END WHERE id = %s", (binned, take_id))
        if cur.rowcount == 0:
            raise NotFound("take", take_id)


async def remove_takes(conn: Connection, take_ids: Sequence[UUID]) -> None:
    """Remove takes for good, and whatever was made of them; their works go too."""
    await conn.execute(
        """
        WITH made AS (DELETE FROM print WHERE material_id = ANY(%(ids)s) RETURNING work_id)
        DELETE FROM work WHERE id IN (SELECT work_id FROM made)
        """,
        {"ids": list(take_ids)},
    )
    await conn.execute("DELETE FROM material WHERE id = ANY(%s)", (list(take_ids),))


async def set_rating(conn: Connection, take_id: UUID, rating: Rating | None) -> None:
    await _change(conn, take_id, "rating = %(value)s", rating)


async def set_note(conn: Connection, take_id: UUID, note: str) -> None:
    await _change(conn, take_id, "note = %(value)s", note)


async def set_windows(conn: Connection, take_id: UUID, windows: Sequence[Window]) -> None:
    """What of a take is used, on the session's time line; it lies inside what was recorded."""
    await _change(conn, take_id, "windows = %(value)s::int8multirange, by_hand = true", _multirange(windows))


async def slip_take(conn: Connection, take_id: UUID, by_frames: int) -> None:
    """Move a take by hand: what was moved so is remembered apart from where its section went."""
    await move_takes(conn, {take_id: by_frames})
    await _change(conn, take_id, "slip_frames = slip_frames + %(value)s", by_frames)


async def bin_unstarred(conn: Connection, part_id: UUID, take_ids: list[UUID]) -> list[UUID]:
    """Of some takes of a part put those without a star into the bin, if any of them has one; which they were."""
    async with conn.cursor() as cur:
        await cur.execute(
            """
            UPDATE take SET binned_at = now()
            WHERE part_id = %(part)s AND id = ANY(%(ids)s) AND binned_at IS NULL AND rating IS DISTINCT FROM 'starred'
              AND EXISTS (SELECT 1 FROM take WHERE part_id = %(part)s AND id = ANY(%(ids)s) AND binned_at IS NULL
                          AND rating = 'starred')
            RETURNING id
            """,
            {"part": part_id, "ids": take_ids},
        )
        return [UUID(str(row[0])) async for row in cur]


async def _change(conn: Connection, take_id: UUID, change: LiteralString, value: object) -> None:
    async with conn.cursor() as cur:
        await cur.execute(f"UPDATE take SET {change} WHERE id = %(id)s", {"id": take_id, "value": value})
        if cur.rowcount == 0:
            raise NotFound("take", take_id)


async def move_takes(conn: Connection, moves: dict[UUID, int]) -> None:
    """Move takes along the time line by so many frames each; their audio and where they were recorded stay."""
    async with conn.cursor() as cur:
        await cur.executemany(
            f"""
            UPDATE take SET from_frame = from_frame + %(by)s, windows = {_MOVED} WHERE id = %(id)s
            """,
            [{"id": take_id, "by": by} for take_id, by in moves.items() if by],
        )


_MOVED = """
    coalesce((SELECT range_agg(int8range(lower(w) + %(by)s, upper(w) + %(by)s)) FROM unnest(windows) AS w), '{}')
"""
