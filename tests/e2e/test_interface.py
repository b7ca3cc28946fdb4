"""The real interface in headless Chromium, from roll to downloaded ZIP; and the audio that came out."""

import io
import zipfile

import numpy as np
import pytest
import soundfile
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from fatsignal.core.clip import Clip
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.timing.delay import align
from tests.e2e.conftest import wait_until_ready
from tests.signals import FS, noise, plucks, sine
from tests.web.test_imports import as_file, upload

pytestmark = [pytest.mark.browser, pytest.mark.alone]


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
    page.get_by_role("button", name=f"Print Baritone {take['number']} through Kiln").click()
    printed = page.get_by_role("button", name=f"Hear Baritone {take['number']} through Kiln")
    expect(printed).to_be_visible(timeout=60_000)
    printed.click()
    expect(page.get_by_text("Kiln of take", exact=False)).to_be_visible()

    page.get_by_role("link", name="Hand-over").click()
    page.get_by_role("button", name="Mark none").click()
    page.get_by_role("button", name=f"All of Baritone {take['number']}").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Hand over 4 files").click()
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


TAP = """
  // Everything that goes to the loudspeakers goes through a worklet first. It runs in the audio's own thread and
  // tells the frame of each block, so that a busy machine cannot lose any of it unseen.
  window.heard = []
  const connect = AudioNode.prototype.connect, resume = AudioContext.prototype.resume
  const taps = new WeakMap()
  const code = `registerProcessor('tap', class extends AudioWorkletProcessor {
    process([input]) {
      this.port.postMessage([currentFrame, input[0] ? input[0].slice() : new Float32Array(128)])
      return true
    }
  })`
  // Player and ears resume the same context, perhaps at once: one tap for each context.
  const made = new WeakMap()
  const tapped = async (context) => {
    await context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })))
    const tap = new AudioWorkletNode(context, 'tap', { channelCount: 1, channelCountMode: 'explicit' })
    tap.port.onmessage = (event) => window.heard.push([event.data[0], ...event.data[1]])
    connect.call(tap, context.destination)
    taps.set(context, tap)
  }
  AudioContext.prototype.resume = async function () {
    if (!made.has(this)) made.set(this, tapped(this))
    await made.get(this)
    return resume.call(this)
  }
  AudioNode.prototype.connect = function (target, ...rest) {
    return connect.call(this, target === this.context.destination ? taps.get(this.context) : target, ...rest)
  }
"""


@pytest.fixture
def tapped_page(browser, application):
    """A page whose audio is kept in `window.heard`; the tap's script is no part of the application's own."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=application.url, bypass_csp=True)
    context.add_init_script(TAP)
    application.ready_to_roll()
    yield context.new_page()
    context.close()


def test_switching_while_playing_is_instant_aligned_and_without_a_click(tapped_page, application, tmp_path):
    """A sine and a print that changes nothing: a switch that keeps its place leaves no trace in what is heard."""
    page, session = tapped_page, application.session
    sine_file = tmp_path / "sine.wav"
    soundfile.write(sine_file, sine(200.0, peak=0.1, seconds=6), FS, subtype="PCM_24")
    through = {"name": "Through", "blocks": [{"kind": "trim", "gain_db": 0}]}
    tone = application.send("POST", "/api/tones", through)[1]
    page.goto("/takes")
    wait_until_ready(page)
    page.get_by_label("DI file to bring in").set_input_files(str(sine_file))
    take = application.wait_for(
        lambda: next((t for t in application.takes() if "sine.wav" in t["said"]), None), what="the sine"
    )
    application.send("POST", "/api/prints", {"material_id": take["id"], "tone_revision_id": tone["id"]})
    page.goto("/re-amp")
    printed = page.get_by_role("button", name=f"Hear {take['part_name']} {take['number']} through Through")
    expect(printed).to_be_visible(timeout=60_000)
    printed.click()
    page.keyboard.press(" ")
    expect(page.get_by_role("button", name="Stop Space")).to_be_visible(timeout=15_000)
    for number in range(8):
        page.wait_for_timeout(130)
        page.keyboard.press("12"[number % 2])
    page.wait_for_timeout(200)
    blocks = np.array(page.evaluate("window.heard"))
    page.keyboard.press(" ")
    assert session["rate_hz"] == FS
    blocks = blocks[np.argmax(np.abs(blocks[:, 1:]).max(axis=1) > 1e-3) :]
    # Every frame of the audio clock is there.
    assert (np.diff(blocks[:, 0]) == 128).all()
    signal = blocks[:, 1:].ravel()
    sounding = np.flatnonzero(np.abs(signal) > 1e-3)
    played = signal[sounding[0] : sounding[-1]][2400:-2400]
    assert len(played) > FS
    crests = np.abs(played[: len(played) // 240 * 240].reshape(-1, 240)).max(axis=1)
    level = float(np.median(crests))
    # Its level stays: two equal sounds faded over in place neither dip nor rise. −18 LUFS is the common loudness.
    assert crests.min() > 0.98 * level
    assert crests.max() < 1.02 * level
    # A 200 Hz sine moves at most 2π·200/48000 of its peak a sample: any step would stand out.
    assert np.abs(np.diff(played)).max() < 1.02 * 2 * np.pi * 200 / FS * level


def test_the_take_is_heard_among_the_other_parts_without_a_seam_between_pieces(tapped_page, application):
    """What comes out is the take and another part's sound, sample by sample: both are known, and nothing else is left.

    The other part is fetched in pieces of two seconds; three of them meet in what is heard.
    """
    page, session = tapped_page, application.session
    other = session["parts"][1]
    noises = {name: noise(16.0, seed=seed) / 8 for name, seed in (("own.wav", 1), ("other.wav", 2))}
    for name, part in (("own.wav", session["parts"][0]), ("other.wav", other)):
        status, _ = upload(application, {name: as_file(noises[name])}, part_id=part["id"], bar=21)
        assert status == 201
    take = next(t for t in application.takes() if "own.wav" in t["said"])
    page.goto("/takes")
    wait_until_ready(page)
    page.get_by_role("button", name="Verse 2 8 bars").click()
    expect(page.get_by_role("button", name=f"Star take {take['number']}")).to_be_visible()
    click = application.get(f"/api/sessions/{session['id']}")["click"]
    application.send("PUT", f"/api/sessions/{session['id']}/click", {**click, "play_count_in_bars": 0})
    page.reload()
    wait_until_ready(page)
    page.get_by_role("button", name="Verse 2 8 bars").click()

    def heard_for(ms):
        # The playhead goes to where the section begins.
        page.get_by_role("button", name="Verse 2 8 bars").click()
        page.evaluate("window.heard = []")
        page.keyboard.press(" ")
        expect(page.get_by_role("button", name="Stop Space")).to_be_visible(timeout=15_000)
        page.wait_for_timeout(ms)
        blocks = np.array(page.evaluate("window.heard"))
        page.keyboard.press(" ")
        expect(page.get_by_role("button", name="Play Space")).to_be_visible()
        blocks = blocks[np.argmax(np.abs(blocks[:, 1:]).max(axis=1) > 1e-4) :]
        assert (np.diff(blocks[:, 0]) == 128).all()
        return blocks[:, 1:].ravel()

    def fitted(signal):
        """How much of each noise is in it, and what else is."""
        own = noises["own.wav"]
        lag = int(np.argmax(np.correlate(signal[: FS // 4], own[: FS // 8], mode="valid")))
        length = min(len(signal) - lag, int(6.5 * FS)) - 2_000
        both = np.column_stack([noises[name][:length] for name in ("own.wav", "other.wav")])
        shares, *_ = np.linalg.lstsq(both, signal[lag : lag + length], rcond=None)
        # What is used of a take fades in over its first 5 ms.
        return shares, (signal[lag : lag + length] - both @ shares)[480:]

    (own, beside), rest = fitted(heard_for(7_000))
    assert own > 0
    # Two of equal level: the other as loud as its place in the middle makes it, in the mean of both ears.
    assert beside / own == pytest.approx(np.sqrt(0.5), rel=0.02)
    assert np.abs(rest).max() < 1e-3 * own
    page.keyboard.press("a")
    (own, beside), rest = fitted(heard_for(2_500))
    assert abs(beside) < 1e-3 * own
    # The choice outlives the page.
    page.reload()
    wait_until_ready(page)
    expect(page.get_by_text("alone (A)", exact=False)).to_be_visible()
    page.keyboard.press("a")
    expect(page.get_by_text("among the parts (A)", exact=False)).to_be_visible()


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
