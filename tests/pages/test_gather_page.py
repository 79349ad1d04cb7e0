"""Gather in the real browser: several at once, the larder, patterns, and lines recorded at a microphone."""

import re

import numpy as np
import pytest
import soundfile
from playwright.sync_api import expect

from pampa.core.sound import RATE
from pampa.studio.events import Event
from tests.conftest import beginning
from tests.pages.conftest import EPISODE
from tests.signals import talk

KEEP_STREAM = """
const open = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);
navigator.mediaDevices.getUserMedia = async (wanted) => (window.microphone = await open(wanted));
"""


def button(page, name):
    return page.get_by_role("button", name=name, exact=True)


def tick(page, *names):
    for name in names:
        page.get_by_label(f"Choose {name}").check()


def document(studio):
    return studio.editing.state(EPISODE).document


def test_a_piece_is_kept_found_tagged_heard_and_used_at_a_typed_time(page, open_stage, demo_server):
    _, studio = demo_server
    open_stage("gather")
    button(page, "Larder").click()
    expect(page.locator("#larder tbody tr")).to_have_count(8)
    row = page.locator("#larder tbody tr", has=page.get_by_label("Name of Theme"))
    expect(row).to_contain_text("92 bpm")
    page.get_by_label("Tags of Gulls").fill("harbour morning")
    page.get_by_label("Tags of Gulls").press("Enter")
    page.get_by_label("Search the larder").fill("MORN harbour")
    expect(page.locator("#larder tbody tr")).to_have_count(1)
    button(page, "Listen to Gulls").click()
    expect(button(page, "Stop Gulls")).to_be_visible()
    page.get_by_label("Time to use a piece at").fill("1:40")
    page.get_by_label("Time to use a piece at").press("Enter")
    button(page, "Use Gulls").click()
    expect(page.locator(".notice[role=status]")).to_contain_text("Gulls lies at 0:01:40.0")
    port = next(track for track in document(studio).tracks if track.name == "Port")
    assert 100 * RATE in [clip.start for clip in port.clips]
    page.get_by_label("Search the larder").fill("")
    expect(page.locator("#larder tbody tr input.who").first).to_have_value("Gulls")
    button(page, "Remove Theme from the larder").click()
    expect(page.locator("#larder tbody tr")).to_have_count(7)
    button(page, "Bring it back").click()
    expect(page.locator("#larder tbody tr")).to_have_count(8)
    page.get_by_label("Search the larder").fill("nothing of the kind")
    expect(page.get_by_text("Nothing in the larder is like that.")).to_be_visible()


def test_what_the_larder_is_given_becomes_pieces_and_no_recordings(page, open_stage, demo_server, tmp_path):
    _, studio = demo_server
    open_stage("gather")
    tick(page, "room_sandhaven.wav")
    button(page, "To the larder").click()
    button(page, "Larder").click()
    expect(page.get_by_label("Name of Room tone, Sandhaven")).to_be_visible(timeout=20_000)
    page.get_by_role("group", name="Kind").get_by_role("button", name="Effects").click()
    soundfile.write(tmp_path / "oars.wav", talk(4, seed=9), RATE)
    page.locator("#files").set_input_files(tmp_path / "oars.wav")
    expect(page.get_by_label("Name of Oars")).to_be_visible(timeout=20_000)
    assert {piece.kind for piece, _ in studio.larder.search(1, "oars").pieces} == {"effects"}
    assert len(studio.recordings.of_episode(EPISODE)) == 12


def test_a_whole_folder_comes_in_with_its_names_as_tags(page, open_stage, demo_server, talk_file, tmp_path):
    _, studio = demo_server
    open_stage("gather")
    button(page, "Larder").click()
    within = tmp_path / "Harbour" / "effects"
    within.mkdir(parents=True)
    talk_file("bell buoy.wav", seconds=2).rename(within / "bell buoy.wav")
    (within / "read me.txt").write_text("where it was recorded")
    page.set_input_files("#larder-folder", str(tmp_path / "Harbour"))
    expect(page.get_by_label("Name of Bell buoy")).to_be_visible(timeout=15_000)
    (piece, _), *others = studio.larder.search(1, "harbour bell").pieces
    assert not others
    assert (piece.tags, piece.kind) == ("Harbour effects", "effects")
    expect(page.get_by_text("1 file is no sound and stayed")).to_be_visible()


def test_a_show_without_a_larder_is_told_how_to_fill_it(page, demo_server):
    base, studio = demo_server
    empty = studio.shows.make_episode(studio.shows.make_show("Low Tide").id, "One").id
    page.goto(f"{base}/episodes/{empty}/gather")
    page.wait_for_selector("body[data-ready]")
    button(page, "Larder").click()
    expect(page.get_by_text("Nothing is in the larder yet.")).to_be_visible()


def test_the_next_episode_begins_with_the_pattern_of_this_one(page, open_stage, demo_server, sample, tmp_path):
    base, studio = demo_server
    open_stage("gather")
    page.get_by_text("Pattern for the next episode").click()
    page.get_by_label("Name of the pattern").fill("A guest and a spot")
    button(page, "Keep").click()
    expect(page.locator(".notice[role=status]")).to_contain_text("A guest and a spot is kept")
    studio.jobs.wait()
    page.goto(base)
    page.get_by_role("button", name="New from “A guest and a spot”").click()
    page.wait_for_selector("body[data-ready]")
    assert re.search(r"/episodes/\d+/gather$", page.url)
    expect(page.get_by_label("Name of track Anders Quill")).to_be_visible()
    expect(page.get_by_text("wait for the end of the talk")).to_be_visible()
    page.locator("#files").set_input_files(beginning(sample[0] / "anders_local.wav", tmp_path, 20))
    row = page.locator('tr[data-file="anders_local.wav"]')
    expect(row).to_contain_text("check-up:", timeout=60_000)
    button(page, "Lay the ending").click()
    expect(button(page, "Lay the ending")).to_be_hidden()
    page.locator("#undo").click()
    expect(button(page, "Lay the ending")).to_be_visible()


def test_parts_of_one_recording_are_proposed_and_joined_by_one_action(page, open_stage, demo_server, tmp_path):
    _, studio = demo_server
    for number, seconds in ((1, 6), (2, 3)):
        soundfile.write(tmp_path / f"REC_000{number}.wav", talk(seconds, seed=number), RATE)
    open_stage("gather")
    page.locator("#files").set_input_files([tmp_path / "REC_0001.wav", tmp_path / "REC_0002.wav"])
    expect(page.get_by_text("REC_0001.wav, REC_0002.wav look like parts")).to_be_visible(timeout=30_000)
    page.reload()
    page.wait_for_selector("body[data-ready]")
    page.locator(".proposal").get_by_role("button", name="Join in sequence").click()
    expect(page.locator(".notice[role=status]")).to_contain_text("2 parts lie one after another")
    joined = next(track for track in document(studio).tracks if track.name == "REC 0001")
    assert [(clip.start, clip.length) for clip in joined.clips] == [(0, 6 * RATE), (6 * RATE, 3 * RATE)]


def test_rows_are_ordered_renamed_removed_together_and_brought_back(page, open_stage, demo_server):
    _, studio = demo_server
    open_stage("gather")
    tick(page, "gulls.flac", "rope.flac")
    for _ in range(2):
        page.get_by_label("Move the chosen up").click()
    expect(page.locator("#recordings tbody tr:nth-last-child(2) input.who")).to_have_value("Fog signal")
    page.get_by_label("Name of the file rope.flac").fill("rope, long.flac")
    page.get_by_label("Name of the file rope.flac").press("Enter")
    expect(page.get_by_label("Choose rope, long.flac")).to_be_checked()
    page.get_by_label("Remove the chosen from the list").click()
    expect(page.locator("#recordings tbody tr")).to_have_count(10)
    page.get_by_text("Removed from the list").click()
    button(page, "Bring back rope, long.flac").click()
    expect(page.locator("#recordings tbody tr")).to_have_count(11)
    names = [recording.name for recording in studio.recordings.of_episode(EPISODE)]
    assert names.index("rope, long.flac") < names.index("fog_signal.flac")


def test_what_is_being_typed_stays_when_the_list_is_read_anew(page, open_stage, demo_server):
    _, studio = demo_server
    open_stage("gather")
    field = page.get_by_label("Name of the file rope.flac")
    field.fill("rope, lo")
    with page.expect_response("**/recordings"):
        studio.events.post(Event("recordings", EPISODE, {}))
    page.wait_for_timeout(300)
    expect(field).to_have_value("rope, lo")
    field.press_sequentially("ng.flac")
    field.press("Enter")
    expect(page.get_by_label("Choose rope, long.flac")).to_be_visible()
    expect(page.get_by_label("Name of the file rope, long.flac")).to_have_value("rope, long.flac")


@pytest.fixture
def microphone(page, open_stage):
    page.context.grant_permissions(["microphone"])
    page.add_init_script(KEEP_STREAM)
    open_stage("gather")
    button(page, "Pick-up line").click()
    page.get_by_label("count in").uncheck()
    button(page, "Open the microphone").click()
    expect(button(page, "Record")).to_be_visible()
    return page


def takes_on_sheet(studio):
    return [(track.name, clip) for track in document(studio).tracks for clip in track.clips if "pick-ups" in track.name]


def test_takes_lie_at_the_playhead_each_in_the_place_of_the_last(microphone, demo_server):
    _, studio = demo_server
    page = microphone
    page.keyboard.press("Shift+ArrowRight")
    for number in (1, 2):
        page.keyboard.press("r")
        expect(button(page, "Stop")).to_be_visible()
        page.wait_for_timeout(1200)
        page.keyboard.press("r")
        expect(page.locator("#takes tbody tr").nth(number - 1)).to_contain_text("on Marisol Vey", timeout=20_000)
    [(name, clip)] = takes_on_sheet(studio)
    assert (name, clip.start) == ("Marisol Vey, pick-ups", 2 * RATE)
    second = studio.recordings.of_episode(EPISODE)[-1]
    assert clip.recording == second.id
    sound = studio.sounds.conformed(second.id).read(0, clip.length)
    assert clip.length > RATE // 4
    assert np.abs(sound).max() > 0.05, "the fake microphone beeps"
    button(page, "Use this one, take 1").click()
    expect(page.locator("#takes tbody tr").first).to_contain_text("on Marisol Vey")
    [(_, clip)] = takes_on_sheet(studio)
    assert clip.recording != second.id


def test_what_was_recorded_until_the_microphone_went_is_kept(microphone, demo_server):
    _, studio = demo_server
    page = microphone
    button(page, "Record").click()
    page.wait_for_timeout(1000)
    page.evaluate("""() => {
        const [track] = window.microphone.getAudioTracks();
        track.stop();
        track.dispatchEvent(new Event("ended"));
    }""")
    expect(page.get_by_role("alert")).to_contain_text("What was recorded until then is kept")
    expect(page.locator("#takes tbody tr")).to_contain_text("on Marisol Vey", timeout=20_000)
    [(_, clip)] = takes_on_sheet(studio)
    assert clip.length > RATE // 4


def test_a_take_that_could_not_be_sent_is_not_lost(microphone, demo_server, expect_noise):
    expect_noise("503")
    page = microphone
    _, studio = demo_server
    refuse = '{"error": {"kind": "Busy", "message": "Not now."}}'
    page.route("**/api/episodes/*/uploads", lambda route: route.fulfill(status=503, body=refuse))
    button(page, "Record").click()
    page.wait_for_timeout(800)
    button(page, "Stop").click()
    expect(page.locator("#takes tbody tr")).to_contain_text("only in this page so far")
    page.unroute("**/api/episodes/*/uploads")
    button(page, "Try again, take 1").click()
    expect(page.locator("#takes tbody tr")).to_contain_text("on Marisol Vey")
    assert len(takes_on_sheet(studio)) == 1


def test_the_count_in_comes_before_the_take(microphone, demo_server):
    page = microphone
    page.get_by_label("count in").check()
    button(page, "Record").click()
    expect(button(page, "3 …")).to_be_visible()
    expect(button(page, "Stop")).to_be_visible(timeout=20_000)
    assert page.evaluate("() => document.querySelectorAll('#takes tbody tr').length") == 0


def test_a_refused_microphone_is_said_with_what_to_do(page, open_stage, expect_noise):
    expect_noise("microphone is not allowed")

    def refuse(route):
        answer = route.fetch()
        route.fulfill(response=answer, headers={**answer.headers, "permissions-policy": "microphone=()"})

    page.route("**/gather", refuse)
    open_stage("gather")
    button(page, "Pick-up line").click()
    button(page, "Open the microphone").click()
    expect(page.get_by_role("alert")).to_contain_text("was not allowed to use the microphone")


def test_files_dropped_onto_a_show_begin_an_episode_that_says_what_comes_next(page, demo_server, tmp_path):
    """On the desk each episode is drawn, and opens where its next step is."""
    base, studio = demo_server
    page.goto(base)
    desk = page.locator(".on-desk")
    expect(desk.first.locator(".next-step")).to_have_text(re.compile("Mend|check-ups|Take out|Nobody|Line"))
    expect(
        desk.filter(has=page.get_by_label("Title of episode The Pilot Ladder")).locator("path.above")
    ).to_have_attribute("d", re.compile("^M.{200}"))
    soundfile.write(tmp_path / "hum.wav", talk(4), RATE)
    data = page.evaluate_handle("() => new DataTransfer()")
    page.evaluate(
        "([data, bytes]) => data.items.add(new File([new Uint8Array(bytes)], 'hum.wav'))",
        [data, list((tmp_path / "hum.wav").read_bytes())],
    )
    page.dispatch_event(".show-block", "drop", {"dataTransfer": data})
    page.wait_for_url(re.compile(r"/episodes/\d+/gather"))
    expect(page.locator("#recordings tbody tr")).to_have_count(1)
    [made] = [e for e in studio.shows.episodes(1) if e.title == "Episode 13"]
    assert [r.name for r in studio.recordings.of_episode(made.id)] == ["hum.wav"]
    studio.jobs.wait()
    page.reload()
    page.wait_for_selector("body[data-ready]")
    away = page.get_by_label("Do not say this any more")
    away.click()
    page.reload()
    page.wait_for_selector("body[data-ready]")
    expect(away).to_be_hidden()


def test_a_show_of_many_episodes_lists_the_newest_and_the_earlier_ones_when_they_are_asked_for(page, demo_server):
    base, studio = demo_server
    made = [studio.shows.make_episode(1, f"Tide {number}", 100 + number).id for number in range(41)]
    listed = page.locator(".show-block").first.locator(".on-desk")
    page.goto(base)
    expect(listed).to_have_count(40)
    page.get_by_role("button", name=re.compile(r"Show \d+ earlier episodes")).click()
    expect(listed.get_by_label("Title of episode Tide 0")).to_be_visible()
    assert listed.count() > len(made)
    expect(page.get_by_role("button", name=re.compile("earlier episodes"))).to_have_count(0)
