"""The keyboard where a pointer was needed, the way back, and sound that does not hang on what is drawn."""

import re

from playwright.sync_api import expect

from pampa.core.sound import RATE
from tests.pages.conftest import EPISODE


def test_sound_goes_on_while_nothing_is_drawn(open_stage, page):
    """A hidden tab has no frames: it used to fall silent after a second."""
    asked = []
    open_stage("prune")
    page.evaluate("() => { window.requestAnimationFrame = () => 0; }")
    page.on("request", lambda request: asked.append(request.url) if "/sound?" in request.url else None)
    page.keyboard.press("Home")
    page.keyboard.press("Space")
    for _ in range(40):
        page.wait_for_timeout(500)
        starts = [int(url.split("start=")[1].split("&")[0]) for url in asked]
        if max(starts, default=0) > 3 * RATE:
            break
    assert max(starts) > 3 * RATE


def test_back_does_what_going_does(open_stage, page):
    """The browser's way back used to change the stage and nothing of what belongs to it."""
    open_stage("mend")
    expect(page.locator("#mend-picture")).to_be_visible()
    page.get_by_role("link", name="Send out").click()
    page.go_back()
    expect(page.locator("#mend-picture")).to_be_visible()
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    page.go_forward()
    expect(page.get_by_role("button", name="Play", exact=True)).to_be_visible()


def test_a_change_is_heard_within_the_piece_that_sounds(open_stage, page):
    """Pieces grow to a second: what was changed used to wait for the end of the one that sounds."""
    open_stage("balance")
    page.keyboard.press("Home")
    page.keyboard.press("Space")
    expect(page.locator("#clock")).to_have_text(re.compile(r"0:00:0[4-9]"))
    late = []
    for treated in ("false", "true") * 3:
        page.wait_for_timeout(640)
        with page.expect_request(re.compile(f"/sound.*treated={treated}")) as asked:
            place = page.evaluate(
                """(treated) => new Promise((resolve) => requestAnimationFrame(() => {
                  const { transport } = window.Alpine.$data(document.body);
                  const place = transport.playhead;
                  transport.hear(treated);
                  resolve(place);
                }))""",
                treated == "true",
            )
        late.append(int(re.search(r"start=(\d+)", asked.value.url)[1]) - place)
    assert max(late) < 0.5 * RATE
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()


def test_a_pressed_button_keeps_the_focus_and_the_keys_stay_the_sheets(open_stage, page):
    open_stage("prune")
    loop = page.get_by_role("button", name="Loop", exact=True)
    loop.click()
    expect(loop).to_be_focused()
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    page.keyboard.press("Space")
    expect(loop).to_have_attribute("aria-pressed", "true")
    loop.focus()
    page.keyboard.press("Tab")
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("Space")
    expect(loop).to_have_attribute("aria-pressed", "false")


def test_single_letters_can_be_switched_off(open_stage, page, demo_server):
    _, studio = demo_server
    open_stage("prune")
    before = len(studio.editing.state(EPISODE).document.markers)
    page.keyboard.press("?")
    page.get_by_label("single letters").uncheck()
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    page.keyboard.press("ArrowRight")
    page.reload()
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("m")
    page.wait_for_timeout(500)
    assert len(studio.editing.state(EPISODE).document.markers) == before


def test_a_piece_is_chosen_and_trimmed_by_key(open_stage, page, demo_server):
    _, studio = demo_server
    open_stage("prune")

    def theme():
        track = next(t for t in studio.editing.state(EPISODE).document.tracks if t.name == "Music")
        return track.clips[0]

    before = theme()
    page.evaluate(f"() => localStorage.setItem('pampa-place-{EPISODE}', '{before.start + RATE}')")
    page.reload()
    page.wait_for_selector("body[data-ready]")
    for _ in range(8):
        page.keyboard.press("k")
        if page.evaluate("() => Alpine.$data(document.body).selection.piece?.trackName") == "Music":
            break
    page.keyboard.press("<")
    expect(page.locator("#undo")).to_have_attribute("title", "Trimmed a piece")
    assert theme().end == before.end - RATE // 100


def test_a_place_is_marked_in_mend_by_key(open_stage, page):
    open_stage("mend")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("[")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("]")
    learn = page.get_by_role("button", name="Learn from the marked place")
    page.get_by_text("Noise", exact=True).first.wait_for()
    expect(page.get_by_text("0:00:02.0, 2.0")).to_have_count(1)
    assert learn.count() <= 1
