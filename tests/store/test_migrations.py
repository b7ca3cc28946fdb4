"""What the first versions stored is still there, in the shapes of today."""

import json
from importlib.resources import files

import psycopg
import pytest
from psycopg import sql

from fatsignal.rig.setup import RigSetup
from fatsignal.store import parts, sections, sessions, takes
from fatsignal.store.database import migrate

OLD_RIG = {
    "instrument": "baritone guitar", "pickup_inductance_h": 2.5, "pickup_resistance_ohm": 6000.0,
    "pickup_capacitance_farad": 1.2e-10, "cable_farad": 5e-10, "input_ohm": 1e6, "string_volts": 0.85,
    "amp_name": "valve combo", "amp": [{"kind": "first_stages", "stages": 2, "drive": 1.7}], "speaker": "1x12 open",
    "mics": [
        {"name": "mic A", "kind": "ribbon", "distance_m": 0.05, "gain_db": -19.0},
        {
            "name": "mic B", "kind": "coil", "distance_m": 0.081, "off_centre_m": 0.048, "angle_deg": 12,
            "gain_db": -19.0,
        },
    ],
}  # fmt: skip


@pytest.fixture
async def first_version(postgres):
    """A database as the version with migrations 1 to 3 left it, with a session, a section, a part and a take."""
    name = "old_version"
    with psycopg.connect(postgres, autocommit=True) as server:
        server.execute(sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name)))
        server.execute(sql.SQL("CREATE DATABASE {}").format(sql.Identifier(name)))
    url = postgres.rsplit("/", 1)[0] + "/" + name
    folder = files("fatsignal.store") / "migrations"
    with psycopg.connect(url, autocommit=True) as conn:
        conn.execute("CREATE TABLE migration (name text PRIMARY KEY, ran_at timestamptz NOT NULL DEFAULT now())")
        for entry in sorted(folder.iterdir(), key=lambda path: path.name)[:3]:
            conn.execute(entry.read_text().encode())
            conn.execute("INSERT INTO migration (name) VALUES (%s)", (entry.name,))
        session = conn.execute(
            """
            INSERT INTO session (name, rate_hz, depth, tempo_bpm, beats_per_bar, folder, count_in_bars)
            VALUES ('Copper Weather', 48000, '24', '311/3', 3, 'Copper Weather', 2) RETURNING id
            """
        ).fetchone()[0]
        conn.execute(
            """
            INSERT INTO section (session_id, position, name, first_bar, bars, phrase_bars)
            VALUES (%s, 0, 'Intro', 1, 4, 2), (%s, 1, 'Verse', 5, 8, 4)
            """,
            (session, session),
        )
        part = conn.execute(
            """
            INSERT INTO part (session_id, position, name, rig, armed) VALUES (%s, 0, 'Baritone', %s, true)
            RETURNING id
            """,
            (session, json.dumps(OLD_RIG)),
        ).fetchone()[0]
        conn.execute(
            """
            INSERT INTO take (id, part_id, number, recorded_at, rate_hz, from_frame, frames, window_from_frame,
                              window_to_frame, origin, rig_sheet, folder)
            VALUES (gen_random_uuid(), %s, 1, now(), 48000, 166720, 90000, 166720, 250000, 'rolled', '{}', 'x')
            """,
            (part,),
        )
    return url


async def test_an_old_session_opens_with_its_tempo_bars_rig_and_takes(first_version):
    assert "0004_song_and_rig.sql" in await migrate(first_version)
    async with await psycopg.AsyncConnection.connect(first_version) as conn:
        (session,) = await sessions.list_sessions(conn)
        assert str(session.tempo.tempos[0].bpm) == "311/3"
        assert session.tempo.meters[0].beats == 3
        assert session.click_settings.roll_count_in_bars == 2
        # Two bars of lead-in lay before bar 1: 6 beats of 60·48000·3/311 frames.
        assert session.bar_one_frame == round(6 * 60 * 48_000 * 3 / 311)
        assert session.song_bars == 12
        assert [s.name for s in await sections.list_sections(conn, session.id)] == ["Intro", "Verse"]
        (part,) = await parts.list_parts(conn, session.id)
        rig = RigSetup.model_validate(part.rig)
        assert (rig.instrument, rig.pickup.inductance_h) == ("baritone guitar", 2.5)
        assert [(m.name, m.kind, m.distance_m, m.input.number) for m in rig.mics] == [
            ("mic A", "ribbon", 0.05, 2), ("mic B", "coil", 0.081, 3),
        ]  # fmt: skip
        assert (rig.mics[1].off_centre_m, rig.mics[1].turned_deg) == (0.048, -12)
        (take,) = await takes.list_takes(conn, session.id)
        assert take.recorded_frame == take.from_frame == 166_720
