"""The comp by keys alone: chosen, heard in its place, used, kept over a reload, undone."""

import io
import re
import urllib.request
import zipfile

import numpy as np
import pytest
import soundfile
from playwright.sync_api import expect

from tests.signals import plucks
from tests.web.test_imports import as_file, upload

pytestmark = [pytest.mark.browser, pytest.mark.realtime]


@pytest.fixture(scope="module")
def takes(application):
    """Two takes of the first bars, each its own plucks, dry and miked."""
    made = []
    for seed in (11, 12):
        dry = plucks(10.0, seed=seed)
        files = {"DI.wav": as_file(dry), "mic A.wav": as_file(0.5 * np.roll(dry, 96))}
        status, taken = upload(application, files, kinds="di,mic", placing="bar", bar="1")
        assert status == 201, taken
        made.append(taken)
    return made


def heard(application, frames):
    """The DI of what the armed part sounds like, from its beginning."""
    part = next(part for part in application.session["parts"] if part["armed"])
    url = f"{application.url}/api/materials/{part['id']}/sound"
    parts = []
    for start in range(0, frames, 1 << 18):
        query = f"from_frame={start}&frames={min(1 << 18, frames - start)}&kind=di"
        with urllib.request.urlopen(f"{url}?{query}") as answer:
            parts.append(np.frombuffer(answer.read(), "<f4"))
    return np.concatenate(parts)


def cell(page, take, bars):
    return page.get_by_role("button", name=re.compile(f"^Take {take['number']}, bars {bars}"))


def use_by_the_stroke(page, take):
    """Bars 3 and 4 of a take used by keys, and the arrows set to go over strokes."""
    page.goto(f"/comp?bar=3&take={take['id']}")
    expect(cell(page, take, "3 to 4")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Enter")
    expect(cell(page, take, "3 to 4, used")).to_be_visible()
    for _ in range(3):
        page.keyboard.press("-")
    expect(page.get_by_role("radio", name="stroke", exact=True)).to_be_checked()


def test_a_phrase_is_chosen_heard_used_kept_and_undone_by_keys(page, application, takes):
    old, new = takes
    page.goto("/comp?bar=1")
    expect(cell(page, new, "1 to 2")).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_role("navigation", name="Stations")).to_contain_text("follows the takes")
    page.keyboard.press("ArrowDown")
    expect(cell(page, old, "1 to 2")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("ArrowRight")
    expect(cell(page, old, "3 to 4")).to_have_attribute("aria-pressed", "true")
    # Heard in its place before it is used: the deck says what.
    page.keyboard.press("Space")
    expect(page.get_by_role("contentinfo")).to_contain_text(f"take {old['number']}, in its place")
    page.keyboard.press("d")
    expect(page.get_by_role("contentinfo")).to_contain_text("in its place, dry")
    page.keyboard.press("Space")
    page.keyboard.press("Enter")
    expect(cell(page, old, "3 to 4, used")).to_be_visible()
    expect(cell(page, new, "1 to 2, used")).to_be_visible()
    # The address names the phrase and the take: a reload changes nothing.
    page.reload()
    expect(cell(page, old, "3 to 4, used")).to_have_attribute("aria-pressed", "true")
    # Written as files by keys: sample for sample what is heard.
    page.keyboard.press("g")
    page.get_by_role("button", name="Write the whole comp").press("Enter")
    expect(page.get_by_role("listitem").filter(has_text="DI.wav")).to_be_visible(timeout=60_000)
    page.keyboard.press("Escape")
    (written,) = application.data.glob("sessions/*/Comps/Baritone Comp 1 - DI.wav")
    samples, _ = soundfile.read(written)
    np.testing.assert_allclose(samples, heard(application, len(samples)), atol=2**-23)
    page.keyboard.press("Backspace")
    expect(page.get_by_text("bars 3 to 4 empty")).to_be_visible()
    page.keyboard.press("u")
    expect(cell(page, old, "3 to 4, used")).to_be_visible()
    page.keyboard.press("u")
    expect(cell(page, new, "3 to 4, used")).to_be_visible()
    page.keyboard.press("y")
    expect(cell(page, old, "3 to 4, used")).to_be_visible()
    page.keyboard.press("f")
    expect(cell(page, new, "3 to 4, used")).to_be_visible()


def test_a_hole_is_rolled_by_the_pedal_and_what_comes_lands_in_it(page, application, takes):
    old, _ = takes
    page.goto("/comp?bar=1")
    expect(cell(page, old, "1 to 2")).to_be_visible()
    page.keyboard.press("Backspace")
    expect(page.get_by_text("bars 1 to 2 empty")).to_be_visible()
    expect(page.get_by_role("contentinfo")).to_contain_text("Roll the hole")
    page.keyboard.press("PageDown")
    part = next(part for part in application.session["parts"] if part["armed"])

    def landed():
        pieces = application.get(f"/api/parts/{part['id']}/comp")["lines"][0]["pieces"]
        return pieces and pieces[0]["by_hand"] and pieces[0]["take_number"] > takes[1]["number"] and pieces[0]

    piece = application.wait_for(landed, what="the take in the hole", seconds=60)
    assert piece["from_frame"] <= old["from_frame"] + 96_000
    undo = application.get(f"/api/sessions/{application.session['id']}/history")["undo"]
    assert undo == f"Baritone: take {piece['take_number']} fills bars 1 to 2"
    expect(page.get_by_text("bars 1 to 2 empty")).not_to_be_visible()


def test_a_join_is_seen_from_close_up_moved_and_heard_by_keys(page, application, takes):
    old, _ = takes
    page.goto(f"/comp?bar=3&take={old['id']}")
    expect(cell(page, old, "3 to 4")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Enter")
    expect(cell(page, old, "3 to 4, used")).to_be_visible()
    page.keyboard.press("j")
    join = page.get_by_role("region", name="The join")
    expect(join).to_contain_text(re.compile(rf"take \d+ to {old['number']}"))
    expect(join.get_by_role("img")).to_have_accessible_name(re.compile("on 2 channels"))
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("ArrowUp")
    part = next(part for part in application.session["parts"] if part["armed"])
    history = f"/api/sessions/{application.session['id']}/history"
    application.wait_for(lambda: "join in bar" in application.get(history)["undo"], what="the moved join")
    page.keyboard.press("h")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Enter")
    expect(cell(page, old, "3 to 4, used")).to_be_visible()
    frames = [each["frame"] for each in application.get(f"/api/parts/{part['id']}/comp")["lines"][0]["joins"]]
    assert frames


def test_keys_at_one_join_say_nothing_of_the_next(page, application, takes):
    """What was asked for at a join that was moved is not where the next one goes on from."""
    old, new = takes
    part = next(part for part in application.session["parts"] if part["armed"])

    def joins():
        lines = application.get(f"/api/parts/{part['id']}/comp")["lines"]
        return [each["frame"] for line in lines for each in line["joins"]]

    page.goto(f"/comp?unit=bar&bar=2&take={old['id']}")
    for bar, take in ((2, old), (3, new), (4, old)):
        page.goto(f"/comp?unit=bar&bar={bar}&take={take['id']}")
        expect(page.get_by_role("group", name="The chosen range")).to_contain_text(f"bar {bar}")
        page.keyboard.press("Enter")
        application.wait_for(lambda want=bar: len(joins()) >= want - 1, what="the join")
    first, second = joins()[:2]
    page.goto(f"/comp?join={first}")
    expect(page.get_by_role("region", name="The join").get_by_role("img")).to_be_visible()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    application.wait_for(lambda: joins()[0] == first + 3 * 48, what="three steps of a millisecond")
    page.keyboard.press("j")
    expect(page).to_have_url(re.compile(f"join={second}"))
    expect(page.get_by_role("region", name="The join").get_by_role("img")).to_be_visible()
    page.wait_for_timeout(500)
    page.keyboard.press("ArrowLeft")
    application.wait_for(lambda: joins()[:2] == [first + 3 * 48, second - 48], what="the second moved, the first not")


def test_strokes_are_chosen_moved_and_brought_back_by_keys(page, application, takes):
    old, _ = takes
    use_by_the_stroke(page, old)
    range_ = page.get_by_role("group", name="The chosen range")
    expect(range_).to_contain_text("a stroke in bar")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    expect(range_).to_contain_text("2 strokes in bar")
    page.get_by_label("Move by").fill("9 ms")
    page.get_by_label("Move by").press("Enter")
    expect(range_).to_contain_text("+9.0 ms: back")
    page.reload()
    expect(range_).to_contain_text("2 strokes in bar")
    page.keyboard.press("b")
    expect(range_).not_to_contain_text("ms: back")


def test_single_strokes_are_eased_tuned_and_brought_back_by_keys(page, application, takes):
    old, _ = takes
    part = next(part for part in application.session["parts"] if part["armed"])

    def eased():
        lines = application.get(f"/api/parts/{part['id']}/comp")["lines"]
        return [stroke for line in lines for piece in line["pieces"] for stroke in piece["eased"]]

    use_by_the_stroke(page, old)
    before = heard(application, 480_000)
    # Not the first one, which a join is near: that is found anew where an attack comes into it.
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("t")
    expect(page.get_by_role("radio", name="each stroke")).to_be_checked()
    page.get_by_label("Move by").fill("-11 ms")
    page.get_by_label("Move by").press("Enter")
    range_ = page.get_by_role("group", name="The chosen range")
    expect(range_).to_contain_text("stroke −11.0 ms: back")
    (stroke,) = eased()
    assert stroke["by_ms"] == pytest.approx(-11)
    # Heard 11 ms sooner, and only around it: from the stroke before to the one after.
    after = heard(application, 480_000)
    changed = np.flatnonzero(before != after)
    assert 0 < np.ptp(changed) < 0.75 * 48_000
    page.get_by_label("Tune by").fill("12")
    page.get_by_label("Tune by").press("Enter")
    expect(range_).to_contain_text("+12.0 cents: back")
    page.reload()
    expect(range_).to_contain_text("stroke −11.0 ms +12.0 cents: back")
    page.keyboard.press("b")
    expect(range_).not_to_contain_text(": back")
    assert eased() == []
    np.testing.assert_array_equal(heard(application, 480_000), before)


def test_a_comp_goes_all_the_way_from_keys_to_what_an_engineer_receives(page, application, takes):
    """Made, heard, reloaded, undone, printed, handed over: the samples in the ZIP are those that are heard."""
    old, new = takes
    part = next(part for part in application.session["parts"] if part["armed"])
    page.goto(f"/comp?bar=1&take={new['id']}")
    expect(cell(page, new, "1 to 2")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Enter")
    expect(cell(page, new, "1 to 2, used")).to_be_visible()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowDown")
    expect(cell(page, old, "3 to 4")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Enter")
    expect(cell(page, old, "3 to 4, used")).to_be_visible()
    settled = application.get(f"/api/parts/{part['id']}/comp")
    page.keyboard.press("Backspace")
    expect(page.get_by_text("bars 3 to 4 empty")).to_be_visible()
    page.reload()
    expect(page.get_by_text("bars 3 to 4 empty")).to_be_visible()
    page.keyboard.press("u")
    expect(cell(page, old, "3 to 4, used")).to_be_visible()
    assert application.get(f"/api/parts/{part['id']}/comp") == settled
    page.keyboard.press("g")
    page.get_by_role("button", name="Print through").press("Enter")
    expect(page.get_by_role("listitem").filter(has_text="as the comp sounds now")).to_be_visible(timeout=90_000)
    page.keyboard.press("Escape")
    page.get_by_role("link", name="Hand-over").press("Enter")
    files = page.get_by_role("region", name="What is handed over")
    name = "Baritone Comp 1"
    expect(files.get_by_role("checkbox").first).to_be_checked()
    page.get_by_role("button", name="Mark none").press("Enter")
    boxes = files.get_by_role("checkbox", name=re.compile(f"^{name} - "))
    expect(boxes.first).to_be_visible()
    many = boxes.count()
    for box in boxes.all():
        box.press("Space")
        expect(box).to_be_checked()
    with page.expect_download(timeout=120_000) as download:
        page.get_by_role("button", name=f"Hand over {many} files").press("Enter")
    archive = zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes()))
    inside = {file.rpartition("/")[2]: file for file in archive.namelist()}
    samples, rate_hz = soundfile.read(io.BytesIO(archive.read(inside[f"{name} - DI.wav"])))
    # On its place in the song: silence, and then what is heard.
    begins = application.get(f"/api/sessions/{application.session['id']}/playing")[0]["channels"][0]["from_frame"]
    assert not samples[:begins].any()
    np.testing.assert_allclose(samples[begins:][:400_000], heard(application, 400_000), atol=2**-23)
    (printed,) = (file for file in inside if file.startswith(f"{name} - ") and " r" in file)
    through, _ = soundfile.read(io.BytesIO(archive.read(inside[printed])))
    assert np.sqrt(np.mean(through[begins : begins + 4 * rate_hz] ** 2)) > 1e-3
