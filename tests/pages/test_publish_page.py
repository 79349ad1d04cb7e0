"""Publishing as people do it: to the mooring, looked at before, changed, taken away; and to a place of one's own."""

import re

import feedparser
import pytest
from playwright.sync_api import expect

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.studio.sending import Wanted
from tests.hosting import mooring
from tests.pages.conftest import EPISODE


@pytest.fixture
def moored(short_episode, demo_server, tmp_path):
    """The sample with a file made, and a mooring where its show can be published."""
    _, studio = demo_server
    studio.sending.start(EPISODE, [Wanted(Format("mp3"), Aim(-16.0, -1.0))])
    studio.jobs.wait(120)
    with mooring(tmp_path / "mooring") as served:
        studio.places.make(1, "mooring", "The mooring", served.token, address=served.address)
        yield served


def items(served):
    return feedparser.parse(served.get("/slack-water/feed.xml").content).entries


def test_an_episode_is_looked_at_published_changed_and_taken_away(moored, open_stage, page, demo_server):
    open_stage("send-out")
    page.get_by_role("group", name="Show").get_by_role("button", name="Publish").click()
    preview = page.get_by_label("The episode in its feed")
    expect(preview).to_contain_text("<title>The Pilot Ladder</title>")
    expect(preview).to_contain_text('role="guest">Anders Quill')
    expect(page.get_by_text("Nothing is public there yet.")).to_be_visible()
    faults = page.get_by_label("What the feed's rules find")
    expect(faults.locator("li")).to_have_count(0)
    page.get_by_text("The show, as its feed has it").click()
    page.get_by_label("Mail address").fill("")
    page.get_by_label("Mail address").press("Enter")
    expect(faults).to_contain_text("No mail address is given")
    page.get_by_label("Mail address").fill("marisol@slackwater.example")
    page.get_by_label("Mail address").press("Enter")
    expect(faults.locator("li")).to_have_count(0)
    page.locator("#episode-kind").select_option("trailer")
    expect(preview).to_contain_text("<itunes:episodeType>trailer</itunes:episodeType>")
    page.locator("#episode-kind").select_option("full")
    page.get_by_label("a draft, not public").check()
    expect(page.locator("#publish")).to_have_text("Bring it there as a draft")
    page.locator("#publish").click()
    there = page.get_by_label("Episodes at the place")
    expect(there).to_contain_text("The Pilot Ladder")
    expect(there).to_contain_text("draft,")
    assert items(moored) == []
    page.get_by_label("a draft, not public").uncheck()
    expect(page.locator("#publish")).to_have_text("Publish the change")
    page.locator("#publish").click()
    expect(there).to_contain_text("public,")
    [entry] = items(moored)
    assert entry.itunes_episode == "12"
    page.get_by_role("button", name="Take it away").click()
    expect(page.get_by_text(re.compile("taken away since"))).to_be_visible()
    assert items(moored) == []


def make_own_place(page, folder):
    folder.mkdir()
    page.get_by_role("group", name="Show").get_by_role("button", name="Publish").click()
    page.get_by_role("button", name="Another place").click()
    page.locator("#new-place").select_option("folder")
    page.get_by_label("Called").fill("Our own web space")
    page.get_by_label("Folder", exact=True).fill(str(folder))
    page.get_by_label("Address of that folder for everybody").fill("https://slackwater.example/shows")
    page.get_by_role("button", name="Keep this place").click()


def test_a_place_of_ones_own_is_said_and_a_mooring_that_is_down_is_told(
    moored, open_stage, page, tmp_path, expect_noise
):
    open_stage("send-out")
    make_own_place(page, tmp_path / "served")
    expect(page.locator("#place option:checked")).to_have_text("Our own web space")
    page.locator("#publish").click()
    expect(page.get_by_label("Episodes at the place")).to_contain_text("The Pilot Ladder")
    [entry] = feedparser.parse((tmp_path / "served" / "feed.xml").read_bytes()).entries
    assert entry.title == "The Pilot Ladder"
    moored.mood(expired=True)
    expect_noise("502")
    page.locator("#place").select_option(label="The mooring")
    expect(page.get_by_text("The mooring does not take this token any more")).to_be_visible()


def test_a_place_that_was_just_made_stays_chosen_though_an_older_list_comes_late(moored, open_stage, page, tmp_path):
    """What is published would go to another place than the one that was made."""
    held = []

    def hold(route):
        if route.request.method != "GET" or held:
            return route.continue_()
        return held.append((route, route.fetch()))

    page.route("**/shows/*/places", hold)
    open_stage("send-out")
    make_own_place(page, tmp_path / "served")
    chosen = page.locator("#place option:checked")
    expect(chosen).to_have_text("Our own web space")
    expect(page.locator("#publish")).to_be_enabled()
    [(route, response)] = held
    with page.expect_response("**/shows/*/places"):
        route.fulfill(response=response)
    page.wait_for_timeout(500)
    expect(chosen).to_have_text("Our own web space")
