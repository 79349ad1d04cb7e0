"""Straight through as people go it: a plan, a line left out, done, one line taken back, heard against before."""

import re

import pytest
from playwright.sync_api import expect

from tests.conftest import write_talk


@pytest.fixture
def fresh(demo_server, tmp_path):
    """A new episode of the sample show with one long silence in its one recording, and its number."""
    _, studio = demo_server
    episode = studio.shows.make_episode(1, "Neap Tide", 13).id
    studio.recordings.add_file(episode, write_talk(tmp_path / "marisol.wav", 40, 3), person="Marisol Vey")
    studio.jobs.wait(120)
    return episode


def test_from_a_recording_to_a_file_and_a_step_taken_back(fresh, page, demo_server):
    base, studio = demo_server
    page.goto(f"{base}/episodes/{fresh}/gather")
    page.wait_for_selector("body[data-ready]")
    page.get_by_role("button", name="Straight through …").click()
    dialog = page.get_by_role("dialog", name="Straight through")
    steps = dialog.get_by_label("Steps").locator("> li")
    music = steps.filter(has_text="Music of the show")
    expect(music).to_contain_text("Theme as opening.")
    expect(dialog.get_by_role("checkbox", name="Take out fillers")).not_to_be_checked()
    dialog.get_by_role("checkbox", name="Mend what the check-ups propose").uncheck()
    go = dialog.locator("#go-straight")
    expect(go).to_have_text("Do it", timeout=120_000)
    go.click()
    expect(go).to_have_text("At work")
    expect(dialog.get_by_role("button", name="To the files")).to_be_visible(timeout=120_000)
    voices = steps.filter(has_text="Make every voice even")
    expect(voices).to_contain_text("done")
    state = studio.editing.state(fresh).document
    assert state.mendings == ()
    assert sum(len(track.clips) for track in state.tracks if track.kind == "music") == 2
    music.get_by_role("button", name="Take back").click()
    expect(music.get_by_role("button", name="Take back")).to_be_hidden()
    after = studio.editing.state(fresh).document
    assert not any(track.clips for track in after.tracks if track.kind == "music")
    dialog.get_by_role("button", name="Compare with before").click()
    expect(page.get_by_text(re.compile(r"\d+ things? differs?\.|Nothing differs\."))).to_be_visible(timeout=60_000)
    page.get_by_role("group", name="Show").get_by_role("button", name="Files").click()
    expect(page.locator(".outcome").first).to_have_text("on target")
    page.reload()
    page.wait_for_selector("body[data-ready]")
    page.get_by_role("button", name="or straight through").click()
    expect(
        page.get_by_role("dialog", name="Straight through").get_by_role(
            "checkbox", name="Mend what the check-ups propose"
        )
    ).not_to_be_checked()
