"""The stations Song and Rig as a player uses them: set up, check, see a check fail, put it right."""

from fractions import Fraction
from uuid import uuid4

import numpy as np
import pytest
import soundfile
from playwright.sync_api import expect

from fatsignal.core.song.sections import SongSection
from fatsignal.core.timing.tempo import MeterChange, TempoChange, TempoMap
from fatsignal.files.midi import write_midi
from tests.e2e.conftest import wait_until_ready
from tests.signals import FS

pytestmark = [pytest.mark.browser, pytest.mark.realtime]

# A press of T that says when the finger came down: the taps are as even as the test means them, on any machine.
TAP = """(at_ms) => {
  const press = new KeyboardEvent('keydown', { key: 't', bubbles: true, cancelable: true })
  Object.defineProperty(press, 'timeStamp', { value: at_ms })
  document.body.dispatchEvent(press)
}"""


@pytest.fixture
def song_page(page, application):
    """The station Song in a session of the test's own."""
    number = len(application.get("/api/sessions"))
    page.goto("/song")
    page.get_by_role("button", name="Songs").click()
    page.get_by_role("menuitem", name="A new session…").click()
    page.get_by_role("textbox", name="Song", exact=True).fill(f"Tin Roof {number}")
    page.get_by_role("textbox", name="Tempo", exact=True).fill("96")
    page.get_by_role("button", name="Make the session").click()
    expect(page.get_by_label("Name of the song")).to_have_value(f"Tin Roof {number}")
    return page


def newest(application):
    found = application.get("/api/sessions")[-1]
    return application.get(f"/api/sessions/{found['id']}")


def test_a_new_song_is_set_up_from_name_to_sections(song_page, application):
    page = song_page
    expect(page.get_by_text("The song has no sections yet", exact=False)).to_be_visible()
    for _ in range(3):
        page.get_by_role("button", name="Add a section").click()
        page.wait_for_timeout(200)
    name = page.get_by_label("Name of section 2")
    name.fill("Bridge to nowhere")
    name.press("Enter")
    page.get_by_role("button", name="Bars of Intro: less").click()
    page.get_by_role("button", name="Intro later").click()
    application.wait_for(
        lambda: [(s["name"], s["bars"]) for s in newest(application)["sections"]]
        == [("Bridge to nowhere", 8), ("Intro", 7), ("Chorus", 8)],
        what="the sections",
    )  # fmt: skip
    page.get_by_role("button", name="Undo", exact=False).click()
    application.wait_for(lambda: newest(application)["sections"][0]["name"] == "Intro", what="the order from before")


def test_tempo_is_typed_and_tapped_and_asks_about_a_change_inside_a_section(song_page, application):
    page = song_page
    page.get_by_role("button", name="Add a section").click()
    tempo = page.get_by_label("Beats a minute from bar 1")
    tempo.fill("fast")
    tempo.press("Enter")
    expect(page.get_by_text('"fast" is not a tempo', exact=False).last).to_be_visible()
    tempo.fill("104,5")
    tempo.press("Enter")
    application.wait_for(lambda: newest(application)["tempos"][0]["says"] == "104.5", what="the typed tempo")
    page.evaluate(TAP, 1_000)
    expect(page.get_by_text("one tap so far", exact=False)).to_be_visible()
    for tap in range(1, 9):
        page.evaluate(TAP, 1_000 + 480 * tap + (3 if tap % 2 else -3))
    expect(page.get_by_text("±", exact=False)).to_be_visible()
    bar = page.get_by_role("textbox", name="Bar", exact=True)
    bar.fill("5")
    bar.press("Enter")
    page.get_by_label("Beats a minute from bar 5").fill("110")
    page.get_by_label("Beats a minute from bar 5").press("Enter")
    expect(page.get_by_text("inside Intro: is it meant?", exact=False)).to_be_visible()
    expect(page.get_by_text("1 question about the tempo")).to_be_visible()
    page.get_by_role("button", name="It is", exact=True).click()
    expect(page.get_by_text("1 question about the tempo")).not_to_be_visible()


def test_a_rule_is_set_by_arrows_and_by_typing(song_page, application):
    page = song_page
    accent = page.get_by_role("slider", name="Accent")
    accent.focus()
    accent.press("ArrowLeft")
    application.wait_for(lambda: newest(application)["click"]["accent_dbfs"] == -7, what="the arrow's step")
    accent.press("Shift+ArrowLeft")
    application.wait_for(lambda: newest(application)["click"]["accent_dbfs"] == -17, what="the large step")
    page.get_by_role("button", name="Type Beat").click()
    page.get_by_label("Beat, typed").fill("−24")
    page.get_by_label("Beat, typed").press("Enter")
    application.wait_for(lambda: newest(application)["click"]["beat_dbfs"] == -24, what="the typed level")


def test_a_backing_track_is_brought_in_and_the_song_follows_it(song_page, application, tmp_path):
    page = song_page
    bar = page.get_by_role("textbox", name="Bar", exact=True)
    bar.fill("5")
    bar.press("Enter")
    page.get_by_label("Beats a minute from bar 5").fill("110")
    page.get_by_label("Beats a minute from bar 5").press("Enter")
    application.wait_for(lambda: len(newest(application)["tempos"]) == 2, what="the song's own change of tempo")
    out = np.zeros(20 * FS)
    time_s = np.arange(round(0.2 * FS)) / FS
    kick = 0.6 * np.sin(2 * np.pi * 55 * time_s) * np.exp(-time_s / 0.07)
    for beat in range(32):
        at = round((0.5 + beat * 60 / 112) * FS)
        out[at : at + len(kick)] += kick * (1.4 if beat % 4 == 0 else 0.9)
    path = tmp_path / "loop.flac"
    soundfile.write(path, out, FS)
    page.get_by_label("Sound file for the backing track").set_input_files(str(path))
    expect(page.get_by_text("112.0 beats a minute", exact=False)).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="Song follows its beat").click()
    # The song had a change of tempo of its own: it asks before that is gone.
    expect(page.get_by_text("one tempo change would be gone", exact=False)).to_be_visible()
    page.get_by_role("button", name="Change anyway").click()
    application.wait_for(
        lambda: abs(newest(application)["tempos"][0]["bpm"] - 112) < 0.3, what="the tempo of the track"
    )


def test_a_song_is_taken_over_from_a_midi_file(song_page, application, tmp_path):
    page = song_page
    tempo = TempoMap(
        FS, (TempoChange(1, Fraction(88)), TempoChange(9, Fraction(120))), (MeterChange(1, 4), MeterChange(9, 3)), 0
    )
    sections = [SongSection(uuid4(), "Waltz", 9, 8, 4), SongSection(uuid4(), "March", 1, 8, 4)][::-1]
    path = tmp_path / "theirs.mid"
    path.write_bytes(write_midi(tempo, sections, name="x", song_bars=40))
    page.get_by_label("MIDI file with the song's tempo").set_input_files(str(path))
    expect(page.get_by_text("2 sections: March, Waltz", exact=False)).to_be_visible()
    page.get_by_role("button", name="Take it over").click()
    song = application.wait_for(
        lambda: (now := newest(application))["song_bars"] == 40 and now["sections"] and now, what="the song"
    )
    assert [(s["name"], s["first_bar"], s["bars"]) for s in song["sections"]] == [("March", 1, 8), ("Waltz", 9, 8)]
    assert [(t["bar"], t["says"]) for t in song["tempos"]] == [(1, "88"), (9, "120")]
    page.get_by_role("button", name="Undo", exact=False).click()
    application.wait_for(lambda: newest(application)["sections"] == [], what="the song from before")
    assert newest(application)["tempos"][0]["says"] == "96"


@pytest.fixture
def rig_page(page, application):
    """The station Rig with the demonstration's baritone."""
    first = application.get("/api/sessions")[0]["id"]
    page.add_init_script(f"localStorage.setItem('fatsignal.session', '{first}')")
    page.goto("/rig")
    wait_until_ready(page)
    expect(page.get_by_role("button", name="Baritone guitar")).to_be_visible(timeout=20_000)
    return page


def test_a_line_input_is_warned_of_at_its_node_and_taken_back(rig_page, application):
    page = rig_page
    page.get_by_role("button", name="Instrument input 1").click()
    page.get_by_role("button", name="Kind of input: instrument").click()
    page.get_by_role("option", name="line").click()
    expect(page.get_by_text("10 kΩ load the pickup", exact=False).last).to_be_visible(timeout=20_000)
    page.keyboard.press("u")
    expect(page.get_by_role("button", name="Instrument input 1")).to_be_visible(timeout=20_000)
    expect(page.get_by_text("10 kΩ load the pickup", exact=False)).to_have_count(0)


def test_too_much_gain_is_measured_and_one_key_turns_it_down(rig_page, application):
    page = rig_page
    part = next(part for part in application.session["parts"] if part["armed"])
    rig = application.get(f"/api/parts/{part['id']}/rig")["rig"]
    rig["di"]["input"]["gain_db"] = 12
    assert application.send("PUT", f"/api/parts/{part['id']}/rig", {"rig": rig})[0] == 200
    page.reload()
    wait_until_ready(page)
    page.get_by_role("button", name="Level", exact=False).first.click()
    page.get_by_role("button", name="Listen", exact=True).click()
    expect(page.get_by_role("button", name="Turn input 1 now")).to_be_visible(timeout=60_000)
    page.keyboard.press("g")
    application.wait_for(
        lambda: application.get(f"/api/parts/{part['id']}/rig")["rig"]["di"]["input"]["gain_db"] < 12, what="the turn"
    )


def test_the_tuner_names_every_string(rig_page):
    page = rig_page
    page.get_by_role("button", name="Tuner", exact=False).first.click()
    page.get_by_role("button", name="Tune", exact=True).click()
    expect(page.get_by_role("button", name="Stop and measure")).to_be_visible(timeout=30_000)
    # The simulated player goes from string to string, faster than time here.
    page.wait_for_timeout(8_000)
    page.get_by_role("button", name="Stop and measure").click()
    expect(page.get_by_text("every string that was heard is in tune", exact=False).last).to_be_visible(timeout=60_000)
    for note in ("B1", "E2", "A2", "D3", "F♯3", "B3"):
        expect(page.get_by_role("listitem").filter(has_text=note).first).to_be_visible()


def test_the_chords_of_the_song_are_given_to_the_tuner(rig_page, application):
    page = rig_page
    page.get_by_role("button", name="Chords", exact=False).first.click()
    expect(page.get_by_text("best possible", exact=False)).to_be_visible(timeout=20_000)
    page.get_by_role("button", name="Best compromise").click()
    page.get_by_role("button", name="Give it to the tuner").click()
    part = next(part for part in application.session["parts"] if part["armed"])
    application.wait_for(
        lambda: any(application.get(f"/api/parts/{part['id']}/rig")["rig"]["string_offsets_cents"]), what="the offsets"
    )
    application.send("PUT", f"/api/parts/{part['id']}/tuning-offsets", {"offsets_cents": []})


def test_a_rig_sheet_is_frozen_and_has_a_page(rig_page):
    page = rig_page
    page.get_by_role("button", name="Rig sheets").click()
    page.get_by_label("Name of the rig sheet").fill("chorus, ribbon close")
    page.get_by_role("button", name="Freeze it").click()
    page.get_by_role("link", name="Page").first.click()
    expect(page.get_by_role("heading", name="chorus, ribbon close")).to_be_visible()
    expect(page.get_by_text("B1 E2 A2 D3 F♯3 B3")).to_be_visible()


def test_a_part_is_added_from_an_instrument(rig_page, application):
    page = rig_page
    page.get_by_role("button", name="Add a part").click()
    page.get_by_label("Name of the part").fill("Nylon")
    page.get_by_role("button", name="Instrument: six-string guitar").click()
    page.get_by_role("option", name="acoustic guitar").click()
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("button", name="Acoustic guitar")).to_be_visible(timeout=20_000)
    first = next(part for part in application.session["parts"] if part["name"] == "Baritone")
    application.send("POST", f"/api/sessions/{application.session['id']}/parts/{first['id']}/arm")
