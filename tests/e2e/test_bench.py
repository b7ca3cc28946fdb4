"""The bench by keys in a real browser: a tone is turned while it goes round, held against others, kept, undone."""

import re

import numpy as np
import pytest
import soundfile
from playwright.sync_api import expect

from tests.e2e.conftest import wait_until_ready
from tests.e2e.test_heard import heard_so_far, tapped_page  # noqa: F401

pytestmark = [pytest.mark.browser, pytest.mark.realtime]


def slider(page, name):
    return page.get_by_role("slider", name=name)


def level_db(page, ms=700):
    """How loud it is now."""
    before = len(heard_so_far(page))
    page.wait_for_timeout(ms)
    blocks = heard_so_far(page)[before:, 1:]
    return 20 * np.log10(np.std(blocks) + 1e-9)


def test_a_tone_is_worked_out_by_keys_heard_kept_and_there_after_a_reload(tapped_page, application):  # noqa: F811
    page = tapped_page
    page.goto("/re-amp")
    wait_until_ready(page)
    expect(page.get_by_role("article").first).to_be_visible()
    page.keyboard.press(" ")
    expect(page.get_by_role("button", name="Stop Space")).to_be_visible(timeout=15_000)
    application.wait_for(lambda: level_db(page, 300) > -60, what="the loop to be heard")
    # To the last block, which is the level, and down by some twelve decibels.
    blocks = page.get_by_role("article")
    for _ in range(blocks.count()):
        page.keyboard.press("ArrowRight")
    out = page.get_by_role("slider", name="out").last
    before, was = level_db(page, 2_000), float(out.get_attribute("aria-valuenow"))
    for _ in range(12):
        page.keyboard.press("<")
    expect(out).to_have_attribute("aria-valuenow", f"{was - 12:g}", timeout=10_000)
    # Louder and softer are made equal once it was measured: at first it falls.
    softest = min(level_db(page, 150) for _ in range(4))
    assert softest < before - 6
    application.wait_for(lambda: abs(level_db(page, 2_000) - before) < 4, what="equal loudness to follow")

    # Another sound, dry, and back, by keys.
    page.keyboard.press("d")
    expect(page.get_by_role("button", name="Hear dry")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("1")
    expect(page.get_by_role("button", name="Hear dry")).to_have_attribute("aria-pressed", "false")

    # Kept as the next revision; a reload shows the same; undo brings back what was there.
    page.keyboard.press("k")
    page.get_by_role("button", name="Keep", exact=True).last.click()
    expect(page.get_by_text("turned since")).not_to_be_visible()
    page.reload()
    wait_until_ready(page)
    expect(page.get_by_role("slider", name="out").last).to_have_attribute("aria-valuenow", f"{was - 12:g}")
    # The keeping, then the turns: one act, or a few where the machine was slow between them.
    part = next(part for part in application.session["parts"] if part["name"] == "Baritone")

    def kept_out():
        groups = application.get(f"/api/parts/{part['id']}/bench")["blocks"][-1]["groups"]
        return groups[0]["controls"][0]["value"]

    for _ in range(22):
        if kept_out() == was:
            break
        with page.expect_response(lambda response: response.url.endswith("/undo")):
            page.get_by_role("button", name="Undo:").click()
    out = page.get_by_role("slider", name="out").last
    expect(out).to_have_attribute("aria-valuenow", f"{was:g}", timeout=10_000)


def test_blocks_are_added_moved_bypassed_and_removed_by_keys(page):
    page.goto("/re-amp")
    wait_until_ready(page)
    expect(page.get_by_role("article").first).to_be_visible()
    blocks = page.get_by_role("article")
    many = blocks.count()
    page.keyboard.press("n")
    page.get_by_role("button", name="Compressor Turns down").click()
    expect(blocks).to_have_count(many + 1)
    added = page.get_by_role("article", name="Compressor, block 2")
    expect(added).to_be_visible()
    expect(added.get_by_role("img")).to_be_visible(timeout=20_000)
    page.keyboard.press("Shift+ArrowLeft")
    expect(page.get_by_role("article", name="Compressor, block 1")).to_be_visible()
    page.keyboard.press("b")
    bypass = page.get_by_role("button", name="Let Compressor, block 1")
    expect(bypass).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Delete")
    expect(blocks).to_have_count(many)


def test_a_tone_is_found_and_laid_on_the_bench(page):
    page.goto("/re-amp")
    wait_until_ready(page)
    expect(page.get_by_role("article").first).to_be_visible()
    page.keyboard.press("v")
    rows = page.get_by_role("list", name="Found tones").get_by_role("listitem")
    expect(rows.nth(31)).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("extreme")
    expect(rows).to_have_count(2)
    page.keyboard.press("Escape")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Thunderhead")).to_be_visible()
    page.get_by_role("button", name="Undo:").click()
    expect(page.get_by_role("heading", name="Thunderhead")).not_to_be_visible()


def test_two_paths_an_impulse_response_and_a_blind_test_by_keys(page, application, tmp_path):
    page.goto("/re-amp")
    wait_until_ready(page)
    blocks = page.get_by_role("article")
    expect(blocks.first).to_be_visible()
    many = blocks.count()
    # A split behind the first block, a fuzz in its first path by N, which Shift and arrows bring into the second.
    page.keyboard.press("n")
    page.get_by_role("button", name="Split Two paths").click()
    expect(page.get_by_role("article", name="Split, block 2")).to_be_visible()
    page.keyboard.press("n")
    page.get_by_role("button", name="Fuzz").click()
    expect(page.get_by_role("article", name="Fuzz, block 3")).to_contain_text("path 1: below 250 Hz")
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_role("article", name="Fuzz, block 3")).to_contain_text("path 2: above 250 Hz")
    expect(page).to_have_url(re.compile("block=1.1.0"))
    # A reload shows the same block chosen.
    page.reload()
    wait_until_ready(page)
    expect(page.get_by_role("article", name="Fuzz, block 3")).to_contain_text("path 2")
    page.get_by_role("button", name="Add a block behind the join").click()
    page.get_by_role("button", name="Impulse response A cabinet").click()
    response = page.get_by_role("article", name="Impulse response, block 4")
    file = tmp_path / "closed back.wav"
    rng = np.random.default_rng(1)
    soundfile.write(file, 0.5 * rng.standard_normal(4000) * np.exp(-np.arange(4000) / 300), 96_000)
    response.get_by_label("bring in a file").set_input_files(file)
    expect(response.get_by_role("button", name="closed back")).to_be_visible()
    expect(response.get_by_role("img")).to_be_visible(timeout=60_000)
    expect(blocks).to_have_count(many + 3)

    # Blind: under letters, chosen by Enter, told at the end.
    expect(page.get_by_text("LUFS").first).to_be_visible(timeout=60_000)
    page.keyboard.press("l")
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_role("heading", name="Which do you like best?")).to_be_visible()
    page.keyboard.press("2")
    expect(page.get_by_role("button", name="Choose B")).to_be_enabled(timeout=15_000)
    expect(page.get_by_text("one of the letters")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.get_by_text("Round 2.")).to_be_visible()
    # What sounded would tell its new letter: it is silent.
    expect(page.get_by_role("button", name="Hear one first")).to_be_visible()
    page.keyboard.press("v")
    expect(page.get_by_role("heading", name="too few rounds")).to_be_visible()
    page.keyboard.press("Escape")
    expect(blocks).to_have_count(many + 3)
