"""What an editor sees of trust: a file that waits for its recording, deleting for good, and the signing out."""

import re

from playwright.sync_api import expect

from tests.pages.conftest import EPISODE
from tests.pages.test_other_stages import row_of


def test_a_file_whose_last_answer_was_lost_still_becomes_a_recording(open_stage, talk_file, page, expect_noise):
    """All bytes arrived and the answer did not: the page used to show nothing."""
    open_stage("gather")
    lost = []

    def lose_answer(route):
        if route.request.method == "PUT" and not lost:
            lost.append(route.fetch())
            route.abort("connectionreset")
        else:
            route.continue_()

    expect_noise("net::ERR_CONNECTION_RESET")
    page.route("**/api/uploads/**", lose_answer)
    page.set_input_files("#files", str(talk_file("long.wav", seconds=3)))
    expect(row_of(page, "long.wav")).to_contain_text("0:03")
    assert lost
    expect(row_of(page, "long.wav")).to_have_count(1)


def test_a_removed_recording_is_deleted_for_good_after_a_question(open_stage, page, demo_server):
    _, studio = demo_server
    rope = next(r for r in studio.recordings.of_episode(EPISODE) if r.person == "Rope")
    original = studio.media.original(rope.sha256, rope.suffix)
    studio.recordings.remove(rope.id)
    for piece, recording in studio.larder.search(1).pieces:
        if recording.sha256 == rope.sha256:
            studio.larder.change(piece.recording_id, removed=True)
            studio.space.delete_recording(piece.recording_id)
    open_stage("gather")
    page.get_by_text("Removed from the list").click()
    page.get_by_role("button", name="Delete for good: rope.flac").click()
    question = page.locator(".doomed:visible")
    expect(question).to_contain_text(re.compile(r"Deletes 1 recording, frees [\d.]+\sMB, and cannot be undone\."))
    question.get_by_role("button", name="Keep").click()
    assert original.exists()
    page.get_by_role("button", name="Delete for good: rope.flac").click()
    page.locator(".doomed:visible").get_by_role("button", name="Delete").click()
    expect(page.get_by_text("Removed from the list")).to_be_hidden()
    assert not original.exists()


def test_what_still_lies_on_a_track_is_not_deleted_and_says_so(open_stage, page, demo_server, expect_noise):
    expect_noise("422")
    _, studio = demo_server
    gulls = next(r for r in studio.recordings.of_episode(EPISODE) if r.person == "Gulls")
    studio.recordings.remove(gulls.id)
    open_stage("gather")
    page.get_by_text("Removed from the list").click()
    page.get_by_role("button", name="Delete for good: gulls.flac").click()
    expect(page.get_by_role("alert").first).to_contain_text("still lies on a track")


def test_an_archived_episode_is_deleted_from_the_list_of_shows(page, demo_server):
    base, studio = demo_server
    studio.shows.change_episode(EPISODE, archived=True)
    page.goto(base)
    page.get_by_text("Archived", exact=True).click()
    page.get_by_role("button", name="Delete for good: The Pilot Ladder").click()
    expect(page.locator(".doomed:visible")).to_contain_text("Deletes 12 recordings")
    with page.expect_response(f"**/api/episodes/{EPISODE}"):  # the button is hidden while it is asked, too
        page.locator(".doomed:visible").get_by_role("button", name="Delete").click()
    expect(page.locator(".doomed:visible")).to_have_count(0)
    expect(page.get_by_role("button", name="Delete for good: The Pilot Ladder")).to_have_count(0)
    assert [episode.title for episode in studio.shows.episodes(1)] == ["Reading the Bar"]
    assert "The Pilot Ladder" not in [episode.title for episode in studio.shows.episodes(1, archived=True)]


def test_signing_out_is_there_once_there_is_a_password(page, demo_server, expect_noise):
    base, studio = demo_server
    expect_noise("401")  # the desk is still drawing its episodes when somebody signs out
    page.goto(base)
    expect(page.get_by_role("button", name="Sign out")).to_be_hidden()
    studio.access.set_password("slack water")
    page.goto(base)
    page.get_by_label("Password").fill("slack water")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_label("Password")).to_be_visible()
    page.goto(f"{base}/episodes/{EPISODE}/prune")
    expect(page.get_by_label("Password")).to_be_visible()
