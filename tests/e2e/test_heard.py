"""What comes out of a browser that plays, sample by sample."""

import base64

import numpy as np
import pytest
import soundfile
from playwright.sync_api import expect

from tests.e2e.conftest import wait_until_ready
from tests.signals import FS, noise, sine
from tests.web.test_imports import as_file, upload

pytestmark = [pytest.mark.browser, pytest.mark.alone]


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


# Hundreds of thousands of numbers go as bytes: written out one by one they would take ten seconds.
PACKED = """() => {
  const bytes = new Uint8Array(new Float64Array(window.heard.flat()).buffer)
  let text = ''
  for (let at = 0; at < bytes.length; at += 8192) text += String.fromCharCode(...bytes.subarray(at, at + 8192))
  return btoa(text)
}"""


def heard_so_far(page):
    """What has sounded in `window.heard`, shape (blocks, 1 + 128): the frame of the audio clock, then the samples."""
    return np.frombuffer(base64.b64decode(page.evaluate(PACKED))).reshape(-1, 129)


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
    page.goto("/re-amp?view=prints")
    printed = page.get_by_role("button", name=f"Hear {take['part_name']} {take['number']} through Through")
    expect(printed).to_be_visible(timeout=60_000)
    printed.click()
    page.keyboard.press(" ")
    expect(page.get_by_role("button", name="Stop Space")).to_be_visible(timeout=15_000)
    for number in range(8):
        page.wait_for_timeout(130)
        page.keyboard.press("12"[number % 2])
    page.wait_for_timeout(200)
    blocks = heard_so_far(page)
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
    noises = {name: noise(8.0, seed=seed) / 8 for name, seed in (("own.wav", 1), ("other.wav", 2))}
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
    # Before its takes are there, Space plays the song, in which both parts lie in the middle.
    expect(page.get_by_role("button", name=f"Star take {take['number']}")).to_be_visible()

    def heard_for(ms):
        """Heard out; where the machine stood still and the browser's audio clock with it, once more."""
        for _ in range(3):
            blocks = heard_once(ms)
            if (np.diff(blocks[:, 0]) == 128).all():
                return blocks[:, 1:].ravel()
        raise AssertionError("the browser's audio clock stumbled each time")

    def heard_once(ms):
        # The playhead goes to where the section begins.
        page.get_by_role("button", name="Verse 2 8 bars").click()
        page.evaluate("window.heard = []")
        page.keyboard.press(" ")
        expect(page.get_by_role("button", name="Stop Space")).to_be_visible(timeout=15_000)
        page.wait_for_timeout(ms)
        blocks = heard_so_far(page)
        page.keyboard.press(" ")
        expect(page.get_by_role("button", name="Play Space")).to_be_visible()
        return blocks[np.argmax(np.abs(blocks[:, 1:]).max(axis=1) > 1e-4) :]

    def fitted(signal):
        """How much of each noise is in it, and what else is."""
        own = noises["own.wav"]
        lag = int(np.argmax(np.correlate(signal[: FS // 4], own[: FS // 8], mode="valid")))
        length = min(len(signal) - lag, int(4.6 * FS)) - 2_000
        both = np.column_stack([noises[name][:length] for name in ("own.wav", "other.wav")])
        shares, *_ = np.linalg.lstsq(both, signal[lag : lag + length], rcond=None)
        # What is used of a take fades in over its first 5 ms.
        return shares, (signal[lag : lag + length] - both @ shares)[480:]

    (own, beside), rest = fitted(heard_for(5_000))
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
