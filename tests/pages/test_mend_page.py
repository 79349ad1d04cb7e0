"""Mend in the real browser, on the recordings of the sample."""

import re

from playwright.sync_api import expect

from pampa.core.mend.amounts import Amounts
from tests.pages.conftest import EPISODE

MEASURED_MS = 150_000
"""Measuring six minutes of sound may take its time on a busy machine."""


def put_on(process):
    """A process is on once the edit is in the database, and that is when the box is ticked.

    Not by pointer: what the one before has brought forth moves the box from under it.
    """
    process.evaluate("(box) => box.click()")
    expect(process).to_be_checked()


def button(page, name):
    return page.get_by_role("button", name=name, exact=True)


def choose(page, name):
    page.get_by_role("list", name="Recordings").get_by_role("button", name=re.compile(name)).click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()


def process(page, name):
    return page.locator(".mend-process", has=page.get_by_role("checkbox", name=name, exact=True))


def amounts_of(studio, name):
    number = next(r.id for r in studio.recordings.of_episode(EPISODE) if r.person == name and r.role == "person")
    return studio.editing.state(EPISODE).document.amounts(number)


def test_what_is_proposed_is_accepted_changed_heard_three_ways_and_undone(page, open_stage, demo_server):
    _, studio = demo_server
    open_stage("mend")
    choose(page, "Anders Quill")
    expect(page.locator(".mend-process.on")).to_have_count(0)
    button(page, "Accept").click()
    noise = process(page, "Noise")
    expect(noise).to_contain_text("noise lowered", timeout=MEASURED_MS)
    assert amounts_of(studio, "Anders Quill").noise == 67
    # Two quick changes both count.
    put_on(page.get_by_role("checkbox", name="Plosives", exact=True))
    put_on(page.get_by_role("checkbox", name="Breaths", exact=True))
    expect(
        page.locator(".mend-process", has=page.get_by_role("checkbox", name="Plosives", exact=True))
    ).to_contain_text("thumps pressed down")
    expect(page.locator(".mend-process", has=page.get_by_role("checkbox", name="Breaths", exact=True))).to_contain_text(
        "breaths lowered"
    )
    page.get_by_label("Amount of Noise").evaluate(
        "(slider) => { slider.value = 60; slider.dispatchEvent(new Event('change')); }"
    )
    expect(noise.locator("output").first).to_have_text("60")
    expect(page.get_by_role("link", name=re.compile("Mend"))).to_contain_text("1 of 3 mended")
    page.locator("body").press("Space")
    expect(page.locator("#clock")).not_to_have_text("0:00:00.0")
    for key, name in (("1", "As recorded"), ("3", "Taken away"), ("2", "As treated")):
        page.locator("body").press(key)
        expect(button(page, name)).to_have_attribute("aria-pressed", "true")
        expect(page.locator("#heard")).not_to_have_text("–")
    button(page, "Hear only what Noise takes away").click()
    expect(button(page, "Taken away")).to_have_attribute("aria-pressed", "true")
    page.locator("body").press("Space")
    page.locator("body").press("Control+z")
    expect(noise.locator("output").first).to_have_text("67")


def test_noise_is_learned_from_a_marked_place_and_an_amount_goes_to_all(page, open_stage, demo_server):
    _, studio = demo_server
    open_stage("mend")
    choose(page, "Anders Quill")
    put_on(page.get_by_label("Noise", exact=True))
    expect(button(page, "Learn from the marked place")).to_be_disabled()
    box = page.locator("#mend-picture").bounding_box()
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] * 0.5, y)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.6, y, steps=4)
    page.mouse.up()
    button(page, "Learn from the marked place").click()
    expect(page.locator(".mend-process.on")).to_contain_text("Noise is learned from 0:00:2")
    learned = amounts_of(studio, "Anders Quill")
    assert 2 < learned.noise_to - learned.noise_from < 10
    button(page, "The same for all recordings").click()
    expect(page.get_by_role("link", name=re.compile("Mend"))).to_contain_text("3 of 3 mended")
    assert amounts_of(studio, "Marisol Vey") == Amounts(noise=learned.noise)
    button(page, "Follow it instead").click()
    expect(page.locator(".mend-process.on")).to_contain_text("followed along")


def test_the_picture_zooms_changes_kind_and_jumps_to_what_was_found(page, open_stage):
    open_stage("mend")
    choose(page, "Anders Quill")
    put_on(page.get_by_role("checkbox", name="Clicks", exact=True))
    expect(page.locator(".mend-process.on")).to_contain_text("clicks taken out", timeout=MEASURED_MS)
    page.locator("body").press("n")
    expect(page.locator("#clock")).not_to_have_text("0:00:00.0")
    button(page, "Closer").click()
    button(page, "Wave").click()
    expect(button(page, "Wave")).to_have_attribute("aria-pressed", "true")
    page.reload()
    page.wait_for_selector("body[data-ready]")
    expect(button(page, "Wave")).to_have_attribute("aria-pressed", "true")
    button(page, "All of it").click()
    page.locator("body").press("Home")
    expect(page.locator("#clock")).to_have_text("0:00:00.0")


def test_a_place_is_silenced_and_amounts_are_kept_as_a_recipe_for_another_recording(page, open_stage, demo_server):
    _, studio = demo_server
    open_stage("mend")
    choose(page, "Anders Quill")
    box = page.locator("#mend-picture").bounding_box()
    y = box["y"] + 40
    page.mouse.move(box["x"] + 200, y)
    page.mouse.down()
    page.mouse.move(box["x"] + 240, y, steps=4)
    page.mouse.up()
    button(page, "Room tone only").click()
    expect(page.get_by_role("button", name=re.compile("^[0-9:.]+ room tone only"))).to_be_visible()
    put_on(page.get_by_role("checkbox", name="Rumble", exact=True))
    page.get_by_label("Name of the recipe").fill("Kitchen")
    button(page, "Keep as a recipe").click()
    expect(page.get_by_role("list", name="Kept recipes")).to_contain_text("Kitchen")
    choose(page, "Marisol Vey")
    button(page, "Mend by Kitchen").click()
    expect(page.get_by_role("checkbox", name="Rumble", exact=True)).to_be_checked()
    assert amounts_of(studio, "Marisol Vey") == amounts_of(studio, "Anders Quill").alike()
    button(page, "Let the recipe Kitchen go").click()
    expect(page.get_by_role("list", name="Kept recipes").get_by_role("listitem")).to_have_count(0)
