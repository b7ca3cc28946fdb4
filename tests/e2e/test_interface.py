"""The real interface in headless Chromium, from roll to downloaded ZIP."""

import io
import zipfile

import pytest
import soundfile
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from fatsignal.core.clip import Clip
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.timing.delay import align
from tests.e2e.conftest import wait_until_ready
from tests.signals import FS, plucks

pytestmark = [pytest.mark.browser, pytest.mark.realtime]


def test_from_roll_to_print_to_hand_over(page, application):
    page.goto("/")
    expect(page.get_by_text("Copper Weather · Moth Parade")).to_be_visible()
    wait_until_ready(page)
    page.get_by_role("button", name="Outro 4 bars").click()
    before = len(application.takes())
    page.keyboard.press("PageDown")
    expect(page.get_by_role("button", name="Stop Page Down")).to_be_visible(timeout=20_000)
    # Rolled as fast as it is computed, it stops by itself at the end of the section.
    wait_until_ready(page)
    application.wait_for(lambda: len(application.takes()) == before + 1, what="the take")
    take = max(application.takes(), key=lambda t: (t["part_name"] == "Baritone", t["number"]))
    expect(page.get_by_role("button", name=f"Take {take['number']}, bars 37 to 38")).to_be_visible()

    page.get_by_role("link", name="Re-amp").click()
    page.get_by_role("button", name="Prints", exact=True).click()
    page.get_by_role("button", name=f"Print Baritone {take['number']} through Kiln").click()
    printed = page.get_by_role("button", name=f"Hear Baritone {take['number']} through Kiln")
    expect(printed).to_be_visible(timeout=60_000)
    printed.click()
    expect(page.get_by_text("Kiln of take", exact=False)).to_be_visible()

    page.get_by_role("link", name="Hand-over").click()
    page.get_by_role("button", name="Mark none").click()
    page.get_by_role("button", name=f"All of Baritone {take['number']}").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Hand over 4 files").click()
    archive = zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes()))
    stem = f"Copper Weather/Baritone {take['number']:02d}"
    files = {}
    for name in ("DI", "mic A", "mic B", "Kiln r1"):
        samples, rate_hz = soundfile.read(io.BytesIO(archive.read(f"{stem} - {name}.wav")))
        assert rate_hz == FS
        files[name] = samples
    assert len({len(samples) for samples in files.values()}) == 1
    # What came out is the performance: the DI in its place, the print and the miked amp on it.
    start = take["window_from_frame"]
    window = {name: samples[start : take["window_to_frame"]] for name, samples in files.items()}
    assert not files["DI"][: take["from_frame"]].any()
    for name, samples in window.items():
        assert -45 < integrated_loudness_lufs(Clip.mono(samples, FS)) < -8, name
    found = align(window["DI"], window["Kiln r1"], rate_hz=FS)
    assert abs(found.delay_samples) < 25
    assert found.polarity == -1


def test_number_keys_and_d_choose_what_is_heard(page):
    page.goto("/takes")
    wait_until_ready(page)
    page.get_by_role("button", name="Chorus 1 8 bars").click()
    heard = page.get_by_role("contentinfo")
    expect(heard.get_by_text("mic A")).to_be_visible()
    page.keyboard.press("3")
    expect(heard.get_by_text("mic B")).to_be_visible()
    page.keyboard.press("d")
    expect(heard.get_by_text("DI", exact=True)).to_be_visible()
    page.keyboard.press("d")
    expect(heard.get_by_text("mic B")).to_be_visible()
    place = page.get_by_label("Bar and beat")
    expect(place).to_have_text("13.1")
    page.keyboard.press(" ")
    expect(page.get_by_role("button", name="Stop Space")).to_be_visible(timeout=15_000)
    expect(place).not_to_have_text("13.1", timeout=10_000)
    page.keyboard.press(" ")
    expect(page.get_by_role("button", name="Play Space")).to_be_visible()


def test_a_di_file_is_brought_in_and_a_diary_is_not(page, application, tmp_path):
    page.goto("/takes")
    wait_until_ready(page)
    good, bad = tmp_path / "my riff.flac", tmp_path / "diary.wav"
    soundfile.write(good, plucks(3.0, rate_hz=44_100), 44_100)
    bad.write_text("dear diary")
    chooser = page.get_by_label("DI file to bring in")
    chooser.set_input_files(str(good))
    expect(page.get_by_text("my riff.flac is take", exact=False).last).to_be_visible(timeout=20_000)
    # A refusal is an answer too; the browser logs its status, which is not a fault of the page.
    with page.expect_response(lambda response: response.url.endswith("/imports")) as answer:
        chooser.set_input_files(str(bad))
    assert answer.value.status == 422
    expect(page.get_by_text("diary.wav is not a sound file", exact=False).last).to_be_visible()
    assert any("my riff.flac" in take["said"] for take in application.takes())


def test_bin_and_undo(page, application):
    page.goto("/takes")
    wait_until_ready(page)
    page.get_by_role("button", name="Intro 4 bars").click()
    row = page.get_by_role("button", name="Take 1, bars 1 to 2")
    row.click()
    page.keyboard.press("Delete")
    expect(row).not_to_be_visible()
    page.keyboard.press("u")
    expect(row).to_be_visible()


@pytest.mark.parametrize("where", ["/song", "/rig", "/takes", "/re-amp", "/hand-over"])
@pytest.mark.parametrize("theme", ["day", "night"])
def test_axe_finds_nothing(page, where, theme):
    page.goto(where)
    wait_until_ready(page)
    if theme == "night":
        page.keyboard.press("n")
    page.wait_for_timeout(800)
    found = Axe().run(page)
    assert [(v["id"], [node["html"][:160] for node in v["nodes"][:3]]) for v in found.response["violations"]] == []
    if theme == "night":
        page.keyboard.press("n")


@pytest.mark.parametrize("size", [(1280, 800), (1024, 768), (1920, 1080)])
@pytest.mark.parametrize("where", ["/song", "/rig", "/takes", "/re-amp", "/hand-over"])
def test_nothing_overflows_at_any_size(page, where, size):
    page.set_viewport_size({"width": size[0], "height": size[1]})
    page.goto(where)
    wait_until_ready(page)
    assert page.evaluate(
        "document.documentElement.scrollWidth <= innerWidth && document.documentElement.scrollHeight <= innerHeight"
    )
    cut = page.evaluate(
        """() => [...document.querySelectorAll('footer button, footer output, nav a, main button')]
             .filter((e) => e.getBoundingClientRect().right > innerWidth + 1 || e.getBoundingClientRect().left < -1)
             .map((e) => e.textContent)"""
    )
    assert cut == []


def test_m_mutes_the_part_in_the_mix_and_it_stays_so_after_a_reload(page, application):
    held = []
    page.route("**/cues", lambda route: held.append(route))
    page.goto("/takes")
    wait_until_ready(page)
    session = application.session
    part = next(part for part in session["parts"] if part["armed"])

    def muted():
        mix = application.get(f"/api/sessions/{session['id']}/cues")["cues"][0]["mix"]
        return mix["strips"].get(part["id"], {}).get("muted", False)

    def played():
        tracks = application.get(f"/api/sessions/{session['id']}/playing?cue_id={cue}")
        return [each["left"] for track in tracks if track["part_id"] == part["id"] for each in track["channels"]]

    cue = application.get(f"/api/sessions/{session['id']}/cues")["cues"][0]["id"]
    told = page.get_by_text(f"{part['name']} muted (M)")
    assert all(played())
    # Pressed before the mix has come: it is muted as soon as it has.
    page.keyboard.press("m")
    assert held
    for question in held:
        question.continue_()
    page.unroute("**/cues")
    expect(told).to_be_visible()
    application.wait_for(muted, what="the mute")
    assert not any(played())
    page.reload()
    wait_until_ready(page)
    expect(told).to_be_visible()
    page.keyboard.press("m")
    expect(told).not_to_be_visible()
    application.wait_for(lambda: not muted(), what="its end")
    page.keyboard.press("m")
    page.keyboard.press("u")
    application.wait_for(lambda: not muted(), what="the undo")
