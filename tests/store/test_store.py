from dataclasses import replace
from datetime import UTC, datetime, timedelta
from fractions import Fraction
from uuid import uuid4

import psycopg
import pytest

from fatsignal.core.song.sections import SongSection
from fatsignal.core.takes.windows import Gap, Window
from fatsignal.core.timing.tempo import MeterChange, TempoChange, TempoMap
from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.store import (
    backings,
    interfaces,
    kits,
    parts,
    prints,
    rig_checks,
    rig_sheets,
    sections,
    sessions,
    takes,
    tones,
    works,
)
from fatsignal.store.database import migrate
from fatsignal.store.numbers import highest_number
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.tones import shipped_tones

CHECKS = {"peak_dbfs": -6.0}


@pytest.fixture
async def conn(database_url):
    async with await psycopg.AsyncConnection.connect(database_url) as connection:
        yield connection


async def a_session(conn, folder="Copper Weather", tempo=None):
    return await sessions.add_session(
        conn, name="Copper Weather", artist="Moth Parade", depth="24", folder=folder, song_bars=40,
        tempo=tempo or TempoMap.steady(104, rate_hz=48_000),
    )  # fmt: skip


async def a_part(conn, session, name="Baritone", armed=True):
    return await parts.add_part(conn, session_id=session.id, name=name, rig={}, written=[], armed=armed)


async def a_take(conn, part, number=1, **changes):
    values = {
        "id": uuid4(),
        "part_id": part.id,
        "number": number,
        "recorded_at": datetime.now(UTC),
        "rate_hz": 48_000,
        "from_frame": 1000,
        "recorded_frame": 1000,
        "frames": 5000,
        "windows": (Window(2000, 5000),),
        "origin": "rolled",
        "rig_sheet": {},
        "note": "",
        "folder": "x",
        "binned_at": None,
    }
    take = Take(**(values | changes))
    channel = TakeChannel(position=0, name="DI", kind="di", file="a.wav", sha256="0" * 64, checks=CHECKS)
    await takes.add_take(conn, take, [channel])
    return take


async def test_migrations_run_once(database_url):
    assert await migrate(database_url) == []


async def test_a_session_keeps_its_tempo_map_exactly(conn):
    tempo = TempoMap(
        44_100,
        (TempoChange(1, Fraction(311, 3), ramp=True), TempoChange(9, Fraction("104.2"), meant=True)),
        (MeterChange(1, 3), MeterChange(5, 7, 8, meant=True)),
        12_345,
    )
    session = await a_session(conn, tempo=tempo)
    again = await sessions.get_session(conn, session.id)
    assert again == session
    assert again.tempo == tempo
    other = TempoMap.steady(90, rate_hz=44_100)
    await sessions.set_tempo(conn, session.id, tempo=other, song_bars=12)
    changed = await sessions.get_session(conn, session.id)
    assert (changed.tempo, changed.song_bars) == (other, 12)


async def test_one_part_is_armed_at_a_time_unless_they_are_armed_together(conn):
    session = await a_session(conn)
    first, second = await a_part(conn, session), await a_part(conn, session, "Bass", armed=False)

    async def armed():
        return [part.armed for part in await parts.list_parts(conn, session.id)]

    async def arm_together(together):
        await sessions.set_about(
            conn, session.id, name="x", artist="", depth="24", reference_pitch_hz=442.5, arm_together=together
        )

    await parts.arm_part(conn, second.id)
    assert await armed() == [False, True]
    await arm_together(True)
    await parts.arm_part(conn, first.id)
    assert await armed() == [True, True]
    await arm_together(False)
    await parts.disarm_all_but_first(conn, session.id)
    assert await armed() == [True, False]
    assert float((await sessions.get_session(conn, session.id)).reference_pitch_hz) == 442.5


async def test_parts_of_a_session_have_names_of_their_own(conn):
    session = await a_session(conn)
    await a_part(conn, session)
    await conn.commit()
    with pytest.raises(InvalidSetting, match="there is a part named Baritone already"):
        await a_part(conn, session)


async def test_sections_change_places_in_one_go_and_keep_their_ids(conn):
    session = await a_session(conn)
    intro, verse = SongSection(uuid4(), "Intro", 1, 4, 2), SongSection(uuid4(), "Verse", 5, 8, 4)
    await sections.replace_sections(conn, session.id, [intro, verse])
    turned = [replace(verse, first_bar=1), replace(intro, first_bar=9)]
    await sections.replace_sections(conn, session.id, turned)
    assert [section.in_song for section in await sections.list_sections(conn, session.id)] == turned
    await sections.replace_sections(conn, session.id, [])
    assert await sections.list_sections(conn, session.id) == []


async def test_a_take_keeps_any_number_of_windows_and_what_the_device_lost(conn):
    part = await a_part(conn, await a_session(conn))
    windows = (Window(1000, 1500), Window(2000, 2400), Window(4000, 6000))
    take = await a_take(conn, part, windows=windows, gaps=(Gap(17, 480),), by_hand=True)
    found = await takes.get_take(conn, take.id)
    assert (found.windows, found.gaps, found.by_hand) == (windows, (Gap(17, 480),), True)
    assert (found.used, found.whole) == (Window(1000, 6000), Window(1000, 6000))
    empty = await takes.get_take(conn, (await a_take(conn, part, 2, windows=())).id)
    assert (empty.windows, empty.used) == ((), Window(1000, 6000))
    await takes.move_takes(conn, {take.id: -700, empty.id: 5})
    assert (await takes.get_take(conn, take.id)).windows[1] == Window(1300, 1700)
    assert (await takes.get_take(conn, empty.id)).windows == ()


async def test_the_last_pass_is_that_of_all_parts_that_rolled_as_one(conn):
    session = await a_session(conn)
    first, second = await a_part(conn, session), await a_part(conn, session, "Bass", armed=False)
    roll, now = uuid4(), datetime.now(UTC)
    for minute, (part, number) in enumerate([(first, 1), (first, 2), (second, 1)]):
        await a_take(conn, part, number, recorded_at=now - timedelta(minutes=10 - minute), roll_id=uuid4())
    together = [await a_take(conn, part, 3, recorded_at=now, roll_id=roll) for part in (first, second)]
    await a_take(conn, first, 4, recorded_at=now + timedelta(hours=1), origin="imported")
    assert set(await takes.last_rolled(conn, session.id)) == {take.id for take in together}
    # The pass before, of the same loop, is another one.
    later = await a_take(conn, first, 5, recorded_at=now + timedelta(seconds=8), roll_id=roll)
    assert await takes.last_rolled(conn, session.id) == [later.id]
    await takes.set_binned(conn, later.id, binned=True)
    assert len(await takes.last_rolled(conn, session.id)) == 2


async def test_takes_move_with_their_window_and_remember_where_they_were_recorded(conn):
    take = await a_take(conn, await a_part(conn, await a_session(conn)))
    await takes.move_takes(conn, {take.id: 700})
    moved = await takes.get_take(conn, take.id)
    assert (moved.from_frame, moved.windows) == (1700, (Window(2700, 5700),))
    assert moved.recorded_frame == 1000


async def test_kits_are_found_by_instrument_use_and_words(conn):
    for name, instrument, use, words in (
        ("Bass into the box", "four-string bass", "takes", ["bass", "DI only"]),
        ("Bright double", "six-string guitar", "takes", ["bright", "DI only"]),
        ("Late at night", "six-string guitar", "writing", ["quiet"]),
    ):
        await kits.add_kit(conn, name=name, instrument=instrument, use=use, words=words, rig={"a": 1})

    async def found(**query):
        return [kit.name for kit in await kits.find_kits(conn, **query)]

    assert await found() == ["Bass into the box", "Bright double", "Late at night"]
    assert await found(words=["bass"]) == ["Bass into the box"]
    assert await found(words=["di", "BRIGHT"]) == ["Bright double"]
    assert await found(words=["writing"]) == ["Late at night"]
    assert await found(instrument="six-string guitar", words=["only"]) == ["Bright double"]
    assert await found(words=["100%"]) == []
    await conn.commit()
    with pytest.raises(InvalidSetting, match="there is a kit named Late at night already"):
        await kits.add_kit(conn, name="Late at night", instrument="x", use="", words=[], rig={})


async def test_a_frozen_sheet_never_changes(conn):
    part = await a_part(conn, await a_session(conn))
    sheet = await rig_sheets.freeze_sheet(conn, part_id=part.id, name="close", frozen={"entries": []})
    assert await rig_sheets.list_sheets(conn, part.session_id) == [sheet]
    with pytest.raises(psycopg.errors.RaiseException, match="frozen"):
        await conn.execute("UPDATE rig_sheet SET name = 'far'")


async def test_the_newest_check_of_each_kind_counts(conn):
    part = await a_part(conn, await a_session(conn))
    for verdict in ("fix", "good"):
        for kind in ("level", "noise"):
            await rig_checks.add_check(conn, part_id=part.id, kind=kind, verdict=verdict, says=verdict, result={})
    assert [(check.kind, check.says) for check in await rig_checks.newest_checks(conn, part.id)] == [
        ("level", "good"), ("noise", "good"),
    ]  # fmt: skip


async def test_a_record_offset_is_kept_for_each_rate_and_buffer(conn):
    await interfaces.keep_settings(conn, "x", {"buffer_frames": 256})
    await interfaces.keep_settings(conn, "x", {"buffer_frames": 128})
    assert await interfaces.get_settings(conn, "x") == {"buffer_frames": 128}
    for frames in (575.4, 575.6):
        await interfaces.keep_offset(
            conn, "x", rate_hz=48_000, buffer_frames=256, offset_frames=frames, spread_frames=0.1
        )
    found = await interfaces.get_offset(conn, "x", rate_hz=48_000, buffer_frames=256)
    assert found is not None
    assert found.whole_frames == 576
    assert await interfaces.get_offset(conn, "x", rate_hz=44_100, buffer_frames=256) is None


async def test_backing_tracks_are_placed_and_entered_once(conn):
    session = await a_session(conn)
    values = {"name": "Drums", "file": "Backing/Drums.wav", "origin": "file", "frames": 9, "channels": 2}
    more = {"placed_frame": 5, "loudness_lufs": None, "pulse": {"bpm": 104.0}, "backing_id": uuid4()}
    first = await backings.add_backing(conn, session_id=session.id, **values, **more)
    assert (await backings.add_backing(conn, session_id=session.id, **values, **more)).id == first.id
    await backings.place_backing(conn, first.id, placed_frame=-3, gain_db=-6)
    (kept,) = await backings.list_backings(conn, session.id)
    assert (kept.placed_frame, kept.gain_db, kept.pulse) == (-3, -6, {"bpm": 104.0})
    await backings.remove_backing(conn, first.id)
    assert await backings.list_backings(conn, session.id) == []


async def test_entering_a_take_twice_is_harmless(conn):
    part = await a_part(conn, await a_session(conn))
    take = await a_take(conn, part)
    assert await takes.add_take(conn, take, []) is False
    assert len((await takes.channels_of(conn, [take.id]))[take.id]) == 1


@pytest.mark.parametrize(
    ("changes", "constraint"),
    [
        ({"windows": (Window(2000, 7000),)}, "take_windows_inside"),
        ({"windows": (Window(500, 900), Window(2000, 5000))}, "take_windows_inside"),
        ({"rating": "splendid"}, "take_rating_known"),
        ({"frames": 0}, "take_frames_range"),
        ({"origin": "copied"}, "take_origin_known"),
        ({"number": 0}, "take_number_range"),
    ],
)
async def test_the_database_keeps_the_rules_of_a_take(conn, changes, constraint):
    part = await a_part(conn, await a_session(conn))
    with pytest.raises(psycopg.errors.CheckViolation, match=constraint):
        await a_take(conn, part, **changes)


async def test_the_bin_keeps_takes_and_numbers_are_never_used_twice(conn):
    session = await a_session(conn)
    part = await a_part(conn, session)
    take = await a_take(conn, part, 4)
    await takes.set_binned(conn, take.id, binned=True)
    assert (await takes.list_takes(conn, session.id))[0].binned_at is not None
    assert await highest_number(conn, "take", part.id) == 4
    await takes.set_binned(conn, take.id, binned=False)
    assert (await takes.get_take(conn, take.id)).binned_at is None
    with pytest.raises(NotFound):
        await takes.set_binned(conn, uuid4(), binned=True)


async def test_who_comes_second_under_a_number_gets_the_next_free_one(conn):
    part = await a_part(conn, await a_session(conn))
    await a_take(conn, part, 2)
    take = await a_take(conn, part, 3)
    later = replace(take, id=uuid4(), number=2, folder="Song/Later")
    numbered, new = await takes.add_take_numbered(conn, later, [])
    assert (numbered.number, new) == (4, True)
    assert await takes.add_take_numbered(conn, numbered, []) == (numbered, False)


async def test_a_tone_that_sounds_the_same_is_the_same_revision_and_a_change_a_new_one(conn):
    kiln = shipped_tones()[1]
    first = await tones.keep_tone(conn, kiln)
    assert (await tones.keep_tone(conn, kiln)).id == first.id
    changed = await tones.keep_tone(conn, kiln.model_copy(update={"use": "louder"}))
    assert (changed.revision, changed.tone_id) == (2, first.tone_id)
    assert [revision.revision for revision in await tones.list_newest(conn)] == [2]
    with pytest.raises(psycopg.errors.RaiseException, match="immutable"):
        await conn.execute("UPDATE tone_revision SET revision = 9")


async def test_tones_are_listed_in_the_order_they_were_made(conn):
    for tone in shipped_tones():
        await tones.keep_tone(conn, tone)
    assert [revision.name for revision in await tones.list_newest(conn)] == [tone.name for tone in shipped_tones()]


def of(take, revision, fingerprint="f"):
    return {"material_id": take.id, "material_fingerprint": fingerprint, "tone_revision_id": revision.id}


async def test_a_print_is_asked_for_once_and_again_only_after_it_failed(conn):
    session = await a_session(conn)
    take = await a_take(conn, await a_part(conn, session))
    revision = await tones.keep_tone(conn, shipped_tones()[0])
    first, asked = await prints.ask_for_print(conn, **of(take, revision))
    again, asked_again = await prints.ask_for_print(conn, **of(take, revision))
    assert (asked, asked_again, again.id) == (True, False, first.id)
    holder = uuid4()
    assert await works.claim(conn, first.work_id, holder=holder)
    await works.end(conn, first.work_id, holder=holder, state="failed", problem="no DI")
    failed = await prints.get_print(conn, first.id)
    assert (failed.state, failed.problem) == ("failed", "no DI")
    anew, asked = await prints.ask_for_print(conn, **of(take, revision))
    assert (anew.id, asked, anew.state, anew.problem) == (first.id, True, "waiting", "")


async def test_a_material_that_sounds_otherwise_by_now_has_another_print(conn):
    take = await a_take(conn, await a_part(conn, await a_session(conn)))
    revision = await tones.keep_tone(conn, shipped_tones()[0])
    first, _ = await prints.ask_for_print(conn, **of(take, revision, "before"))
    second, asked = await prints.ask_for_print(conn, **of(take, revision, "after"))
    assert asked
    assert first.id != second.id


async def test_a_finished_print_is_ready_and_never_asked_for_again(conn):
    take = await a_take(conn, await a_part(conn, await a_session(conn)))
    revision = await tones.keep_tone(conn, shipped_tones()[0])
    print_, _ = await prints.ask_for_print(conn, **of(take, revision))
    await prints.set_file(conn, print_.id, file="a.wav", sha256="0" * 64, frames=10, origin={}, checks={})
    again, asked = await prints.ask_for_print(conn, **of(take, revision))
    assert (again.state, asked) == ("ready", False)
    with pytest.raises(psycopg.errors.CheckViolation, match="print_whole"):
        await conn.execute("UPDATE print SET origin = NULL")
