"""Gather, Line up, Balance and Send out in the real interface."""

import re

import pytest
import soundfile
from playwright.sync_api import expect

from pampa.core.loudness import measure
from tests.conftest import beginning
from tests.pages.conftest import EPISODE


def row_of(page, file):
    return page.locator(f'tr[data-file="{file}"]')


def test_a_chosen_file_comes_in_and_can_be_named(open_stage, talk_file, page):
    open_stage("gather")
    page.set_input_files("#files", str(talk_file("pick_up.wav", seconds=4)))
    row = row_of(page, "pick_up.wav")
    expect(row).to_contain_text("0:04", timeout=15_000)
    name = row.get_by_label("Who is on pick_up.wav")
    name.fill("Nola Brant, pick-up")
    name.blur()
    expect(page.locator(".tracks input").last).to_have_value("Nola Brant, pick-up")


def test_files_in_sequence_lie_one_after_another(open_stage, talk_file, page, demo_server):
    open_stage("gather")
    page.get_by_label("one track, one after another").check()
    page.set_input_files("#files", [str(talk_file("one.wav", seconds=3)), str(talk_file("two.wav", seconds=2, seed=2))])
    expect(row_of(page, "two.wav")).to_contain_text("0:02", timeout=20_000)
    expect(page.locator(".tracks li")).to_have_count(6)
    clips = demo_server[1].editing.state(EPISODE).document.tracks[-1].clips
    assert [clip.start for clip in clips] == [0, 144_000]


def test_an_upload_goes_on_after_a_lost_connection(open_stage, talk_file, page, expect_noise):
    """The first piece is cut off on the way; the page waits, asks how much has arrived, and goes on."""
    open_stage("gather")
    lost = []

    def lose_once(route):
        if route.request.method == "PUT" and not lost:
            lost.append(route.request.url)
            route.abort("connectionreset")
        else:
            route.continue_()

    expect_noise("net::ERR_CONNECTION_RESET")
    page.route("**/api/uploads/**", lose_once)
    page.set_input_files("#files", str(talk_file("long.wav", seconds=5)))
    expect(row_of(page, "long.wav")).to_contain_text("0:05", timeout=20_000)
    assert lost


def test_what_is_not_sound_is_said_where_it_was_dropped(open_stage, tmp_path, page):
    open_stage("gather")
    (tmp_path / "show notes.wav").write_text("not sound")
    page.set_input_files("#files", str(tmp_path / "show notes.wav"))
    row = row_of(page, "show notes.wav")
    expect(row).to_contain_text("could not be read as sound", timeout=15_000)
    expect(page.get_by_role("alert").first).to_contain_text("Nothing was changed")


@pytest.mark.parametrize(("event", "holder"), [("drop", "dataTransfer"), ("paste", "clipboardData")])
def test_a_file_dropped_or_pasted_anywhere_comes_in(open_stage, talk_file, page, event, holder):
    page.add_init_script("localStorage.setItem('pampa-gather', 'larder')")
    open_stage("prune")
    data = talk_file("dropped.wav", seconds=2).read_bytes().hex()
    transfer = page.evaluate_handle(
        """(hex) => {
          const bytes = Uint8Array.from(hex.match(/../g), (pair) => parseInt(pair, 16));
          const transfer = new DataTransfer();
          transfer.items.add(new File([bytes], "dropped.wav"));
          return transfer;
        }""",
        data,
    )
    page.evaluate(
        """([name, holder, transfer]) => {
          const made = name === "paste" ? ClipboardEvent : DragEvent;
          document.body.dispatchEvent(new made(name, { [holder]: transfer, bubbles: true, cancelable: true }));
        }""",
        [event, holder, transfer],
    )
    expect(row_of(page, "dropped.wav")).to_contain_text("0:02", timeout=15_000)


def test_raw_files_are_dropped_named_lined_up_heard_and_undone(page, demo_server, sample, tmp_path):
    """The first ten minutes of an episode: what came from both ends and the call, and nothing known of it."""
    base, studio = demo_server
    episode = studio.shows.make_episode(1, "Low Water", 13).id
    page.goto(f"{base}/episodes/{episode}/gather")
    page.wait_for_selector("body[data-ready]")
    files = ("marisol_local.wav", "anders_local.wav", "call_backup.wav")
    for name in files:
        beginning(sample[0] / name, tmp_path, 75)
    page.set_input_files("#files", [str(tmp_path / name) for name in files])
    for name, person in (("marisol_local.wav", "Marisol Vey"), ("anders_local.wav", "Anders Quill")):
        field = page.get_by_label(f"Who is on {name}")
        field.fill(person)
        field.blur()
        expect(row_of(page, name)).to_contain_text("speech")
    # Once all three are there, they are compared; on a busy machine that takes a while.
    expect(page.get_by_label("Role of call_backup.wav")).to_have_value("reference", timeout=90_000)
    page.get_by_role("link", name=re.compile("Line up")).click()
    expect(page.locator(".people li")).to_have_count(2)
    page.locator("#measure-lining").click()
    expect(page.locator(".people")).to_contain_text("found, not in step yet")
    before = studio.editing.state(episode).document
    page.locator("#put-in-step").click()
    expect(page.get_by_role("link", name=re.compile("Line up"))).to_contain_text("2 of 2 in step")
    anders = studio.editing.state(episode).document.tracks[1].clips[0]
    assert anders.start == pytest.approx(4.86 * 48_000, abs=48)
    page.get_by_role("button", name="Both").click()
    expect(page.get_by_role("button", name="Both")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Control+z")
    expect(page.locator("#put-in-step")).to_be_visible()
    assert studio.editing.state(episode).document == before


def test_a_check_up_is_read_and_a_call_split_into_its_people(open_stage, page, demo_server):
    open_stage("gather")
    row = row_of(page, "anders_local.wav")
    row.get_by_role("button", name="check-up: 3 proposals").click()
    expect(page.locator(".checkup")).to_contain_text("Noise at −55 dBFS, 24 dB under speech. Proposed: noise, firm.")
    row_of(page, "call_backup.wav").get_by_role("button", name=re.compile("check-up")).click()
    expect(page.locator(".checkup h2")).to_have_text("Check-up: Call backup")
    page.get_by_role("button", name="Split into two tracks").click()
    expect(page.get_by_label("Who is on call_backup.wav")).to_have_count(2)
    expect(page.locator(".tracks li")).to_have_count(7, timeout=20_000)
    tracks = demo_server[1].editing.state(EPISODE).document.tracks
    names = [track.name for track in tracks if track.name.startswith("Call backup")]
    assert names == ["Call backup, left", "Call backup, right"]


def test_the_same_file_again_is_said_to_be_here(open_stage, page, sample):
    open_stage("gather")
    page.set_input_files("#files", str(sample[0] / "nola_spot.wav"))
    expect(page.locator(".notices [role=status]")).to_contain_text("nola_spot.wav is here already")
    expect(row_of(page, "nola_spot.wav")).to_have_count(1)


def test_people_are_compared_nudged_put_back_and_set_by_hand(open_stage, page, demo_server):
    """The way a person goes who does not trust the first result."""
    open_stage("line-up")
    state = demo_server[1].editing.state
    start = state(EPISODE).document.tracks[1].clips[0].start
    page.locator(".people button", has_text="Anders Quill").click()
    expect(page.locator("#lining-start")).to_have_text(re.compile(r"\+4\.880"))
    expect(page.locator("#lining-drift")).to_have_text(re.compile(r"−(37\.[5-9]|38\.[0-5])"))
    page.get_by_label("10 milliseconds later").click()
    expect(page.locator("#lining-start")).to_have_text(re.compile(r"\+4\.890"))
    expect(page.locator("#undo")).to_have_attribute("title", "Lined up Anders Quill")
    assert state(EPISODE).document.tracks[1].clips[0].start - start == 480
    page.keyboard.press("Control+z")
    expect(page.locator("#redo")).to_have_attribute("title", "Lined up Anders Quill")
    expect(page.locator(".people .chosen")).to_contain_text("not in step yet")
    assert state(EPISODE).document.tracks[1].clips[0].start == start
    page.locator("#by-hand").click()
    for field, seconds in (("#mark-reference", "20.5"), ("#mark-recording", "15.5")):
        page.locator(field).fill(seconds)
        page.locator(field).blur()
    page.locator("#add-pair").click()
    page.locator("#use-pairs").click()
    expect(page.locator("#lining-start")).to_have_text(re.compile(r"\+5\.001"))
    page.locator("#put-in-step").click()
    expect(page.locator(".people .chosen")).to_contain_text("in step")
    page.locator("#measure-lining").click()
    expect(page.locator("#lining-start")).to_have_text(re.compile(r"\+4\.880"), timeout=30_000)
    page.locator("#put-in-step").click()
    expect(page.locator("#put-in-step")).to_be_hidden()
    assert abs(state(EPISODE).document.tracks[1].clips[0].start - start) <= 1


def test_a_recording_is_dragged_under_the_reference(open_stage, page):
    open_stage("line-up")
    page.locator(".people button", has_text="Anders Quill").click()
    box = page.locator("#lining").bounding_box()
    page.mouse.move(box["x"] + 150, box["y"] + box["height"] * 0.45)
    page.mouse.down()
    page.mouse.move(box["x"] + 150 + box["width"] / 3 / 24, box["y"] + box["height"] * 0.45, steps=4)
    page.mouse.up()
    expect(page.locator("#lining-start")).to_have_text(re.compile(r"\+4\.9[89]"))


def test_reference_and_recording_are_heard_together(open_stage, page):
    open_stage("line-up")
    page.locator(".people button", has_text="Anders Quill").click()
    page.get_by_role("button", name="One per ear").click()
    expect(page.get_by_role("button", name="One per ear")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="One per ear").click()
    expect(page.get_by_role("button", name="One per ear")).to_have_attribute("aria-pressed", "false")


def test_the_episode_begins_where_all_are_there(open_stage, page, demo_server):
    open_stage("line-up")
    page.get_by_role("button", name=re.compile("where all are there")).click()
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("Took out 4.9 s"))
    document = demo_server[1].editing.state(EPISODE).document
    assert [track.clips[0].start for track in document.tracks[:2]] == [0, 0]


def test_solo_hears_one_person(open_stage, page):
    open_stage("balance")
    page.get_by_label("Hear Anders Quill alone").click()
    page.keyboard.press("Home")
    page.keyboard.press("Space")
    expect(page.locator("#clock")).to_have_text(re.compile(r"0:00:0[2-4]"))
    assert page.locator("#heard").inner_text() == "–"  # Anders comes in at 4.7 s
    page.keyboard.press("Space")


def test_send_out_download_and_measure(short_episode, open_stage, page, tmp_path):
    open_stage("send-out")
    page.locator("#format").select_option("flac-24")
    page.locator("#make-file").click()
    expect(page.locator(".delivery-sheet").first).to_be_visible(timeout=60_000)
    expect(page.locator(".outcome").first).to_have_text("on target")
    with page.expect_download() as waiting:
        page.get_by_role("link", name="Download").click()
    path = tmp_path / waiting.value.suggested_filename
    waiting.value.save_as(path)
    assert path.name == "slack-water-12-the-pilot-ladder.flac"
    sound, rate = soundfile.read(path, dtype="float32")
    reading = measure(sound, rate)
    assert reading.integrated_lufs == pytest.approx(-16.0, abs=0.1)
    assert reading.true_peak_dbtp <= -1.0


def test_a_delivery_can_be_stopped(open_stage, page):
    open_stage("send-out")
    page.locator("#format").select_option("mp3-320")
    page.locator("#make-file").click()
    page.get_by_role("button", name="Stop", exact=True).first.click()
    expect(page.get_by_role("status").first).to_contain_text("stopped", timeout=20_000)
    expect(page.locator(".deliveries > li")).to_have_count(0)


def test_stages_are_reached_without_stopping_the_sound(open_stage, page):
    open_stage("prune")
    page.keyboard.press("Space")
    page.get_by_role("link", name="Balance").click()
    expect(page).to_have_url(re.compile("/balance$"))
    assert page.locator("#play").get_attribute("aria-pressed") == "true"
    page.go_back()
    expect(page.get_by_role("heading", name="Prune")).to_be_visible()


def test_one_word_is_made_softer_by_a_key_and_louder_again(open_stage, page, demo_server):
    page = open_stage("balance")
    page.keyboard.press("g")
    expect(page.get_by_role("alert")).to_contain_text("Select what one person says")
    anders = demo_server[1].editing.state(EPISODE).document.tracks[1]
    at = anders.clips[0].start + 5 * 48000
    select = "([track, start]) => Alpine.$data(document.body).selection.select({ start, stop: start + 24000, track })"
    page.evaluate(select, [anders.id, at])
    page.keyboard.press("g")
    expect(page.get_by_role("status").filter(has_text="3 dB softer there")).to_be_visible()
    page.get_by_role("button", name="3 dB softer").click()
    spots = lambda: demo_server[1].editing.state(EPISODE).document.amounts(anders.clips[0].recording).spots  # noqa: E731

    def settle(*wanted):
        """Edits go one after another; they are through once the server has the last."""
        for _ in range(150):
            if tuple(spot.db for spot in spots()) == wanted:
                return
            page.wait_for_timeout(200)
        raise AssertionError(spots())

    settle(6)
    [spot] = spots()
    assert spot.stop_s - spot.start_s == pytest.approx(0.5, abs=0.001)
    page.keyboard.press("Shift+G")
    page.keyboard.press("Shift+G")
    settle()
