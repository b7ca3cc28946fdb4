"""The comp by keys alone: chosen, heard in its place, used, kept over a reload, undone."""

import re
import urllib.request

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


def test_strokes_are_chosen_moved_and_brought_back_by_keys(page, application, takes):
    old, _ = takes
    page.goto(f"/comp?bar=3&take={old['id']}")
    expect(cell(page, old, "3 to 4")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Enter")
    expect(cell(page, old, "3 to 4, used")).to_be_visible()
    for _ in range(3):
        page.keyboard.press("-")
    expect(page.get_by_role("radio", name="stroke")).to_be_checked()
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
