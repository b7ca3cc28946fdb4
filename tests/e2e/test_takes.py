"""Takes in the real interface: windows and loops on the sheet, what is heard, the grid's marks, files brought in."""

import re

import numpy as np
import pytest
import soundfile
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from tests.e2e.conftest import wait_until_ready
from tests.signals import FS, plucks

pytestmark = [pytest.mark.browser, pytest.mark.realtime]


@pytest.fixture
def takes_page(page):
    page.goto("/takes")
    wait_until_ready(page)
    expect(page.get_by_role("radio", name="once")).to_be_visible()
    return page


def drag(page, section, from_bar, to_bar):
    """Drag over bars of a section on the song sheet, from the middle of one to the middle of another."""
    sheet = page.get_by_label("Song sheet")
    first = sheet.locator("text", has_text=re.compile(f"^{from_bar}$")).first.bounding_box()
    last = sheet.locator("text", has_text=re.compile(f"^{to_bar}$")).first.bounding_box()
    page.mouse.move(first["x"] + 40, first["y"] + 25)
    page.mouse.down()
    page.mouse.move(last["x"] + 60, last["y"] + 25, steps=6)
    page.mouse.up()


def test_what_was_rolled_stays_chosen_though_another_section_is_missing(takes_page, application):
    """Nothing was chosen by hand: the first section that is missing is rolled, and Page Up after it rolls it again."""
    page, before = takes_page, application.takes()
    heading = page.get_by_role("heading", name=re.compile("take by take"))
    first = heading.inner_text()
    section = next(each for each in application.session["sections"] if first.startswith(each["name"]))
    for number, key in enumerate(("PageDown", "PageUp"), start=1):
        page.keyboard.press(key)
        application.wait_for(lambda n=number: len(application.takes()) == len(before) + n, what="the take")
        wait_until_ready(page)
        expect(page.get_by_role("button", name=re.compile(f"bars {section['first_bar']} to"))).to_have_count(1)
        expect(heading).to_have_text(first)
    thrown, kept = sorted(application.takes(), key=lambda take: take["recorded_at"])[-2:]
    assert (thrown["binned"], kept["binned"]) == (True, False)
    assert thrown["windows"] == kept["windows"]


def test_windows_are_dragged_over_bars_rolled_past_and_cleared(takes_page, application):
    page, session = takes_page, application.session
    drag(page, "Verse 1", 6, 7)
    expect(page.get_by_role("radio", name="windows")).to_be_checked()
    expect(page.get_by_text("1 window: 6.1")).to_be_visible()
    page.get_by_role("button", name="Pre-roll: more").click()
    before = len(application.takes())
    page.keyboard.press("PageDown")
    application.wait_for(lambda: len(application.takes()) == before + 1, what="the take")
    take = max(application.takes(), key=lambda t: t["number"])
    assert [(w["from_frame"], w["to_frame"]) for w in take["windows"]] == [
        (session["beat_frames"][session["beat_bars"].index(6)], session["beat_frames"][session["beat_bars"].index(8)])
    ]
    assert take["from_frame"] < take["windows"][0]["from_frame"] - FS
    page.get_by_role("button", name="Remove the window").click()
    expect(page.get_by_text("none set: W punches in and out")).to_be_visible()
    page.get_by_role("radio", name="once").click()
    settled(application, "once")


def settled(application, way):
    """The settings of rolling, once the server has what the page shows."""
    path = f"/api/sessions/{application.session['id']}/roll/settings"
    return application.wait_for(
        lambda: (kept := application.get(path))["way"] == way and not kept["windows"] and kept, what=way
    )


def test_a_section_becomes_a_window_and_a_loop_by_one_press(takes_page, application):
    page = takes_page
    page.get_by_role("button", name="Chorus 1 8 bars").click()
    page.keyboard.press("w")
    expect(page.get_by_text("1 window: 13.1")).to_be_visible()
    page.get_by_role("button", name="clear").click()
    # A loop is one of the chosen section, unless it lies there already; another section is taken by its name.
    page.get_by_role("radio", name="loop").click()
    expect(page.get_by_text("bars 13 to 20")).to_be_visible()
    page.get_by_role("button", name="Verse 1 8 bars").click()
    expect(page.get_by_text("bars 13 to 20")).to_be_visible()
    page.get_by_role("button", name="Verse 1", exact=True).click()
    expect(page.get_by_text("bars 5 to 12")).to_be_visible()
    page.get_by_role("button", name="Chorus 1 8 bars").click()
    page.get_by_role("radio", name="once").click()
    settled(application, "once")
    page.get_by_role("radio", name="loop").click()
    expect(page.get_by_text("bars 13 to 20")).to_be_visible()
    page.get_by_role("radio", name="once").click()
    kept = settled(application, "once")
    assert (kept["loop_bar"], kept["loop_bars"]) == (13, 8)


def test_how_i_hear_myself_shows_its_delay_and_a_printed_tone_on_the_cord(takes_page):
    page = takes_page
    page.get_by_label("How I hear myself").click()
    page.get_by_role("option", name="through Kiln").click()
    ears = page.get_by_label("To your ears")
    expect(ears.get_by_text(re.compile(r"^[0-9.]+ ms$"))).to_be_visible(timeout=20_000)
    expect(ears.get_by_text("in/out", exact=False)).to_be_visible()
    disk = page.get_by_label("To disk", exact=True)
    expect(disk.get_by_text("printed")).to_have_count(0)
    printing = page.get_by_label("print it beside the DI")
    printing.click()
    expect(disk.get_by_text("Kiln, printed")).to_be_visible()
    printing.click()
    expect(disk.get_by_text("Kiln, printed")).to_have_count(0)
    expect(printing).not_to_be_checked()
    page.get_by_label("How I hear myself").click()
    page.get_by_role("option", name="not at all").click()
    expect(ears.get_by_text("in/out", exact=False)).to_have_count(0)


def test_another_listener_gets_levels_of_their_own(takes_page, application):
    page = takes_page
    page.get_by_label("To your ears").get_by_role("button", name="Me").click()
    page.get_by_role("button", name="another listener").click()
    page.get_by_label("Name of the listener").fill("Singer")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Singer", pressed=True)).to_be_visible()
    page.get_by_role("slider", name="Level of Bass").press("ArrowLeft")
    page.get_by_role("slider", name="Level of Bass").press("ArrowLeft")
    bass = next(part["id"] for part in application.session["parts"] if part["name"] == "Bass")

    def level(name):
        cues = application.get(f"/api/sessions/{application.session['id']}/cues")["cues"]
        cue = next(each for each in cues if each["name"] == name)
        return cue["mix"]["strips"].get(bass, {"gain_db": 0})["gain_db"]

    application.wait_for(lambda: level("Singer") == -1.0, what="the level")
    assert level("Me") == 0
    results = Axe().run(page)
    assert [rule["id"] for rule in results.response["violations"]] == []
    page.get_by_role("button", name="Remove Singer").click()
    expect(page.get_by_role("button", name="Singer")).to_have_count(0)
    page.get_by_role("button", name="Done").click()


def three_more(application):
    """Takes of the chorus beside the demonstration's."""
    session = application.session
    chorus = next(section for section in session["sections"] if section["name"] == "Chorus 1")
    for _ in range(3):
        before = len(application.takes())
        asked = {"section_id": chorus["id"]}
        application.wait_for(
            lambda asked=asked: application.send("POST", f"/api/sessions/{session['id']}/roll", asked)[0] == 201,
            what="the roll",
        )
        application.wait_for(lambda before=before: len(application.takes()) > before, what="the take")


def test_marks_of_the_grid_open_their_evidence_and_a_star_is_kept(takes_page, application):
    page = takes_page
    three_more(application)
    page.get_by_role("button", name="Chorus 1 8 bars").click()
    expect(page.get_by_role("button", name=re.compile("^Star take"))).to_have_count(4)
    page.keyboard.press("s")
    expect(page.get_by_role("button", name=re.compile("^Star take"), pressed=True)).to_have_count(1)
    # All four are held against each other: until then a mark may become another one.
    expect(page.get_by_role("button", name=re.compile(r"^Take \d+ [+−-]?\d+ ±"))).to_have_count(4, timeout=30_000)
    marks = page.get_by_label("Takes of the section").locator("li button")
    if marks.count():
        said = marks.first.inner_text().removeprefix("~ ").removeprefix("! ")
        marks.first.click()
        expect(
            page.get_by_role("heading", name=re.compile(f"^Take [0-9]+, bar [0-9.]+: {re.escape(said)}"))
        ).to_be_visible()
        page.get_by_role("button", name=re.compile("^Hear take")).first.click()
        expect(page.get_by_role("button", name="Stop")).to_be_visible(timeout=15_000)
        page.get_by_role("button", name="Done").click()
    page.keyboard.press("s")
    expect(page.get_by_role("button", name=re.compile("^Star take"), pressed=True)).to_have_count(0)


def test_takes_of_a_phrase_are_heard_side_by_side_at_equal_loudness(takes_page, application):
    """Follows the test before: several takes of the chorus are there. Their gains meet at one loudness."""
    page = takes_page
    page.get_by_role("button", name="Chorus 1 8 bars").click()
    with page.expect_response(lambda answer: "/api/takes/compared" in answer.url) as answered:
        page.keyboard.press("v")
    sounds = answered.value.json()["sounds"]
    assert len(sounds) >= 4
    loudness = [sound["loudness_lufs"] + sound["gain_db"] for sound in sounds]
    assert max(loudness) - min(loudness) < 0.1
    group = page.get_by_role("group", name="Takes side by side")
    expect(group.get_by_role("heading", name="Bars 13 to 16, side by side")).to_be_visible()
    pressed = group.get_by_role("button", pressed=True)
    expect(pressed).to_have_count(1, timeout=15_000)
    for key, sound in (("1", sounds[0]), ("3", sounds[2]), ("2", sounds[1])):
        page.keyboard.press(key)
        expect(pressed).to_have_attribute("aria-label", f"Hear take {sound['number']} of Baritone here")
        expect(page.get_by_role("contentinfo").get_by_text("equal loudness")).to_contain_text(f"take {sound['number']}")
    # D hears all of them dry, another cell of the grid another phrase.
    page.keyboard.press("d")
    expect(group.get_by_role("button", name="Heard as: DI")).to_be_visible(timeout=15_000)
    page.get_by_role("button", name=f"Take {sounds[0]['number']}, bars 17 to 20").click()
    expect(group.get_by_role("heading", name="Bars 17 to 20, side by side")).to_be_visible(timeout=15_000)
    # Through a tone that nobody printed yet.
    group.get_by_role("button", name="Heard as: DI").click()
    page.get_by_role("option", name="DI through Keel").click()
    expect(group.get_by_role("button", name="Heard as: DI through Keel")).to_be_visible(timeout=30_000)
    expect(pressed).to_have_count(1, timeout=15_000)
    results = Axe().run(page)
    assert [rule["id"] for rule in results.response["violations"]] == []
    page.keyboard.press("Escape")
    expect(group).to_have_count(0)


def test_a_star_is_taken_back_and_set_again(takes_page, application):
    page = takes_page
    starred = page.get_by_role("button", name=re.compile("^Star take"), pressed=True)
    page.get_by_role("button", name="Intro 4 bars").click()
    expect(starred).to_have_count(0)
    page.keyboard.press("s")
    expect(starred).to_have_count(1)
    page.keyboard.press("u")
    expect(starred).to_have_count(0)
    page.keyboard.press("y")
    expect(starred).to_have_count(1)
    page.keyboard.press("u")
    expect(starred).to_have_count(0)
    application.wait_for(lambda: not any(take["rating"] for take in application.takes()), what="no star")


def test_the_keys_of_the_station_are_listed(takes_page):
    page = takes_page
    page.keyboard.press("?")
    keys = page.get_by_role("dialog", name="Keys")
    expect(keys.get_by_role("heading", name="At this station")).to_be_visible()
    expect(keys.get_by_text("Star the take", exact=False)).to_be_visible()
    expect(keys.get_by_text("Hear takes of a phrase side by side", exact=False)).to_be_visible()
    expect(keys.get_by_text("Roll, and stop", exact=False)).to_be_visible()
    page.keyboard.press("Escape")


def test_a_take_is_moved_in_its_drawer_and_put_back(takes_page, application):
    page = takes_page
    page.get_by_role("button", name="Intro 4 bars").click()
    page.keyboard.press("i")
    page.get_by_label("Move by milliseconds").fill("12.5")
    page.keyboard.press("Enter")
    expect(page.get_by_text("it is not where it was played", exact=False)).to_be_visible()
    moved = next(take for take in application.takes() if take["slip_frames"])
    assert moved["slip_frames"] == 600
    page.get_by_role("button", name="Put back").click()
    expect(page.get_by_text("Where it was played.")).to_be_visible()
    page.get_by_label("Note", exact=True).fill("the one with the rain")
    page.keyboard.press("Enter")
    application.wait_for(
        lambda: any(t["note"] == "the one with the rain" for t in application.takes()), what="the note"
    )
    results = Axe().run(page)
    assert [rule["id"] for rule in results.response["violations"]] == []


def test_several_files_are_asked_about_and_become_one_take(takes_page, application, tmp_path):
    page, names = takes_page, ["riff DI.wav", "riff cab.wav"]
    for name in names:
        soundfile.write(tmp_path / name, plucks(2.0), FS, subtype="PCM_24")
    page.get_by_label("DI file to bring in").set_input_files([str(tmp_path / name) for name in names])
    expect(page.get_by_role("heading", name="One take from these files")).to_be_visible()
    expect(page.get_by_label("What riff DI.wav is: DI, clean")).to_be_visible()
    expect(page.get_by_label("What riff cab.wav is: microphone")).to_be_visible()
    for bar in (2, 3):
        page.get_by_role("button", name="Bar: more").click()
        expect(page.get_by_role("group", name="Bar")).to_have_text(str(bar))
    page.get_by_role("button", name="Bring them in").click()
    take = application.wait_for(
        lambda: next((t for t in application.takes() if "from 2 files" in t["said"]), None), what="the take"
    )
    assert [channel["kind"] for channel in take["channels"]] == ["di", "mic"]
    assert take["first_bar"] == 3
    folder = application.data / "sessions" / take["folder"]
    one, other = (soundfile.read(folder / channel["file"])[0] for channel in take["channels"])
    np.testing.assert_array_equal(one, other)
