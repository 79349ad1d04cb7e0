"""The series sheet on the sample show."""

from playwright.sync_api import expect


def test_a_show_over_time_is_listened_to_read_taken_away_and_brought_back(page, demo_server):
    base, studio = demo_server
    page.goto(base)
    page.get_by_role("link", name="Over time Slack Water").click()
    expect(page.get_by_role("heading", name="Slack Water over time")).to_be_visible()
    page.get_by_role("button", name="Listen to them").click()
    aside = page.get_by_label("The chosen episode")
    expect(aside.get_by_role("heading", name="12 · The Pilot Ladder")).to_be_visible()
    expect(aside.get_by_text("As it stands, not as it went out.").first).to_be_visible()
    page.get_by_role("button", name="9", exact=True).click()
    expect(aside.get_by_text("softer").first).to_be_visible()
    page.keyboard.press("ArrowRight")
    expect(aside.get_by_role("heading", name="10 · What the Gauge Says")).to_be_visible()
    with page.expect_download() as got:
        page.get_by_role("link", name="As CSV").click()
    assert "Low Water" in got.value.path().read_text()
    page.keyboard.press("End")
    page.get_by_role("button", name="12", exact=True).click()
    before = studio.editing.state(2).revision
    aside.get_by_label("Which episode Anders Quill is to sound like").select_option("episode 6")
    aside.get_by_role("button", name="Make alike").nth(1).click()
    expect(aside.get_by_role("status")).to_contain_text("Anders Quill sounds as in episode 6 now")
    assert studio.editing.state(2).revision == before + 1
    assert studio.editing.undo(2).redo == "Treated by Springs and Neaps"
