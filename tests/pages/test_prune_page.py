"""Pruning the sample episode in the real interface, by mouse and by keyboard."""

import re

from playwright.sync_api import expect

from tests.pages.conftest import EPISODE

WHOLE = "5:47"


def drag_over_first_line(page, left, right):
    box = page.locator("#sheet-overlay").bounding_box()
    y = box["y"] + 45
    page.mouse.move(box["x"] + left, y)
    page.mouse.down()
    page.mouse.move(box["x"] + right, y, steps=6)
    page.mouse.up()


def length(page):
    return page.locator(".of")


def seams(page):
    return page.locator("ol.seams > li")


def heard_something(page):
    expect(page.locator("#heard")).to_have_text(re.compile(r"^−([0-9]|[1-3][0-9])$"))


def test_space_plays_sound_and_the_playhead_walks(open_stage):
    page = open_stage()
    page.keyboard.press("Space")
    heard_something(page)
    expect(page.locator("#clock")).to_have_text(re.compile(r"0:00:0[2-9]"), timeout=8000)
    page.keyboard.press("Space")
    stopped = page.locator("#clock").inner_text()
    page.wait_for_timeout(300)
    assert page.locator("#clock").inner_text() == stopped


def test_talk_also_plays_faster(open_stage):
    page = open_stage()
    page.get_by_label("Speed").select_option("2")
    page.keyboard.press("Space")
    heard_something(page)
    expect(page.locator("#clock")).to_have_text(re.compile(r"0:00:(0[4-9]|1)"), timeout=8000)
    page.keyboard.press("Space")


def test_a_selection_is_taken_out_heard_undone_and_redone_after_a_reload(open_stage):
    page = open_stage()
    drag_over_first_line(page, 300, 520)
    expect(page.get_by_role("button", name="Take out Del")).to_be_visible()
    page.keyboard.press("Delete")
    expect(seams(page)).to_have_count(1)
    expect(length(page)).not_to_have_text(WHOLE)
    shorter = length(page).inner_text()
    page.keyboard.press("e")
    heard_something(page)
    page.keyboard.press("Space")
    page.keyboard.press("Control+z")
    expect(length(page)).to_have_text(WHOLE)
    expect(seams(page)).to_have_count(0)
    page.reload()
    page.wait_for_selector("body[data-ready]")
    page.locator("#redo").click()
    expect(length(page)).to_have_text(shorter)
    expect(seams(page)).to_have_count(1)


def test_a_seam_is_put_back_by_one_key(open_stage):
    page = open_stage()
    drag_over_first_line(page, 300, 420)
    page.keyboard.press("Delete")
    expect(seams(page)).to_have_count(1)
    page.keyboard.press("b")
    expect(seams(page)).to_have_count(0)
    expect(length(page)).to_have_text(WHOLE)


def test_cutting_by_keyboard_alone(open_stage):
    page = open_stage()
    page.keyboard.press("Home")
    page.keyboard.press("[")
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("]")
    page.keyboard.press("Delete")
    expect(seams(page)).to_have_count(1)
    expect(seams(page).first).to_contain_text("6.0")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("m")
    page.keyboard.press("s")
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("Split"))


def test_shift_delete_leaves_room(open_stage):
    page = open_stage()
    drag_over_first_line(page, 300, 420)
    page.keyboard.press("Shift+Delete")
    expect(seams(page).first).to_contain_text("room tone")
    expect(length(page)).to_have_text(WHOLE)


def test_music_is_picked_and_its_fade_changed(open_stage, demo_server):
    page = open_stage()
    box = page.locator("#sheet-overlay").bounding_box()
    page.mouse.click(box["x"] + 600, box["y"] + 206)
    expect(page.get_by_role("heading", name="Theme")).to_be_visible()
    field = page.locator(".panel [x-show=\"isStage('prune')\"]").get_by_label("Fade out, s")
    field.fill("1.5")
    field.blur()
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("fades"))
    state = demo_server[1].editing.state(EPISODE).document
    assert state.tracks[3].clips[0].fade_out == 72_000


def test_another_window_follows(open_stage, page, browser):
    first = open_stage()
    second = open_stage(on=page.context.new_page())
    whole = length(first).inner_text()
    drag_over_first_line(first, 300, 420)
    first.keyboard.press("Delete")
    expect(length(first)).not_to_have_text(whole)
    expect(seams(second)).to_have_count(1)
    expect(length(second)).to_have_text(length(first).inner_text())


def test_what_was_read_before_an_edit_does_not_take_it_back(page, demo_server, open_stage):
    held = []
    page.route(f"**/api/episodes/{EPISODE}", lambda route: held.append((route, route.fetch())))
    open_stage()
    while not held:
        page.wait_for_timeout(50)
    page.keyboard.press("m")
    expect(page.locator("#undo")).to_have_attribute("title", "Marked 0:00:00.0")
    for route, answer in held:
        route.fulfill(response=answer)
    page.unroute(f"**/api/episodes/{EPISODE}")
    page.keyboard.press("End")
    page.keyboard.press("m")
    expect(page.locator("#undo")).to_have_attribute("title", re.compile("Marked 0:05:4"))
    places = [marker.at for marker in demo_server[1].editing.state(EPISODE).document.markers]
    assert (places[0], places[-1]) == (0, demo_server[1].editing.state(EPISODE).document.length)


def test_an_edit_ahead_is_heard_without_stopping(open_stage, demo_server):
    page = open_stage()
    page.keyboard.press("Space")
    heard_something(page)
    state = demo_server[1].editing.state(EPISODE)
    demo_server[1].editing.edit(
        EPISODE, "take_out", {"start": 40 * 48_000, "stop": 50 * 48_000}, revision=state.revision
    )
    expect(seams(page)).to_have_count(1)
    assert page.locator("#play").get_attribute("aria-pressed") == "true"
    heard_something(page)
    page.keyboard.press("Space")


def test_help_lists_every_key_and_each_does_something(open_stage):
    page = open_stage()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    missing = page.evaluate(
        """async () => {
          const { KEYS } = await import("/static/js/keys.js");
          const page = Alpine.$data(document.body);
          const named = (does) => does.split(":")[0].split(".");
          const missing = (does) => typeof named(does).reduce((part, name) => part?.[name], page) !== "function";
          return KEYS.map((key) => key.does).filter(missing);
        }"""
    )
    assert missing == []
    assert page.locator(".key-list dt").count() > 20


def test_the_choice_of_line_length_and_theme_is_remembered(open_stage):
    page = open_stage()
    page.keyboard.press("+")
    page.get_by_label("Day or night").click()
    page.reload()
    page.wait_for_selector("body[data-ready]")
    assert page.evaluate("localStorage.getItem('pampa-line')") == "10"
    assert page.evaluate("document.documentElement.dataset.bsTheme") == "dark"
