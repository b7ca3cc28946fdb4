"""A roll belongs to the engine: pages come, go and look on, and nothing happens to it."""

import re

import pytest
import soundfile
from playwright.sync_api import expect

from tests.e2e.conftest import BEGIN, wait_until_ready
from tests.signals import FS

pytestmark = [pytest.mark.browser, pytest.mark.slow, pytest.mark.realtime]

TWO_PRESSES = """([path, section]) => Promise.all([1, 2].map(() =>
  fetch(path, {
    method: 'POST', body: JSON.stringify({section_id: section}), headers: {'content-type': 'application/json'},
  }).then(r => r.status)))"""
PLACE = re.compile(r"^\d+\.\d$")


@pytest.fixture(scope="module")
def paced(warm_applications):
    """An application whose rig keeps real time."""
    return warm_applications.get(speed=1.0)


@pytest.fixture(scope="module")
def browsers(browser, paced):
    """Two of them, one beside the other."""
    opened = [browser.new_context(viewport={"width": 1280, "height": 800}, base_url=paced.url) for _ in range(2)]
    yield opened
    for context in opened:
        context.close()


@pytest.fixture
def tabs(browsers):
    """Opens a page of the one browser, and then of the other."""
    opened = []

    def open_takes():
        tab = browsers[len(opened)].new_page()
        opened.append(tab)
        tab.add_init_script(BEGIN)
        tab.goto("/takes")
        wait_until_ready(tab)
        return tab

    yield open_takes
    for tab in opened:
        tab.close()


def newest(app, before):
    new = app.wait_for(lambda: [take for take in app.takes() if take["id"] not in before], what="the take")
    assert len(new) == 1
    return new[0]


def whole(app, take):
    """Every channel holds the whole take, without a gap."""
    assert take["gaps"] == []
    for channel in take["channels"]:
        assert soundfile.info(app.data / "sessions" / take["folder"] / channel["file"]).frames == take["frames"]


def test_reloading_the_page_while_rolling_costs_the_roll_nothing(tabs, paced):
    page = tabs()
    before = {take["id"] for take in paced.takes()}
    page.keyboard.press("PageDown")
    across = page.get_by_role("main")
    expect(page.get_by_role("button", name="Stop Page Down")).to_be_visible(timeout=10_000)
    for _ in range(3):
        page.reload()
        # The page is at once where the roll is.
        expect(page.get_by_role("button", name="Stop Page Down")).to_be_visible(timeout=10_000)
        expect(across.get_by_text("take").first).to_be_visible()
        expect(page.get_by_label("Bar and beat")).to_have_text(PLACE)
    page.wait_for_timeout(1500)
    page.keyboard.press("PageDown")
    take = newest(paced, before)
    whole(paced, take)
    assert take["frames"] > 2 * FS


def test_two_browsers_see_one_roll_and_either_stops_it(tabs, paced):
    first, second = tabs(), tabs()
    before = {take["id"] for take in paced.takes()}
    first.keyboard.press("PageDown")
    for page in (first, second):
        expect(page.get_by_role("button", name="Stop Page Down")).to_be_visible(timeout=10_000)
    # Past the count-in: what holds nothing but that goes into the bin.
    first.wait_for_timeout(4000)
    places = [page.get_by_label("Bar and beat").inner_text() for page in (first, second)]
    assert all(PLACE.match(place) for place in places)
    second.keyboard.press("PageDown")
    for page in (first, second):
        expect(page.get_by_role("button", name="Roll Page Down")).to_be_visible(timeout=15_000)
    take = newest(paced, before)
    whole(paced, take)
    # It appears by itself in both; a star of one is seen by the other.
    for page in (first, second):
        expect(page.get_by_role("button", name=f"Star take {take['number']}")).to_be_attached(timeout=15_000)
    first.keyboard.press("s")
    for page in (first, second):
        expect(page.get_by_role("button", name=f"Star take {take['number']}")).to_have_attribute(
            "aria-pressed", "true", timeout=10_000
        )


def test_two_browsers_that_start_together_start_one_roll(tabs, paced):
    first, second = tabs(), tabs()
    before = {take["id"] for take in paced.takes()}
    session = paced.session
    statuses = first.evaluate(TWO_PRESSES, [f"/api/sessions/{session['id']}/roll", session["sections"][1]["id"]])
    assert sorted(statuses) == [201, 409]
    for page in (first, second):
        expect(page.get_by_role("button", name="Stop Page Down")).to_be_visible(timeout=10_000)
    second.wait_for_timeout(600)
    second.keyboard.press("PageDown")
    whole(paced, newest(paced, before))


def test_by_hand_w_punches_in_and_out_on_the_page_that_is_read_across_the_room(tabs, paced):
    page, before = tabs(), {take["id"] for take in paced.takes()}
    page.get_by_role("radio", name="windows").click()
    expect(page.get_by_text("none set: W punches in and out")).to_be_visible()
    page.keyboard.press("PageDown")
    for said in ("Press W to punch in", "Punched in", "Press W to punch in"):
        expect(page.get_by_text(said, exact=True)).to_be_visible(timeout=15_000)
        # Past the count-in at first, then for as long as it is in and out.
        page.wait_for_timeout(1200)
        page.keyboard.press("w")
    page.wait_for_timeout(300)
    page.keyboard.press("PageDown")
    take = newest(paced, before)
    whole(paced, take)
    (first, second) = take["windows"]
    assert first["to_frame"] - first["from_frame"] == pytest.approx(1.2 * FS, abs=0.8 * FS)
    assert take["from_frame"] < first["from_frame"] < first["to_frame"] < second["from_frame"]
    page.get_by_role("radio", name="once").click()


def test_a_take_of_which_nothing_is_used_yet_is_listed_where_it_was_rolled(tabs, paced):
    page, before = tabs(), {take["id"] for take in paced.takes()}
    page.get_by_role("radio", name="windows").click()
    expect(page.get_by_text("none set: W punches in and out")).to_be_visible()
    page.keyboard.press("PageDown")
    expect(page.get_by_text("Press W to punch in", exact=True)).to_be_visible(timeout=15_000)
    page.wait_for_timeout(3500)
    page.keyboard.press("PageDown")
    take = newest(paced, before)
    assert take["windows"] == []
    expect(page.get_by_role("button", name=f"Star take {take['number']}")).to_be_attached(timeout=15_000)
    page.get_by_role("radio", name="once").click()


def test_two_parts_roll_as_one_and_the_take_of_the_shown_one_is_chosen(tabs, paced):
    session, before = paced.session, {take["id"] for take in paced.takes()}
    path, about = f"/api/sessions/{session['id']}", {"name": session["name"], "artist": session["artist"]}
    shown = next(part for part in session["parts"] if part["armed"])
    second = next(part for part in session["parts"] if part["name"] == "Bass")
    rig = paced.get(f"/api/parts/{second['id']}/rig")["rig"]
    rig = {**rig, "mics": [], "di": {**rig["di"], "input": {**rig["di"]["input"], "number": 5}}}
    assert paced.send("PUT", f"/api/parts/{second['id']}/rig", {"rig": rig})[0] == 200
    assert paced.send("PUT", f"{path}/about", {**about, "arm_together": True})[0] == 200
    for part in (shown, second):
        assert paced.send("POST", f"{path}/parts/{part['id']}/arm")[0] == 204
    try:
        page = tabs()
        armed = page.get_by_role("complementary").get_by_role("button").first.inner_text()
        page.keyboard.press("PageDown")
        expect(page.get_by_text(f"{second['name']} DI")).to_be_visible(timeout=10_000)
        expect(page.get_by_role("contentinfo").get_by_text("2 parts")).to_be_visible()
        page.wait_for_timeout(4000)
        page.keyboard.press("PageDown")
        new = paced.wait_for(
            lambda: len(found := [take for take in paced.takes() if take["id"] not in before]) == 2 and found,
            what="both takes",
        )
        assert len({(take["from_frame"], take["frames"]) for take in new}) == 1
        mine = next(take for take in new if take["part_name"] == armed)
        expect(page.get_by_role("button", name=f"Take {mine['number']}", pressed=True)).to_be_visible(timeout=10_000)
    finally:
        paced.send("PUT", f"{path}/about", {**about, "arm_together": False})
