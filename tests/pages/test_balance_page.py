"""Balance as people use it: voices made even and clear, compared, kept, brought to another episode, and undone."""

import json
import re

from playwright.sync_api import expect

from tests.pages.conftest import EPISODE

APART = """() => {
  const top = (id) => document.getElementById(id).getBoundingClientRect().top;
  return Math.round(top("voice-ratio") - top("voice-low_cut_hz"));
}"""
"""How far apart a setting and one of the stage below it lie, whatever else moves on the page."""


def recipes_of(demo_server, episode=EPISODE):
    return {track.name: track.recipe for track in demo_server[1].editing.state(episode).document.linked_tracks()}


def choose(page, name):
    page.get_by_label("Voices").get_by_role("button", name=name, exact=True).first.click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()


def handle(page, name):
    return page.get_by_role("slider", name=f"{name}, on the spectrum", exact=True)


def test_a_voice_is_treated_or_not_and_its_settings_are_typed_dragged_and_reset(open_stage, page, demo_server):
    open_stage("balance")
    low_cut = page.locator("#voice-low_cut_hz")
    low_cut.focus()
    low_cut.press("ArrowRight")
    expect(page.locator("#undo")).to_have_attribute("title", "Changed a recipe")
    assert recipes_of(demo_server)["Marisol Vey"].low_cut_hz == 85
    typed = page.get_by_label("Low cut, typed")
    typed.fill("9999")
    typed.press("Enter")
    expect(typed).to_have_value("300")
    low_cut.dblclick()
    expect(typed).to_have_value("80")
    assert recipes_of(demo_server)["Marisol Vey"].low_cut_hz == 80
    page.get_by_label("Treated: Marisol Vey").click()
    expect(page.get_by_label("Treated: Marisol Vey")).to_have_attribute("aria-pressed", "false")
    expect(low_cut).to_be_hidden()
    assert not demo_server[1].editing.state(EPISODE).document.tracks[0].treated


def test_nothing_moves_under_the_hand_while_a_voice_is_listened_to_anew(open_stage, page):
    open_stage("balance")
    told = page.locator("p.mend-told:visible").filter(has_text="low cut")
    expect(told).to_be_visible(timeout=60_000)
    expect(told).not_to_have_attribute("data-older", "true")
    page.route("**/voices", lambda route: route.abort())  # it is not told again
    apart = page.evaluate(APART)
    page.locator("#voice-low_cut_hz").press("ArrowRight")
    expect(told).to_have_attribute("data-older", "true")
    assert page.evaluate(APART) == apart


def test_tone_is_set_by_handles_with_keys_and_pointer(open_stage, page, demo_server):
    open_stage("balance")
    body = handle(page, "Body")
    expect(body).to_have_attribute("aria-valuetext", "−2.0 dB at 300 Hz, 0.9 narrow")
    body.focus()
    for key in ("ArrowDown", "ArrowRight", "Shift+ArrowUp"):
        page.keyboard.press(key)
    expect(body).to_have_attribute("aria-valuetext", "−2.5 dB at 320 Hz, 1.0 narrow")
    box = handle(page, "Upper").bounding_box()
    page.mouse.move(box["x"] + 12, box["y"] + 12)
    page.mouse.down()
    page.mouse.move(box["x"] + 12, box["y"] - 8, steps=4)
    expect(handle(page, "Upper")).to_have_attribute("aria-valuetext", re.compile(r"\+[3-5]"))
    page.mouse.up()
    expect(page.get_by_label("Upper, typed")).to_have_value(re.compile("^[3-5]"))
    assert recipes_of(demo_server)["Marisol Vey"].upper_db > 2
    handle(page, "Low cut").focus()
    page.keyboard.press("Home")
    expect(handle(page, "Low cut")).to_have_attribute("aria-valuetext", "off")
    expect(page.locator("#voice-spectrum")).to_have_attribute("aria-label", re.compile("compared with average speech"))
    page.get_by_label("Compare the spectrum with").select_option(label="Anders Quill")
    expect(page.locator("#voice-spectrum")).to_have_attribute("aria-label", re.compile("compared with Anders Quill"))
    page.get_by_role("button", name="Loupe", exact=True).click()
    expect(page.locator("#loupe-canvas")).to_be_visible()


def test_the_curve_of_the_tone_goes_with_what_is_typed_and_taken_back_before_anything_is_heard_anew(open_stage, page):
    drawn = "document.querySelector('#voice-spectrum').toDataURL()"
    open_stage("balance")
    expect(page.locator("#voice-spectrum")).to_have_attribute("aria-label", re.compile("as treated"), timeout=60_000)
    page.route("**/spectrum", lambda route: None)
    seen = [page.evaluate(drawn)]
    page.get_by_label("Body, typed").fill("-9")
    page.get_by_label("Body, typed").press("Tab")
    expect(handle(page, "Body")).to_have_attribute("aria-valuetext", re.compile("−9.0 dB"))
    page.wait_for_timeout(300)
    seen.append(page.evaluate(drawn))
    page.locator("#undo").click()
    expect(handle(page, "Body")).to_have_attribute("aria-valuetext", re.compile("−2.0 dB"))
    page.wait_for_timeout(300)
    seen.append(page.evaluate(drawn))
    assert seen[0] != seen[1]
    assert seen[0] == seen[2]


def test_the_spectrum_follows_a_change_before_the_loudness_of_the_episode_is_known(page, open_stage):
    open_stage("balance")
    expect(page.locator("#voice-spectrum")).to_have_attribute("aria-label", re.compile("as treated"), timeout=60_000)
    page.route("**/loudness", lambda route: None)
    presence = page.locator("#voice-presence_db")
    with page.expect_response("**/spectrum", timeout=60_000) as told:
        presence.evaluate("(slider) => { slider.value = 7; slider.dispatchEvent(new Event('change')); }")
    curves = told.value.json()
    bright = curves["hz"].index(min(curves["hz"], key=lambda hz: abs(hz - 5000)))
    assert curves["after"][bright] > curves["before"][bright] + 3


def test_two_voices_are_fitted_brought_nearer_heard_kept_taken_to_another_episode_and_undone(
    open_stage, page, demo_server, tmp_path
):
    before = recipes_of(demo_server)
    open_stage("balance")
    for name, level in (("Marisol Vey", "phrase by phrase"), ("Anders Quill", "leaves it as it is: the talk is even")):
        choose(page, name)
        page.get_by_label(f"Fit the voice of {name}").click()
        expect(page.get_by_role("status").filter(has_text=f"{name} is even")).to_be_visible()
        assert recipes_of(demo_server)[name].level == 100
        expect(page.get_by_text(level)).to_be_visible()
    expect(page.get_by_text(re.compile("takes .* dB where it works"))).to_be_visible()
    nearer = page.locator("#nearer")
    nearer.fill("60")
    expect(page.locator("#undo")).to_have_attribute("title", "Changed a recipe")
    expect(page.get_by_label("Sibilance, typed")).to_have_value("30")
    assert recipes_of(demo_server)["Anders Quill"].nearer == 60

    # While it plays: only what sibilance takes, alone; then all again.
    page.locator("#sheet-scroller").focus()
    page.keyboard.press("Home")
    page.keyboard.press("Space")
    with page.expect_request(re.compile("taken_stage=sibilance")):
        page.get_by_label("Hear only what Sibilance takes away").click()
    page.keyboard.press("2")
    expect(page.get_by_label("Hear only what Sibilance takes away")).to_have_attribute("aria-pressed", "false")

    # Two settings, one key.
    page.keyboard.press("a")
    page.get_by_label("Warmth, typed").fill("90")
    page.get_by_label("Warmth, typed").press("Enter")
    page.locator("#sheet-scroller").focus()
    with page.expect_request(re.compile("instead=")) as asked:
        page.keyboard.press("a")
    assert "%22warmth%22%3A24" in asked.value.url
    expect(page.get_by_role("button", name="as it was", exact=True)).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("a")
    page.keyboard.press("Space")

    page.get_by_label("Name of the recipe").fill("Anders, near")
    page.get_by_role("button", name="Keep as a recipe").last.click()
    expect(page.get_by_label("Kept recipes").last.get_by_text("Anders, near")).to_be_visible()
    with page.expect_download() as waiting:
        page.get_by_label("File of Anders, near").click()
    waiting.value.save_as(tmp_path / "r.json")
    assert json.loads((tmp_path / "r.json").read_text())["voice"]["warmth"] == 90

    page.get_by_text("What is applied, and to whom").click()
    page.get_by_label("to Nola Brant").check()
    page.get_by_label("Treat by Anders, near").click()
    expect(page.get_by_role("status").filter(has_text="Anders Quill, Nola Brant: treated by")).to_be_visible()
    assert recipes_of(demo_server)["Nola Brant"].warmth == 90

    page.locator("#sheet-scroller").focus()
    for _ in range(8):
        if recipes_of(demo_server) == before:
            break
        revision = demo_server[1].editing.state(EPISODE).revision
        page.keyboard.press("Control+z")
        page.wait_for_function(
            "(r) => fetch('/api/episodes/2').then((t) => t.json()).then((s) => s.revision > r)", arg=revision
        )
    assert recipes_of(demo_server) == before

    page.goto(f"{demo_server[0]}/episodes/1/balance")
    page.wait_for_selector("body[data-ready]")
    expect(page.get_by_label("Treat by Anders, near")).to_be_visible()
    page.locator("#sheet-scroller").focus()
    page.keyboard.press("Shift+Digit1")
    expect(page.get_by_role("status").filter(has_text="treated by Anders, near")).to_be_visible()
    assert recipes_of(demo_server, 1)["Nola Brant"].warmth == 90
    page.keyboard.press("Control+z")
    expect(page.locator("#redo")).to_have_attribute("title", "Treated by Anders, near")


def test_single_peaks_are_gone_to_lowered_and_left(open_stage, page, demo_server):
    open_stage("balance")
    choose(page, "Anders Quill")
    rows = page.get_by_label("Single peaks").get_by_role("listitem")
    expect(rows.first).to_be_visible()
    count = rows.count()
    rows.first.get_by_role("button", name=re.compile("^Lower")).click()
    expect(rows.first).to_contain_text("lowered")
    anders = demo_server[1].editing.state(EPISODE).document
    assert any(mending.amounts.spots for mending in anders.mendings)
    if count > 1:
        rows.nth(1).get_by_role("button", name=re.compile("^Leave")).click()
        expect(rows.nth(1)).to_contain_text("left")
