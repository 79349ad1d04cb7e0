"""Cutting by hand in the real interface: by keys, by mouse in the loupe, by touch; history, versions, places."""

import re
import time

import pytest
from playwright.sync_api import expect

from tests.pages.conftest import EPISODE
from tests.pages.test_prune_page import WHOLE, drag_over_first_line, heard_something, length, seams

RATE = 48_000


def done(page, words):
    """Wait until the last edit is told of in these words."""
    expect(page.locator("#undo")).to_have_attribute("title", re.compile(words))


def until(holds):
    """Wait for something that no element of the page shows."""
    for _ in range(400):
        if holds():
            return
        time.sleep(0.1)
    raise AssertionError("it never came")


def view(page, name):
    """By key: what is above the button comes and goes with what is chosen, and moves it from under a pointer."""
    page.get_by_role("button", name=name, exact=True).press("Enter")


def document(demo_server):
    return demo_server[1].editing.state(EPISODE).document


@pytest.fixture
def cut(open_stage):
    """The page with one seam, of some five seconds, chosen."""
    page = open_stage()
    drag_over_first_line(page, 300, 520)
    page.keyboard.press("Delete")
    expect(seams(page)).to_have_count(1)
    view(page, "Seams")
    seams(page).first.locator(".row-button").click()
    return page


def test_an_open_seam_is_heard_and_its_side_is_dragged_in_the_loupe(cut, demo_server):
    page = cut
    page.keyboard.press("u")
    expect(page.get_by_role("button", name="Open U")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("e")
    heard_something(page)
    page.keyboard.press("Space")
    before = document(demo_server).seams[0].length
    box = page.locator("#loupe-canvas").bounding_box()
    expect(page.locator("#loupe-canvas")).to_be_visible()
    side = page.evaluate(
        """() => {
          const canvas = document.getElementById("loupe-canvas");
          for (let x = 100; x < canvas.clientWidth; x += 2) {
            const { left, top } = canvas.getBoundingClientRect();
            canvas.dispatchEvent(new PointerEvent("pointermove", { clientX: left + x, clientY: top + 60 }));
            if (canvas.dataset.over === "left") return x;
          }
          return null;
        }"""
    )
    assert side
    y = box["y"] + 60
    page.mouse.move(box["x"] + side + 3, y)
    page.mouse.down()
    page.mouse.move(box["x"] + side + 45, y, steps=4)
    page.mouse.up()
    done(page, "side of a seam")
    assert document(demo_server).seams[0].length < before - RATE // 10
    expect(page.get_by_role("button", name="Open U")).to_have_attribute("aria-pressed", "true")


def test_a_length_that_is_being_typed_stays_when_another_edit_comes_in(cut, demo_server):
    page = cut
    field = page.get_by_label("Cross-fade, ms")
    length = document(demo_server).seams[0].length
    field.fill("80")
    page.evaluate("document.querySelector('[aria-label=\"Left side 10 ms earlier\"]').click()")  # the focus stays
    until(lambda: document(demo_server).seams[0].length != length)
    done(page, "side of a seam")
    expect(field).to_have_value("80")
    field.press("Tab")
    done(page, "crosses over")
    assert document(demo_server).seams[0].crossfade == 3840


def test_sides_are_nudged_by_keys_and_heard_and_the_crossing_is_set(cut, demo_server):
    page = cut
    before = document(demo_server).seams[0]
    page.keyboard.press(".")
    done(page, "side of a seam")
    heard_something(page)
    page.keyboard.press("Space")
    until(lambda: document(demo_server).seams[0].length == before.length - 480)
    page.keyboard.press("<")
    until(lambda: document(demo_server).seams[0].length == before.length - 960)
    expect(page.get_by_role("button", name="Put back B")).to_be_visible()
    page.get_by_label("Cross-fade, ms").fill("80")
    page.get_by_label("Cross-fade, ms").press("Tab")
    done(page, "crosses over")
    page.get_by_label("It keeps even").select_option("amplitude")
    expect(page.get_by_label("It keeps even")).to_have_value("amplitude")
    page.wait_for_timeout(500)
    seam = document(demo_server).seams[0]
    assert (seam.length, seam.crossfade, seam.crossing) == (before.length - 960, 3840, "amplitude")


def test_joins_are_checked_and_those_that_may_be_heard_are_listed(cut):
    page = cut
    page.get_by_role("button", name="Check all joins").click()
    expect(page.locator("[aria-label=Seams] [role=status]")).to_contain_text("may be heard", timeout=120_000)


def test_edges_go_to_the_quiet_and_the_join_is_heard_before_it_is_made(open_stage):
    page = open_stage()
    drag_over_first_line(page, 300, 520)
    edges = page.locator(".panel .big")
    before = edges.inner_text()
    page.keyboard.press("q")
    expect(edges).not_to_have_text(before)
    page.keyboard.press("w")
    heard_something(page)
    page.keyboard.press("Space")
    expect(length(page)).to_have_text(WHOLE)
    expect(page.locator("#undo")).not_to_have_attribute("title", re.compile("Took out"))


def test_talk_is_copied_put_in_duplicated_and_carried_by_keys(open_stage, demo_server):
    page = open_stage()
    before = document(demo_server).length
    drag_over_first_line(page, 300, 400)
    page.keyboard.press("Control+c")
    expect(page.locator(".shelf")).to_contain_text("copied")
    page.keyboard.press("Escape")
    page.keyboard.press("Home")
    page.keyboard.press("Control+v")
    done(page, "Put in a copy")
    copied = document(demo_server).length - before
    assert copied > RATE
    drag_over_first_line(page, 500, 560)
    page.keyboard.press("d")
    done(page, r"Put in a copy at 0:00:1")
    longer = document(demo_server).length
    page.keyboard.press("Control+x")
    page.keyboard.press("End")
    page.keyboard.press("Control+v")
    done(page, "Carried")
    assert document(demo_server).length == longer
    page.keyboard.press("Control+z")
    done(page, "Put in a copy")


def test_time_is_put_in_and_one_person_moved(open_stage, demo_server):
    page = open_stage()
    before = document(demo_server).length
    for _ in range(4):
        page.keyboard.press("Shift+ArrowRight")
    page.get_by_text("Put time in at the playhead").click()
    page.get_by_label("Seconds", exact=True).fill("1.5")
    page.get_by_label("Seconds", exact=True).press("Tab")
    page.locator(".clock").click()
    page.keyboard.press("i")
    done(page, "Put in room tone")
    assert document(demo_server).length == before + 1.5 * RATE
    drag_over_first_line(page, 300, 520)
    page.get_by_label("Whose sound is selected").select_option(label="Anders Quill")
    page.get_by_text("More with the selection").click()
    page.get_by_label("Move by, ms").fill("-200")
    page.get_by_label("Move by, ms").press("Tab")
    page.get_by_role("button", name="Move", exact=True).click()
    done(page, "Moved what one person says")
    assert document(demo_server).length == before + 1.5 * RATE


def test_a_spot_opens_time_and_closes_it_again(open_stage, demo_server):
    page = open_stage()
    before = document(demo_server).length
    view(page, "Places")
    page.get_by_role("button", name="Drop in here").click()
    done(page, "Dropped in")
    spot = next(track for track in document(demo_server).tracks if track.kind == "spot").clips[0]
    assert document(demo_server).length == before + spot.length
    page.evaluate(
        "([clip, track]) => Alpine.$data(document.body).selection.pick({ clip, track })",
        [spot.id, next(t.id for t in document(demo_server).tracks if t.kind == "spot")],
    )
    page.get_by_role("button", name="Take the spot out").click()
    done(page, "Took a spot out")
    assert document(demo_server).length == before


def test_markers_begin_sections_and_go_out_as_files(open_stage, demo_server, tmp_path):
    page = open_stage()
    view(page, "Places")
    page.keyboard.press("m")
    done(page, "Marked 0:00:00.0")
    row = page.locator(".markers li").first
    row.get_by_placeholder("name it").fill("Before the ladder")
    row.get_by_placeholder("name it").press("Enter")
    done(page, "Changed a marker")
    row.get_by_role("combobox").select_option(label="section 2")
    expect(row.locator(".mono.quiet")).to_be_visible()
    with page.expect_download() as told:
        page.get_by_role("link", name="Markers as CSV").click()
    exported = tmp_path / "markers.csv"
    told.value.save_as(exported)
    assert "Before the ladder" in exported.read_text()
    markers = len(document(demo_server).markers)
    page.get_by_label("Bring in a cut or markers").set_input_files(exported)
    done(page, "Brought in markers")
    assert len(document(demo_server).markers) == 2 * markers


def test_any_point_of_the_history_and_a_kept_version_are_gone_back_to(cut):
    page = cut
    shorter = length(page).inner_text()
    view(page, "History")
    page.get_by_label("Keep it as it stands").fill("One cut")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.locator(".versions li")).to_have_count(1)
    page.locator(".past .row-button").nth(1).click()
    expect(length(page)).to_have_text(WHOLE)
    expect(page.locator(".past .row-button").first).to_have_attribute("data-undone", "true")
    page.get_by_role("button", name="compare").click()
    expect(page.locator(".compared").first).to_contain_text("longer")
    page.get_by_role("button", name="go back to it").click()
    expect(length(page)).to_have_text(shorter)


def test_a_find_is_marked_by_hand_and_its_edge_moved_by_keys(open_stage, demo_server):
    page = open_stage()
    drag_over_first_line(page, 300, 400)
    page.get_by_role("button", name="Add as a find").click()
    done(page, "Marked a filler as a find")
    page.keyboard.press("Escape")
    page.keyboard.press("Home")
    for _ in range(8):
        page.keyboard.press("n")
        if "by hand" in page.locator(".find-chosen").inner_text():
            break
    expect(page.locator(".find-chosen")).to_contain_text("Marked by hand")
    before = document(demo_server).added[0]
    page.keyboard.press(">")
    heard_something(page)
    page.keyboard.press("Space")
    page.keyboard.press("t")
    done(page, "Pruned a filler")
    assert document(demo_server).seams[0].length == before.stop - before.start + 480


@pytest.fixture
def touch(browser, demo_server):
    """The page in a browser that is touched."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, has_touch=True)
    page = context.new_page()
    page.set_default_timeout(60_000)
    page.goto(f"{demo_server[0]}/episodes/{EPISODE}/prune")
    page.wait_for_selector("body[data-ready]")
    page.fingers = context.new_cdp_session(page)
    yield page
    context.close()


def fingers(page, kind, *points):
    page.fingers.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": [
        {"x": x, "y": y, "id": index} for index, (x, y) in enumerate(points)]})  # fmt: skip


def tap(button):
    """Tap until it is taken: while a swipe still runs out, the browser takes a touch as stopping it."""
    for _ in range(4):
        button.tap()
        try:
            return expect(button).to_be_hidden(timeout=10_000)
        except AssertionError:
            continue
    raise AssertionError("the button was tapped four times and nothing came of it")


def test_by_touch_a_selection_is_made_its_edge_dragged_lines_pinched_and_an_edit_undone(touch):
    page = touch
    box = page.locator("#sheet-overlay").bounding_box()
    x, y = box["x"], box["y"] + 45

    def swipe(start, stop):
        fingers(page, "touchStart", (x + start, y))
        for step in range(1, 6):
            fingers(page, "touchMove", (x + start + (stop - start) * step / 5, y))
        page.wait_for_timeout(200)  # the finger rests before it is lifted
        fingers(page, "touchMove", (x + stop, y))
        fingers(page, "touchEnd")

    swipe(300, 420)
    expect(page.locator(".panel .big")).to_be_visible()
    narrow = page.locator(".panel .big").inner_text()
    swipe(425, 520)
    expect(page.locator(".panel .big")).not_to_have_text(narrow)
    assert page.locator(".panel .big").inner_text().split()[0] == narrow.split()[0]
    tap(page.get_by_role("button", name="Take out Del"))
    expect(seams(page)).to_have_count(1)
    fingers(page, "touchStart", (x + 300, y), (x + 400, y))
    fingers(page, "touchMove", (x + 250, y), (x + 450, y))
    fingers(page, "touchEnd")
    for _ in range(50):
        if page.evaluate("localStorage.getItem('pampa-line')") == "10":
            break
        page.wait_for_timeout(100)
    assert page.evaluate("localStorage.getItem('pampa-line')") == "10"
    fingers(page, "touchStart", (x + 300, y), (x + 400, y))
    fingers(page, "touchEnd")
    expect(seams(page)).to_have_count(0)
