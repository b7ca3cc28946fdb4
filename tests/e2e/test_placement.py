"""Placement in the browser: place, record two clips, compare them blind, choose one, roll, and find it in the take."""

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

pytestmark = [pytest.mark.browser, pytest.mark.realtime]


@pytest.fixture
def placement(page):
    page.goto("/placement")
    expect(page.get_by_role("heading", name="Trials, at equal loudness")).to_be_visible()
    expect(page.get_by_role("button", name="Trial Page Down")).to_be_enabled(timeout=40_000)
    return page


def place(page, name, **values):
    """Type where a microphone stands."""
    chosen = page.get_by_role("group", name="Microphones").get_by_role("button", name=name, exact=True)
    chosen.click()
    # Its fields stand there when it is pressed, which a busy machine shows a moment later.
    expect(chosen).to_have_attribute("aria-pressed", "true")
    for label, typed in values.items():
        field = page.get_by_role("textbox", name=label, exact=True)
        field.fill(typed)
        field.press("Enter")


def rig_of(application):
    part = next(each for each in application.session["parts"] if each["armed"])
    return application.get(f"/api/parts/{part['id']}/rig")["rig"]


def trial(page, number):
    page.keyboard.press("PageDown")
    expect(page.get_by_role("button", name=f"Hear trial {number}", exact=True)).to_be_visible(timeout=40_000)


def test_a_mic_is_typed_in_inches_nudged_by_arrows_and_dragged(placement, application):
    page = placement
    place(page, "mic B", Away="1 in", Right="0")
    application.wait_for(lambda: abs(rig_of(application)["mics"][1]["distance_m"] - 0.0254) < 1e-6, what="an inch")
    mic = page.get_by_role("button", name=re.compile("^mic B from above"))
    mic.focus()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    application.wait_for(
        lambda: abs(rig_of(application)["mics"][1]["distance_m"] - 0.0404) < 1e-6, what="three steps of 5 mm"
    )
    page.keyboard.press("ArrowUp")
    page.keyboard.press(".")
    application.wait_for(
        lambda: (at := rig_of(application)["mics"][1])["off_centre_m"] == 0.005 and at["turned_deg"] == -7,
        what="a step to the right and a turn",
    )
    before = rig_of(application)["mics"][1]
    box = mic.locator(".head").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(1, 6):
        page.mouse.move(x + 12 * step, y + 4 * step)
    # The plan follows while it is dragged, before anything is kept.
    expect(page.get_by_label("Plan", exact=True).get_by_text(re.compile("mic [AB] is .* farther"))).to_be_visible()
    assert rig_of(application)["mics"][1] == before
    page.mouse.up()
    after = application.wait_for(
        lambda: (now := rig_of(application)["mics"][1]) != before and now, what="the new place"
    )
    assert after["distance_m"] > before["distance_m"] + 0.02
    assert after["off_centre_m"] < before["off_centre_m"]
    assert after["turned_deg"] == before["turned_deg"]
    page.keyboard.press("u")
    application.wait_for(lambda: rig_of(application)["mics"][1] != after, what="undo")
    # What comes next is made from what the page knows of: from an older rig it would be refused.
    undone = rig_of(application)["mics"][1]["distance_m"]
    expect(mic).to_have_attribute("aria-label", re.compile(f"{100 * undone:.1f} cm away"))


def test_from_placing_to_the_take_that_carries_it(placement, application):
    page = placement
    place(page, "mic B", Away="10 cm", Right="0")
    trial(page, 1)
    place(page, "mic B", Away="1 ft")
    application.wait_for(lambda: abs(rig_of(application)["mics"][1]["distance_m"] - 0.3048) < 1e-6, what="a foot")
    trial(page, 2)
    # Heard by number keys, looped, at one loudness; what the pair does is told with what to do.
    page.keyboard.press("1")
    expect(page.get_by_role("button", name="Hear trial 1", exact=True)).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("2")
    expect(page.get_by_role("button", name="Hear trial 2", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_role("contentinfo").get_by_text("equal loudness")).to_contain_text("trial 2")
    pair = page.get_by_label("Two microphones")
    expect(pair.get_by_role("heading", name=re.compile(r"^mic B is 2\d\.\d cm farther"))).to_be_visible()
    # The remedy is kept as data, heard at once, undone by a key.
    delay = pair.get_by_role("radio", name=re.compile("delay mic A by"))
    delay.click()
    expect(delay).to_have_attribute("aria-checked", "true")
    page.keyboard.press("u")
    expect(pair.get_by_role("radio", name=re.compile("as recorded"))).to_have_attribute("aria-checked", "true")
    assert [rule["id"] for rule in Axe().run(page).response["violations"]] == []
    # Blind: no name is on the page until it is revealed; a reload forgets nothing.
    page.keyboard.press("b")
    bench = page.get_by_label("Blind test")
    expect(bench.get_by_role("heading", name="Which do you like best?")).to_be_visible()
    for number in (2, 3):
        page.keyboard.press("1")
        expect(bench.get_by_role("button", name="Hear A")).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("Enter")
        expect(bench.get_by_text(f"Round {number}.")).to_be_visible()
        # What was chosen does not sound on under its new letter.
        expect(bench.get_by_role("button", pressed=True)).to_have_count(0)
    expect(bench.get_by_text(re.compile("trial"))).to_have_count(0)
    expect(page.get_by_role("contentinfo").get_by_text(re.compile("trial \\d"))).to_have_count(0)
    page.reload()
    expect(bench.get_by_text("Round 3.")).to_be_visible(timeout=20_000)
    page.keyboard.press("v")
    expect(bench.get_by_role("heading", name=re.compile("^too few rounds to tell"))).to_be_visible()
    page.keyboard.press("Escape")
    # The first is chosen: the rig stands so, and the next take carries it.
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Enter")
    expect(page.get_by_text("✓ chosen")).to_be_visible()
    application.wait_for(lambda: rig_of(application)["mics"][1]["distance_m"] == 0.1, what="the chosen place")
    before = len(application.takes())
    page.goto("/takes")
    expect(page.get_by_role("button", name="Roll Page Down")).to_be_enabled(timeout=40_000)
    page.keyboard.press("PageDown")
    application.wait_for(lambda: len(application.takes()) == before + 1, what="the take")
    newest = max(application.takes(), key=lambda take: take["recorded_at"])
    journal = (application.data / "sessions" / newest["folder"] / "take.json").read_text()
    assert '"distance_m": 0.1,' in journal


def test_the_sheet_puts_it_back(placement):
    page = placement
    page.get_by_role("link", name="Put back").first.click()
    expect(page.get_by_role("heading", name="Put it back where it was")).to_be_visible()
    expect(page.get_by_text("10.0 cm", exact=True).first).to_be_visible()
    page.get_by_role("link", name="Back to Placement").click()
    expect(page.get_by_role("heading", name="Trials, at equal loudness")).to_be_visible()


def test_a_trial_in_the_bin_is_heard_and_brought_back(placement):
    page = placement
    expect(page.get_by_role("button", name="Hear trial 2", exact=True)).to_be_visible()
    page.get_by_role("button", name="Hear trial 2", exact=True).locator("xpath=..").get_by_role(
        "button", name="Bin"
    ).click()
    expect(page.get_by_role("button", name="Hear trial 2", exact=True)).to_have_count(0)
    page.goto("/bin")
    expect(page.get_by_label("Takes in the bin").get_by_text("trial 02")).to_be_visible()
    page.get_by_role("button", name="Bring back").first.click()
    page.goto("/placement")
    expect(page.get_by_role("button", name="Hear trial 2", exact=True)).to_be_visible()
