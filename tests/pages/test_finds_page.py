"""Finds of the sample in the real interface: one by one by keys, all of a kind, settings, and what stays."""

import re

import pytest
from playwright.sync_api import expect

from tests.pages.conftest import EPISODE

LISTENED_MS = 150_000


@pytest.fixture
def found(open_stage):
    """The page once everything has been found; after a decision it goes to the next find."""
    page = open_stage("prune")
    expect(left(page)).to_have_text(re.compile(r"^[1-9][0-9]$"), timeout=LISTENED_MS)
    page.get_by_text("What is asked about").click()
    page.get_by_label("After a decision").select_option("next")
    return page


def left(page):
    return page.locator(".finds h3 .mono").first


def count(page, kind):
    return page.locator(".find-kinds tr", has=page.get_by_text(kind, exact=True)).locator("td").nth(1)


def chosen(page):
    return page.locator(".find-list li.chosen")


def until(page, kind):
    """Press N until a find of this kind is chosen."""
    for _ in range(40):
        page.keyboard.press("n")
        if page.locator(".find-chosen strong").inner_text() == kind:
            return
    raise AssertionError(f"no {kind} was come to")


def test_finds_are_gone_through_and_decided_by_keys_and_all_of_it_is_undone(found, demo_server):
    page, (_, studio) = found, demo_server
    before = int(left(page).inner_text())
    until(page, "filler")
    expect(page.locator(".find-chosen")).to_contain_text(re.compile("An um or an uh|Words that fill"))
    page.keyboard.press("t")
    expect(left(page)).to_have_text(str(before - 1))
    expect(page.locator("ol.seams > li")).to_have_count(1)
    expect(chosen(page)).to_have_count(1)
    page.keyboard.press("l")
    expect(left(page)).to_have_text(str(before - 2))
    until(page, "silence")
    page.keyboard.press("h")
    expect(left(page)).to_have_text(str(before - 3))
    document = studio.editing.state(EPISODE).document
    assert (len(document.seams), len(document.left)) == (2, 1)
    page.reload()
    expect(left(page)).to_have_text(str(before - 3))
    for _ in range(3):
        page.keyboard.press("Control+z")
    expect(left(page)).to_have_text(str(before))


def test_a_silence_is_shortened_to_what_was_set_and_is_no_find_any_more(found, demo_server):
    page, (_, studio) = found, demo_server
    page.get_by_label("become, s").fill("0.5")
    page.get_by_label("become, s").press("Tab")
    silences = int(count(page, "Silences").inner_text())
    before = studio.editing.state(EPISODE).document.length
    page.get_by_role("button", name="Shorten all: Silences").click()
    expect(page.get_by_role("status").filter(has_text="shortened")).to_be_visible()
    expect(count(page, "Silences")).to_have_text("0")
    state = studio.editing.state(EPISODE)
    assert len(state.document.seams) == silences
    assert state.document.length < before - silences * 0.5 * 48_000
    assert state.undo == f"Pruned {silences} silences"


def test_agreement_is_taken_off_one_track_and_nothing_moves(found, demo_server):
    page, (_, studio) = found, demo_server
    before = studio.editing.state(EPISODE).document
    until(page, "agreement")
    page.keyboard.press("t")
    expect(page.locator("ol.seams > li")).to_have_count(1)
    after = studio.editing.state(EPISODE).document
    assert after.length == before.length
    (seam,) = after.seams
    assert [piece.track for piece in seam.pieces] == [before.tracks[0].id]


def test_settings_change_what_is_asked_about_at_once_and_are_remembered(found):
    page = found
    silences = int(count(page, "Silences").inner_text())
    page.get_by_label("Silences longer than, s").fill("0.7")
    page.get_by_label("Silences longer than, s").press("Tab")
    expect(count(page, "Silences")).not_to_have_text(str(silences))
    more = int(count(page, "Silences").inner_text())
    assert more > silences
    page.get_by_role("checkbox", name="Fillers").uncheck()
    asked = left(page).inner_text()
    page.reload()
    expect(count(page, "Silences")).to_have_text(str(more))
    expect(page.get_by_role("checkbox", name="Fillers")).not_to_be_checked()
    expect(left(page)).to_have_text(asked)


def test_deciding_about_nothing_is_told(open_stage):
    page = open_stage("prune")
    page.keyboard.press("t")
    expect(page.get_by_role("alert")).to_contain_text("No find is chosen")


def test_a_find_is_heard_with_what_is_around(found):
    page = found
    until(page, "restart")
    page.keyboard.press("e")
    expect(page.locator("#heard")).to_have_text(re.compile(r"^−([0-9]|[1-3][0-9])$"))
    page.keyboard.press("Space")


def test_ten_are_heard_in_a_row_and_those_that_were_not_left_go_together(found, demo_server):
    page, (_, studio) = found, demo_server
    for kind in ("Chatter", "Silences", "Restarts", "Agreement", "Knocks"):
        box = page.locator(".find-kinds").get_by_label(kind, exact=True)
        if box.is_visible():
            box.uncheck()
    fillers = int(left(page).inner_text())
    assert fillers > 2
    page.get_by_label("Speed").select_option("2.5")
    page.keyboard.press("y")
    expect(page.get_by_role("button", name=f"Stop: 1 of {min(fillers, 10)}")).to_be_visible()
    page.keyboard.press("l")
    expect(page.get_by_role("button", name=f"Stop: 2 of {min(fillers, 10)}")).to_be_visible()
    together = page.get_by_role("button", name=f"Take out the {min(fillers, 10) - 1} heard")
    expect(together).to_be_visible(timeout=60_000)
    together.click()
    expect(left(page)).to_have_text(str(fillers - min(fillers, 10)))
    document = studio.editing.state(EPISODE).document
    assert len(document.left) == 1
    page.keyboard.press("Control+z")
    expect(left(page)).to_have_text(str(fillers - 1))
