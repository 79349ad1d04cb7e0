"""Music around the talk as people set it: an opening, an ending, an envelope, a room, beats, buses, and undo."""

import re

from playwright.sync_api import expect

from pampa.core.sound import RATE
from tests.pages.conftest import EPISODE


def document(demo_server):
    return demo_server[1].editing.state(EPISODE).document


def track_of(demo_server, name):
    return next(track for track in document(demo_server).tracks if track.name == name)


def done(page, what):
    expect(page.locator("#undo")).to_have_attribute("title", re.compile(what))


def test_an_opening_a_bed_and_an_ending_are_set_around_the_talk_and_undone(open_stage, page, demo_server):
    before = document(demo_server)
    open_stage("balance")
    way = page.get_by_role("group", name="How it is set")
    with page.expect_response(lambda answer: "piece_at=" in answer.url) as heard:
        page.get_by_role("button", name="Hear it here").click()
    assert heard.value.ok
    assert document(demo_server) == before
    page.get_by_role("button", name="Set the opening").click()
    done(page, "Opened with Theme")
    music = track_of(demo_server, "Music").clips[0]
    first_word = min(track.clips[0].start for track in document(demo_server).tracks if track.kind == "person")
    assert music.start == 0
    assert music.length == 16 * RATE
    assert first_word > before.tracks[0].clips[0].start
    way.get_by_role("button", name="Ending").click()
    page.get_by_label("Last note after it").fill("5")
    page.get_by_role("button", name="Set the ending").click()
    done(page, "Ended with Theme")
    last = max((clip for track in document(demo_server).tracks for clip in track.clips), key=lambda clip: clip.end)
    assert last.source + last.length == 45 * RATE
    way.get_by_role("button", name="Bed").click()
    page.get_by_role("button", name="Set the bed").click()
    expect(page.get_by_text("Select what the bed is to lie under")).to_be_visible()
    for _ in range(2):
        page.locator("#undo").click()
    expect(page.locator("#undo")).not_to_have_attribute("title", re.compile("Ended|Opened"))
    assert document(demo_server) == before


def test_a_piece_is_bent_on_the_sheet_sent_to_the_room_and_fitted_to_a_length(open_stage, page, demo_server):
    open_stage("balance")
    page.get_by_role("button", name="Set the opening").click()
    done(page, "Opened with Theme")
    sheet = page.locator("#sheet-overlay")
    top = sheet.bounding_box()
    page.mouse.click(top["x"] + 300, top["y"] + 140)
    expect(page.get_by_text("92.0 beats a minute")).to_be_visible()
    page.mouse.move(top["x"] + 466, top["y"] + 109)
    page.mouse.down()
    page.mouse.move(top["x"] + 466, top["y"] + 118, steps=3)
    page.mouse.up()
    done(page, "Changed the envelope")
    assert min(db for _, db in track_of(demo_server, "Music").clips[0].envelope) < -4
    page.get_by_text("Points of its line").click()
    count = len(track_of(demo_server, "Music").clips[0].envelope)
    page.get_by_label("Level of a point, dB").last.fill("-3.5")
    page.get_by_label("Level of a point, dB").last.press("Enter")
    page.get_by_role("button", name="A point at the playhead").click()
    expect(page.get_by_label("Time of a point")).to_have_count(count + 1)
    assert track_of(demo_server, "Music").clips[0].envelope[-1][1] == -3.5
    page.get_by_role("button", name="Take this point away").first.click()
    expect(page.get_by_label("Time of a point")).to_have_count(count)
    page.get_by_role("button", name="Even again").click()
    expect(page.get_by_role("button", name="Even again")).to_be_hidden()
    room = page.get_by_label("Room, this piece alone")
    room.focus()
    room.press("End")
    done(page, "Changed what a piece is sent to")
    assert track_of(demo_server, "Music").clips[0].sends[0].bus == "room"
    page.get_by_label("Fit to, s").fill("12.5")
    page.get_by_label("Fit to, s").press("Enter")
    done(page, "Laid Music")
    assert track_of(demo_server, "Music").clips[0].length == round(12.5 * RATE)


def test_distance_buses_and_rides_are_set_and_told(open_stage, page, demo_server):
    open_stage("balance")
    under = page.get_by_label("Under the talk").first
    under.focus()
    under.press("ArrowRight")
    done(page, "how far music lies")
    assert track_of(demo_server, "Music").under.lu == 15
    page.get_by_text("Buses and the room").click()
    press = page.locator("#bus-pressed-voices")
    press.focus()
    press.press("ArrowRight")
    done(page, "Changed a bus")
    assert document(demo_server).bus("voices").pressed == 5
    expect(page.get_by_text(re.compile(r"−\d+\.\d LUFS")).first).to_be_visible()
    page.get_by_label("Hear Music alone").last.click()
    expect(page.get_by_label("Hear Music alone").last).to_have_attribute("aria-pressed", "true")
    box = page.locator("#sheet-overlay").bounding_box()
    page.mouse.move(box["x"] + 400, box["y"] + 30)
    page.mouse.down()
    page.mouse.move(box["x"] + 800, box["y"] + 30, steps=3)
    page.mouse.up()
    expect(page.get_by_text("all music and effects", exact=True)).to_be_visible()
