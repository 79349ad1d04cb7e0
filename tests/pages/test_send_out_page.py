"""Send out as people use it: a last look, what it says mended, words for listeners, a set of files, what has changed,
and an episode laid up, freed and brought back."""

import io
import re

from PIL import Image
from playwright.sync_api import expect

from tests.pages.conftest import EPISODE


def view(page, name):
    page.get_by_role("group", name="Show").get_by_role("button", name=name).click()


def picture(path, side=1500):
    out = io.BytesIO()
    Image.new("RGB", (side, side), "teal").save(out, "PNG")
    path.write_bytes(out.getvalue())
    return str(path)


def test_a_last_look_and_what_it_says_is_mended(short_episode, open_stage, page, demo_server, tmp_path):
    _, studio = demo_server
    show, _ = studio.shows.episode(EPISODE)
    studio.about.change_show(show.id, artwork="")
    open_stage("send-out")
    view(page, "Last look")
    expect(page.locator(".last-look .look-says")).to_contain_text("things were found", timeout=90_000)
    expect(page.locator(".look-figures")).to_contain_text("LUFS")
    words = page.locator(".look-check", has_text="Title, number, notes, artwork")
    expect(words).to_contain_text("There is no artwork")
    words.get_by_role("button", name="For listeners").click()
    page.locator("#show-artwork").set_input_files(picture(tmp_path / "cover.png"))
    expect(page.get_by_alt_text("Artwork", exact=True)).to_be_visible()
    view(page, "Last look")
    page.get_by_role("button", name="Look again").click()
    expect(page.get_by_text("There is no artwork")).to_have_count(0, timeout=90_000)
    finds = page.locator(".look-check", has_text="Finds")
    finds.get_by_role("button", name=re.compile("Prune")).click()
    expect(page).to_have_url(re.compile("/prune$"))


def test_chapters_and_notes_are_written_and_seen_as_listeners_see_them(open_stage, page, demo_server):
    _, studio = demo_server
    open_stage("send-out")
    view(page, "For listeners")
    seen = page.get_by_label("As a listener sees it")
    expect(seen).to_contain_text("Slack Water · episode 12")
    expect(seen.locator(".seen-chapters")).to_contain_text("0:27 Intro")
    title = page.get_by_label("Title of the chapter at 0:03:40.6")
    title.fill("A word from Fennick")
    title.press("Enter")
    expect(seen.locator(".seen-chapters")).to_contain_text("3:40 A word from Fennick")
    page.get_by_label("Link of the chapter at 0:03:40.6").fill("https://fennick.example")
    page.get_by_label("Link of the chapter at 0:03:40.6").press("Enter")
    expect(seen.get_by_role("link", name="A word from Fennick")).to_have_attribute("href", "https://fennick.example")
    page.get_by_label("A chapter for listeners at 0:00:27.9").uncheck()
    expect(seen.locator(".seen-chapters li")).to_have_count(1)
    page.locator("#notes").fill("**{title}** with <b>{people}</b>")
    expect(seen.locator("strong")).to_have_text("The Pilot Ladder")
    expect(seen).to_contain_text("<b>Marisol Vey and Anders Quill</b>")
    page.get_by_role("button", name="As the show's pattern", exact=True).click()
    expect(seen).to_contain_text("With Marisol Vey and Anders Quill.")
    for _ in range(3):
        page.locator("#undo").click()
    expect(seen).to_be_visible()
    page.get_by_label("Title", exact=True).fill("The Ladder")
    page.get_by_label("Title", exact=True).press("Enter")
    expect(seen.get_by_role("heading")).to_have_text("The Ladder")
    assert studio.shows.episode(EPISODE)[1].title == "The Ladder"


def test_a_set_of_files_is_kept_with_the_show_and_made_together(short_episode, open_stage, page, demo_server):
    _, studio = demo_server
    open_stage("send-out")
    page.get_by_role("button", name="Another file").click()
    page.locator("#goes-to").select_option(label="Podcast, mono, −19.0 LUFS")
    page.locator("#format").select_option("m4a-80")
    page.get_by_role("button", name="Another file").click()
    page.locator("#format").select_option("flac-16")
    page.locator("#channels").select_option("stereo")
    page.locator("#rate").select_option("44100")
    page.get_by_label("Make Podcast, stereo").uncheck()
    expect(page.locator("#make-file")).to_have_text("Make 2 files")
    page.locator("#make-file").click()
    expect(page.locator(".deliveries > li")).to_have_count(2, timeout=120_000)
    assert {file.sheet["rate"] for file in studio.sending.of_episode(EPISODE)} == {48_000, 44_100}
    show, _ = studio.shows.episode(EPISODE)
    assert [file["kind"] for file in studio.about.of_show(show.id).wanted] == ["mp3", "m4a", "flac"]
    page.reload()
    expect(page.locator(".wanted li")).to_have_count(3)
    file = studio.sending.of_episode(EPISODE)[0]
    page.goto(f"{demo_server[0]}/deliveries/{file.id}/sheet")
    expect(page.locator("body")).to_contain_text("on target")


def test_what_has_changed_is_heard_at_the_same_words(open_stage, page, demo_server):
    _, studio = demo_server
    studio.versions.keep(EPISODE, "Approved")
    studio.editing.edit(EPISODE, "take_out", {"start": 60 * 48_000, "stop": 70 * 48_000})
    open_stage("send-out")
    view(page, "Compare")
    page.locator("#compare-here").select_option(label="Version “Approved”")
    page.get_by_role("button", name="Compare", exact=True).last.click()
    expect(page.get_by_text("1 thing differs.")).to_be_visible(timeout=120_000)
    expect(page.locator(".differences")).to_contain_text("Taken out: 10.0 s")
    page.get_by_role("button", name="Hear it").click()
    heard = page.locator(".compare-hear")
    expect(heard.get_by_role("button", name="Approved")).to_have_attribute("aria-pressed", "true")
    expect(heard).to_contain_text("0:00:59")
    page.keyboard.press("Space")
    page.keyboard.press("a")
    expect(heard.get_by_role("button", name="as it stands")).to_have_attribute("aria-pressed", "true")
    bands = page.locator("#bands").bounding_box()
    page.mouse.click(bands["x"] + bands["width"] * 0.5, bands["y"] + 30)
    expect(heard.get_by_role("button", name="Approved")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("a")
    there = heard.locator(".mono").inner_text()
    assert there.startswith("0:02:4")  # ten seconds sooner than 2:57


HELD = """
const plain = window.fetch;
window.fetch = async (path, how) => {
  const answer = await plain(path, how);
  if (`${path}`.endsWith("/comparison") && how?.method === "POST") await new Promise((go) => { window.letGo = go; });
  return answer;
};"""


def test_a_comparison_that_is_done_before_it_was_answered_stays(open_stage, page, demo_server):
    _, studio = demo_server
    studio.versions.keep(EPISODE, "Approved")
    studio.editing.edit(EPISODE, "take_out", {"start": 60 * 48_000, "stop": 70 * 48_000})
    page.add_init_script(HELD)
    open_stage("send-out")
    view(page, "Compare")
    page.locator("#compare-here").select_option(label="Version “Approved”")
    page.get_by_role("button", name="Compare", exact=True).last.click()
    says = page.get_by_text("1 thing differs.")
    expect(says).to_be_visible(timeout=120_000)
    page.evaluate("window.letGo()")
    page.wait_for_timeout(500)
    expect(says).to_be_visible(timeout=1_000)


def test_an_episode_is_laid_up_freed_and_brought_back(page, demo_server):
    base, studio = demo_server
    length = studio.editing.state(EPISODE).document.length
    page.goto(base)
    page.get_by_text("Room on the disk").click()
    row = page.get_by_label("Room that episodes take").locator("li", has_text="The Pilot Ladder")
    expect(row).to_contain_text("originals")
    row.get_by_role("button", name="Lay up and free").click()
    expect(page.get_by_label("Title of episode The Pilot Ladder")).to_have_count(0, timeout=90_000)
    page.get_by_text("Room on the disk").click()
    archive = page.get_by_label("Laid-up episodes").locator("li", has_text="The Pilot Ladder")
    archive.get_by_role("button", name="Bring back").click()
    expect(page.get_by_label("Title of episode The Pilot Ladder")).to_be_visible(timeout=90_000)
    [back] = [episode for episode in studio.shows.episodes(1) if episode.title == "The Pilot Ladder"]
    assert studio.editing.state(back.id).document.length == length
