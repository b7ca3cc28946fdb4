"""The bench of a part through the application's own routes: turned, undone, kept, held against others."""

import io
from uuid import UUID, uuid4

import numpy as np
import pytest
import soundfile

from fatsignal.acts.arming import tone_played_through
from fatsignal.engine.orders import BenchOrder
from fatsignal.store import parts, tones
from fatsignal.tones import shipped_tones
from tests.signals import FS, plucks
from tests.web.comped import Song
from tests.web.test_imports import as_file


class OnBench:
    """A song with two takes, and the bench of its part."""

    def __init__(self, song):
        self.song, self.client = song, song.client
        self.address = f"/api/parts/{song.part['id']}/bench"

    async def look(self):
        return await self.ask("get", "")

    async def ask(self, method, path, body=None, expect=200, **options):
        more = {} if body is None else {"json": body}
        answer = await self.client.request(method.upper(), f"{self.address}{path}", **more, **options)
        assert answer.status_code == expect, answer.text
        return answer.json() if answer.content else None

    async def turn(self, value=4.0, expect=200, **changes):
        blocks = (await self.look())["blocks"]
        at = next(index for index, block in enumerate(blocks) if block["kind"] == "preamp")
        edit = {"do": "set", "block": at, "kind": "preamp", "path": ["gain"], "value": value, **changes}
        return await self.ask("post", "/edits", edit, expect=expect)

    async def undo(self, way="undo"):
        answer = await self.client.post(f"{self.song.address}/{way}")
        assert answer.status_code == 200, answer.text
        return answer.json()["did"]

    @property
    def orders(self):
        return self.client.engine.orders


def value(bench, label, kind="preamp"):
    block = next(each for each in bench["blocks"] if each["kind"] == kind)
    return next(each["value"] for group in block["groups"] for each in group["controls"] if each["label"] == label)


@pytest.fixture
async def bench(client):
    async with client.pool.connection() as conn:
        for tone in shipped_tones():
            await tones.keep_tone(conn, tone)
    return OnBench(await Song(client).make(1, 2))


async def test_a_part_begins_with_a_tone_that_suits_it_and_what_it_sounds_like_goes_round(bench):
    shown = await bench.look()
    assert shown["tone_name"] == "Foundry" or shown["blocks"]
    assert (shown["from_bar"], shown["to_bar"]) == (1, 5)
    assert [each["key"] for each in shown["sounds"]] == ["tone", "mic", "kept", "dry"]
    assert [each["name"] for each in shown["sources"]][:1] == ["what it sounds like"]
    assert shown["heard"] == "tone"
    assert not shown["changed"]


async def test_a_turn_is_heard_kept_by_the_server_and_undone_to_the_bit(bench):
    before = await bench.look()
    for drive in (4.0, 4.1, 4.2):
        after = await bench.turn(drive)
    assert value(after, "gain") == 4.2
    assert value(await bench.look(), "gain") == 4.2
    assert after["changed"]
    heard = [order for order in bench.orders if order[0] == "turn"]
    assert [block.gain for block in heard[-1][2].blocks if block.kind == "preamp"] == [4.2]
    # Small steps of one value are one act.
    assert "gain 4.2" in await bench.undo()
    assert (await bench.look())["revision"] == before["revision"]
    # What is undone is heard.
    assert [order for order in bench.orders if order[0] == "turn"][-1][2].name == before["tone_name"]
    assert "gain 4.2" in await bench.undo("redo")
    assert value(await bench.look(), "gain") == 4.2


async def test_blocks_move_only_as_the_page_saw_them_and_a_value_turns_whatever_else_was_turned(bench):
    seen = (await bench.look())["revision"]
    await bench.turn(4.0)
    refused = await bench.ask(
        "post", "/edits", {"do": "move", "block": 0, "to": 1}, expect=412, headers={"If-Match": seen}
    )
    assert "changed meanwhile" in refused["detail"]
    # The other page turns another value: both stand.
    blocks = (await bench.look())["blocks"]
    at = next(index for index, block in enumerate(blocks) if block["kind"] == "trim")
    await bench.ask(
        "post", "/edits", {"do": "set", "block": at, "kind": "trim", "path": ["gain_db"], "value": -9},
        headers={"If-Match": seen},
    )  # fmt: skip
    shown = await bench.look()
    assert (value(shown, "gain"), value(shown, "out", "trim")) == (4.0, -9)


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        ({"do": "set", "block": 0, "kind": "trim", "path": ["gain_db"], "value": 0}, "look again"),
        ({"do": "set", "block": 23, "kind": "trim", "path": ["gain_db"], "value": 0}, "none at place 24"),
        ({"do": "add", "kind": "flux", "at": 0}, "no block of the kind flux"),
        ({"do": "explode"}, "do"),
        ({"do": "set", "block": 0, "kind": "x" * 50, "path": [], "value": 0}, "40 characters"),
    ],
)
async def test_what_cannot_be_is_answered_with_a_sentence_and_nothing_changes(bench, edit, says):
    before = await bench.look()
    refused = await bench.ask("post", "/edits", edit, expect=422)
    assert says in str(refused)
    assert await bench.look() == before


async def test_a_value_beyond_its_limits_is_refused(bench):
    refused = await bench.turn(12.0, expect=422)
    assert "less than or equal to 10, not 12" in refused["detail"]


async def test_a_tone_is_kept_as_its_next_revision_or_under_a_name_of_its_own(bench):
    first = await bench.look()
    await bench.turn(4.0)
    kept = await bench.ask("post", "/kept", {"name": first["tone_name"], "use": "mine"}, expect=201)
    assert (kept["kept_revision"], kept["changed"], kept["use"]) == (first["kept_revision"] + 1, False, "mine")
    await bench.turn(5.0)
    own = await bench.ask("post", "/kept", {"name": "Own", "use": ""}, expect=201)
    assert (own["tone_name"], own["kept_revision"]) == ("Own", 1)
    names = [each["name"] for each in (await bench.client.get("/api/tones")).json()]
    assert {"Own", first["tone_name"]} <= set(names)
    # An older revision can be taken up again, and that is one undo away.
    back = await bench.ask("post", "/tone", {"tone_revision_id": first["kept_revision_id"]})
    assert (back["tone_name"], back["changed"]) == (first["tone_name"], False)
    await bench.undo()
    assert (await bench.look())["tone_name"] == "Own"


async def test_two_tones_are_put_aside_and_taken_up_again(bench):
    first = await bench.look()
    await bench.ask("post", "/aside", {"letter": "A"})
    await bench.turn(9.0)
    shown = await bench.ask("post", "/aside", {"letter": "B"})
    assert [each["key"] for each in shown["sounds"]] == ["tone", "mic", "kept", "A", "B", "dry"]
    back = await bench.ask("post", "/tone", {"aside": "A"})
    assert back["revision"] == first["revision"]
    assert (await bench.ask("post", "/tone", {"aside": "B"}))["revision"] == shown["revision"]


async def test_all_sounds_are_measured_over_one_stretch_and_made_equally_loud(bench):
    shown = await bench.ask("get", "/measured")
    by_key = {each["key"]: each for each in shown["sounds"]}
    assert set(by_key) == {"tone", "mic", "kept", "dry"}
    loud = [each["loudness_lufs"] + each["gain_db"] for each in shown["sounds"]]
    np.testing.assert_allclose(loud, loud[0], atol=0.02)
    # The microphone here is the dry take at half its level: the same spectrum, 6 dB lower.
    assert by_key["mic"]["loudness_lufs"] - by_key["dry"]["loudness_lufs"] == pytest.approx(-6.02, abs=0.1)
    np.testing.assert_allclose(by_key["mic"]["thirds_db"], by_key["dry"]["thirds_db"], atol=0.1)
    assert by_key["tone"]["apart_db"] == 0
    assert by_key["kept"]["apart_db"] == 0
    assert len(shown["bands_hz"]) == len(by_key["tone"]["thirds_db"])
    assert 500 < len(shown["columns"]) <= 600
    assert max(abs(each) for pair in shown["columns"] for each in pair) == 127
    assert ("hear", bench.orders[-1][1], None, {each["key"]: each["gain_db"] for each in shown["sounds"]}) in [
        order for order in bench.orders if order[0] == "hear"
    ]
    await bench.turn(9.5)
    turned = {each["key"]: each for each in (await bench.ask("get", "/measured"))["sounds"]}
    assert turned["tone"]["loudness_lufs"] != by_key["tone"]["loudness_lufs"]
    assert turned["kept"]["apart_db"] > 0


async def test_the_drive_is_matched_by_its_own_knobs_as_one_act(bench):
    await bench.turn(9.5)
    before = await bench.look()
    matched = await bench.ask("post", "/matched", {"key": "mic", "what": "drive"})
    assert "Preamp, gain 9.5 to " in matched["says"]
    assert value(matched["bench"], "gain") < 9.5
    assert bench.orders[-1][0] == "turn"
    measured = await bench.ask("get", "/measured")
    told = {each["key"]: each["loudness_lufs"] for each in measured["sounds"]}
    assert told["tone"] == pytest.approx(told["mic"], abs=1.0)
    assert (await bench.undo()).endswith("drive of miked amp, mic A")
    assert (await bench.look())["blocks"] == before["blocks"]
    await bench.ask("post", "/matched", {"key": "mic", "what": "size"}, expect=422)


async def test_what_goes_round_is_a_take_a_comp_and_bars_of_it(bench):
    take = bench.song.takes[0]
    shown = await bench.ask("put", "/source", {"material_id": take["id"], "from_bar": 2, "to_bar": 4})
    assert (shown["material_id"], shown["from_bar"], shown["to_bar"]) == (take["id"], 2, 4)
    assert shown["to_frame"] - shown["from_frame"] == 2 * FS
    for body, says in (
        ({"material_id": take["id"], "from_bar": 4, "to_bar": 2}, "end before they begin"),
        ({"material_id": take["id"], "from_bar": 4}, "give both"),
    ):
        assert says in (await bench.ask("put", "/source", body, expect=422))["detail"]
    await bench.ask("put", "/source", {"material_id": str(uuid4())}, expect=422)
    assert (await bench.look())["material_id"] == take["id"]
    await bench.undo()
    assert (await bench.look())["material_id"] is None


async def test_a_part_without_anything_dry_says_what_to_do(bench):
    answer = await bench.client.post(
        f"{bench.song.address}/parts", json={"name": "Empty", "instrument": "six-string guitar"}
    )
    address = f"/api/parts/{answer.json()['id']}/bench"
    refused = await bench.client.get(address)
    assert refused.status_code == 422
    assert "nothing dry yet: roll a take, or bring in a DI file" in refused.json()["detail"]


async def test_a_file_without_a_rig_sheet_is_told_as_it_plays_and_a_person_knows_better(bench):
    shown = await bench.look()
    assert shown["voltage"]["how"] == "measured"
    assert "plays like a passive single coil of a baritone guitar at about" in shown["voltage"]["says"]
    # By hand: the loudest stroke is five thirds of what a string gives, 0.85 V.
    peak_dbfs = max(each["channels"][0]["checks"]["peak_dbfs"] for each in bench.song.takes[:1])
    assert shown["voltage"]["full_scale_v"] == pytest.approx(5 / 3 * 0.85 / 10 ** (peak_dbfs / 20), rel=0.5)
    typed = await bench.ask("put", "/voltage", {"full_scale_v": 8.0})
    assert (typed["voltage"]["full_scale_v"], typed["voltage"]["how"]) == (8.0, "typed")
    assert (await bench.ask("put", "/voltage", {"full_scale_v": None}))["voltage"] == shown["voltage"]
    for wrong in (0, -3, 1e6):
        await bench.ask("put", "/voltage", {"full_scale_v": wrong}, expect=422)


async def test_it_sounds_from_where_the_song_is_and_goes_on_there_when_something_else_is_laid(bench):
    shown = await bench.look()
    at = shown["from_frame"] + FS
    await bench.ask("post", "/sounding", {"from_frame": at}, expect=204)
    order = bench.orders[-1]
    assert (order.start_frame, order.from_frame, order.heard) == (at, shown["from_frame"], "tone")
    assert order.full_scale_v == pytest.approx(shown["voltage"]["full_scale_v"], abs=0.01)
    bench.client.engine.bench_frame = at + 777
    await bench.ask("post", "/aside", {"letter": "A"})
    assert bench.orders[-1].start_frame == at + 777
    assert [sound.key for sound in bench.orders[-1].sounds] == ["tone", "mic", "kept", "A", "dry"]
    await bench.ask("put", "/heard", {"key": "mic"}, expect=204)
    assert ("hear", bench.orders[-1][1], "mic", {}) in bench.orders
    assert (await bench.look())["heard"] == "mic"
    # A turn that was under way leaves what is heard as it is.
    assert (await bench.turn(3.0))["heard"] == "mic"
    await bench.ask("put", "/heard", {"key": "nobody"}, expect=404)
    await bench.ask("delete", "/sounding", expect=204)


async def test_other_tones_are_laid_beside_and_one_that_is_gone_is_told(bench):
    kept = (await bench.client.get("/api/tones")).json()
    key = f"revision:{kept[-1]['id']}"
    shown = await bench.ask("put", "/beside", {"keys": [key, key]})
    assert shown["beside"] == [key]
    assert kept[-1]["name"] in next(each["name"] for each in shown["sounds"] if each["key"] == key)
    await bench.ask("put", "/beside", {"keys": [f"revision:{uuid4()}"]}, expect=404)
    await bench.ask("put", "/beside", {"keys": ["../../etc"]}, expect=422)
    assert (await bench.look())["beside"] == [key]


async def test_a_part_may_be_played_through_what_is_turned(bench):
    address = f"/api/parts/{bench.song.part['id']}/monitoring"
    wanted = {"hear": "tone", "when": "always", "from_bench": True}
    heard = (await bench.client.put(address, json=wanted)).json()
    assert heard["tone_name"] == (await bench.look())["tone_name"]
    await bench.turn(7.0)
    turned = [order for order in bench.orders if isinstance(order, tuple) and order[0] == "turn"]
    assert turned[-1][3] is True
    refused = await bench.client.put(address, json={"hear": "tone"})
    assert refused.status_code == 422
    # What is rolled next is played through it as it is then; a kept revision is no part of it.
    async with bench.client.pool.connection() as conn:
        played = await tone_played_through(conn, await parts.get_part(conn, UUID(bench.song.part["id"])))
    assert played.revision_id is None
    assert next(block.gain for block in played.tone.blocks if block.kind == "preamp") == 7.0


async def test_curves_follow_the_tone(bench):
    before = await bench.ask("get", "/curves")
    assert [each["kind"] for each in before] == [each["kind"] for each in (await bench.look())["blocks"]]
    await bench.turn(9.9)
    after = await bench.ask("get", "/curves")
    changed = [one["kind"] for one, other in zip(before, after, strict=True) if one["y"] != other["y"]]
    assert changed == ["preamp"]


async def test_pieces_of_a_comp_that_were_recorded_with_other_gains_are_brought_to_one_voltage(bench):
    """The same playing twice, once turned down by 12 dB and told so in volts: on the bench they are one level."""
    dry = plucks(8.0, seed=9)
    ids = []
    for level in (1.0, 10 ** (-12 / 20)):
        files = []
        written = io.BytesIO()
        soundfile.write(written, level * 0.5 * dry, FS, format="WAV", subtype="FLOAT")
        files.append(("files", ("DI.wav", written.getvalue())))
        data = {"part_id": bench.song.part["id"], "kinds": "di", "placing": "bar", "bar": "1"}
        taken = await bench.client.post(f"{bench.song.address}/imports", files=files, data=data)
        ids.append(taken.json()["id"])
        bench.song.takes.append(taken.json())
    for take_id, volts in zip(ids, (2.0, 2.0 * 10 ** (12 / 20)), strict=True):
        await bench.ask("put", "/source", {"material_id": take_id})
        await bench.ask("put", "/voltage", {"full_scale_v": volts})
    for number, bars in ((2, (1, 2)), (3, (3, 4))):
        await bench.song.use(number, *bars)
    await bench.ask("put", "/source", {"material_id": None, "from_bar": 1, "to_bar": 5})
    await bench.ask("post", "/sounding", {}, expect=204)
    order = bench.orders[-1]
    assert order.full_scale_v == pytest.approx(2.0)
    gains = {piece.source_id: piece.gain_db for piece in order.dry.pieces}
    assert [round(gains[source.id], 2) for source in order.dry.sources if str(source.id) in ids] == [0.0, 12.0]


async def test_a_tone_is_brought_to_the_balance_and_level_of_another_sound(bench):
    """To the miked amp, here the dry signal at half its level: nearer afterwards, in balance and in loudness."""

    async def apart():
        told = await bench.ask("get", "/measured")
        own, mic = (next(each for each in told["sounds"] if each["key"] == key) for key in ("tone", "mic"))
        return mic["apart_db"], abs(mic["loudness_lufs"] - own["loudness_lufs"])

    before = await apart()
    matched = await bench.ask("post", "/matched", {"key": "mic"})
    assert matched["says"].startswith("miked amp, mic A: within ")
    kinds = [block["kind"] for block in matched["bench"]["blocks"]]
    assert kinds[-2:] == ["equaliser", "trim"]
    after = await apart()
    assert after[0] < 0.5 * before[0]
    assert after[1] < 0.7
    # An act of its own, undone at once.
    assert "balance of miked amp" in await bench.undo()
    assert [block["kind"] for block in (await bench.look())["blocks"]] == [
        kind for kind in kinds if kind != "equaliser"
    ]
    await bench.ask("post", "/matched", {"key": "nothing"}, expect=404)


async def test_a_file_of_ones_own_goes_round_beside_the_tone_and_can_be_matched(bench):
    """At another rate, in stereo, shorter than the loop: brought to the rate here, it comes again and again."""
    mine = np.column_stack([plucks(1.5, seed=7, rate_hz=44_100), plucks(1.5, seed=8, rate_hz=44_100)])
    address = f"{bench.address}/references"
    answer = await bench.client.post(address, files={"file": ("my mix.wav", as_file(mine, 44_100))})
    assert answer.status_code == 201, answer.text
    shown = answer.json()
    (sound,) = [each for each in shown["sounds"] if each["kind"] == "file"]
    assert sound["name"] == "my mix"
    told = await bench.ask("get", "/measured")
    of_file = next(each for each in told["sounds"] if each["key"] == sound["key"])
    assert of_file["loudness_lufs"] is not None
    before = of_file["apart_db"]
    await bench.ask("post", "/matched", {"key": sound["key"]})
    told = await bench.ask("get", "/measured")
    assert next(each for each in told["sounds"] if each["key"] == sound["key"])["apart_db"] < 0.7 * before
    # It sounds with its two sides, beside the others.
    await bench.ask("post", "/sounding", {}, expect=204)
    order = [each for each in bench.orders if isinstance(each, BenchOrder)][-1]
    ordered = next(each for each in order.sounds if each.key == sound["key"])
    assert len(ordered.wanted) == 2
    assert len(ordered.material.pieces) == int(np.ceil(ordered.material.frames / (1.5 * FS)))
    # Undone: it lies there no more, and is kept in the session's folder.
    await bench.undo()
    assert "balance" not in await bench.undo()


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("silence.wav", as_file(np.zeros(FS)), "silence.wav is silent"),
        ("many.wav", as_file(np.ones((FS, 3)) * 0.1), "many.wav has 3 channels; a reference has one or two"),
        ("short.wav", as_file(np.ones(100) * 0.1), "a reference has a quarter second at least"),
        ("text.wav", b"dear diary", "text.wav"),
        ("nan.wav", as_file(np.full(FS, np.nan)), "nan.wav cannot be used"),
    ],
)
async def test_a_file_that_is_no_reference_is_refused_with_a_sentence(bench, name, content, says):
    answer = await bench.client.post(f"{bench.address}/references", files={"file": (name, content)})
    assert answer.status_code == 422
    assert says in answer.json()["detail"]
    assert "file" not in [each["kind"] for each in (await bench.look())["sounds"]]
