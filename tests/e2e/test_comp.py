"""The comp by keys alone: chosen, heard in its place, used, kept over a reload, undone."""

import re

import numpy as np
import pytest
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
