"""Takes the pictures in docs/screenshots from a fresh sample, each view at 1280 x 800."""

import re
import shutil
import tempfile
import threading
import time
from pathlib import Path

import uvicorn
from playwright.sync_api import Page, sync_playwright

from pampa.demo.assemble import assemble
from pampa.demo.build import build
from pampa.mooring.serving import serve_beside, token_of
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from pampa.web.app import create_app

HERE = Path(__file__).parent / "screenshots"
PORT = 8497
BASE = f"http://127.0.0.1:{PORT}"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update",
         "--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream"]  # fmt: skip


RAW = (
    ("marisol_local.wav", {"person": "Marisol Vey"}), ("anders_local.wav", {"person": "Anders Quill"}),
    ("call_backup.wav", {}),
)  # fmt: skip


def open_stage(page: Page, stage: str) -> None:
    page.goto(f"{BASE}/episodes/2/{stage}")
    page.wait_for_selector("body[data-ready]")
    page.wait_for_timeout(1200)


def drag(page: Page, y: int, left: int, right: int) -> None:
    box = page.locator("#sheet-overlay").bounding_box()
    assert box
    page.mouse.move(box["x"] + left, box["y"] + y)
    page.mouse.down()
    page.mouse.move(box["x"] + right, box["y"] + y, steps=5)
    page.mouse.up()
    page.wait_for_timeout(700)


def shoot(page: Page, name: str) -> None:
    page.screenshot(path=HERE / f"{name}.png")


def laid(page: Page, number: int) -> None:
    page.locator(f"#takes tbody tr:nth-of-type({number})", has_text="on Marisol Vey").wait_for(timeout=60_000)


def over_time(page: Page) -> None:
    """The series sheet, with the episode in which the host sounded otherwise."""
    page.goto(f"{BASE}/shows/1/series")
    page.get_by_role("button", name="Listen to them").click()
    page.locator(".series-person", has_text="Anders Quill").get_by_text("last time").wait_for(timeout=120_000)
    page.wait_for_load_state()
    page.wait_for_timeout(2500)
    page.get_by_role("button", name="9", exact=True).click()
    page.wait_for_timeout(400)
    shoot(page, "series")


def picture(page: Page) -> None:
    """The film of episode 11, above the loupe."""
    page.goto(f"{BASE}/episodes/1/prune")
    page.wait_for_selector("body[data-ready]")
    page.wait_for_timeout(2500)
    page.mouse.click(420, 130)
    page.wait_for_timeout(2000)
    shoot(page, "picture")


def pick_up(page: Page) -> None:
    """Two takes from the browser's stand-in for a microphone, which beeps, and a third on its way."""
    page.get_by_role("button", name="Pick-up line", exact=True).click()
    page.get_by_label("count in").uncheck()
    page.get_by_role("button", name="Open the microphone").click()
    for number, seconds in enumerate((3.2, 2.4), 1):
        page.wait_for_timeout(700)
        page.keyboard.press("r")
        page.wait_for_timeout(round(1000 * seconds))
        page.keyboard.press("r")
        laid(page, number)
    page.keyboard.press("r")
    page.wait_for_timeout(2500)
    page.keyboard.press("r")
    laid(page, 3)
    for _ in range(3):
        page.locator("#undo").click()
        page.wait_for_timeout(500)


def take(page: Page) -> None:
    """Edit the sample a little, and picture each view on the way."""
    page.goto(BASE)
    page.wait_for_timeout(600)
    shoot(page, "shows")
    over_time(page)
    picture(page)
    open_stage(page, "gather")
    page.locator('tr[data-file="marisol_local.wav"]').get_by_role("button", name=re.compile("check-up")).click()
    page.wait_for_timeout(600)
    shoot(page, "gather")
    page.get_by_role("button", name="Larder", exact=True).click()
    page.wait_for_timeout(1500)
    shoot(page, "larder")
    pick_up(page)
    page.get_by_role("button", name="Recordings", exact=True).click()
    open_stage(page, "line-up")
    page.locator(".people button", has_text="Anders Quill").click()
    page.wait_for_timeout(900)
    shoot(page, "line-up")
    open_stage(page, "mend")
    page.get_by_role("list", name="Recordings").get_by_text("Anders Quill").click()
    page.get_by_role("button", name="Accept", exact=True).click()
    for process in ("Clicks", "Breaths"):
        page.get_by_role("checkbox", name=process, exact=True).click()
    page.get_by_text("breaths lowered").wait_for(timeout=120_000)
    page.get_by_role("button", name="Closer", exact=True).scroll_into_view_if_needed()
    page.wait_for_timeout(4000)
    shoot(page, "mend")
    open_stage(page, "prune")
    page.get_by_role("button", name="Take out all: Fillers").wait_for(timeout=120_000)
    for _ in range(6):
        page.keyboard.press("n")
        page.wait_for_timeout(200)
    page.wait_for_timeout(900)
    shoot(page, "finds")
    page.keyboard.press("Escape")
    for y, left, right in ((45, 130, 935), (45, 560, 640), (145, 330, 400)):
        drag(page, y, left, right)
        page.keyboard.press("Delete")
        page.wait_for_timeout(900)
    drag(page, 250, 420, 520)
    shoot(page, "prune")
    views(page)
    open_stage(page, "balance")
    for name in ("Marisol Vey", "Anders Quill"):
        page.get_by_label("Voices").get_by_role("button", name=name, exact=True).first.click()
        page.get_by_label(f"Fit the voice of {name}").click()
        all_told(page)
    shoot(page, "balance")
    page.locator("#nearer").fill("60")
    page.get_by_label("Compare the spectrum with").select_option(label="Marisol Vey")
    all_told(page)
    page.locator(".panel").evaluate("panel => panel.scrollTop = 330")
    page.wait_for_timeout(500)
    shoot(page, "balance-spectrum")
    opening(page)
    for _ in range(5):
        page.locator("#undo").click()
        page.wait_for_timeout(500)
    going_out(page)
    ident(page)


def going_out(page: Page) -> None:
    """A last look, words for listeners, and what has changed since a file was made."""
    open_stage(page, "send-out")
    page.locator(".look-figures").wait_for(timeout=120_000)
    page.wait_for_timeout(1500)
    shoot(page, "last-look")
    views = page.get_by_role("group", name="Show")
    views.get_by_role("button", name="For listeners").click()
    link = page.get_by_label(re.compile("Link of the chapter")).last
    link.fill("https://fennick.example")
    link.press("Enter")
    page.wait_for_timeout(2500)
    shoot(page, "listeners")
    page.locator("#undo").click()
    page.locator("#make-file").click()
    page.wait_for_selector(".delivery-sheet", timeout=180_000)
    views.get_by_role("button", name="Publish").click()
    page.get_by_label("The episode in its feed").wait_for(timeout=30_000)
    page.wait_for_timeout(800)
    shoot(page, "publish")
    open_stage(page, "prune")
    page.wait_for_timeout(1500)
    for y, left, right in ((45, 600, 930), (250, 200, 420)):
        drag(page, y, left, right)
        page.keyboard.press("Delete")
        page.wait_for_timeout(900)
    open_stage(page, "send-out")
    views.get_by_role("button", name="Compare").click()
    page.get_by_role("button", name="Compare", exact=True).last.click()
    page.locator(".differences td").first.wait_for(timeout=120_000)
    page.wait_for_timeout(800)
    shoot(page, "compare")
    for _ in range(2):
        page.locator("#undo").click()
        page.wait_for_timeout(700)


def straight_through(page: Page, episode: int) -> None:
    """What would be done with raw files."""
    page.goto(f"{BASE}/episodes/{episode}/gather")
    page.wait_for_selector("body[data-ready]")
    page.get_by_role("button", name="Recordings", exact=True).click()
    page.get_by_role("button", name="Straight through …").click()
    page.get_by_text("ppm fast").first.wait_for(timeout=180_000)
    page.locator("#go-straight", has_text="Do it").wait_for(timeout=120_000)
    page.wait_for_timeout(600)
    shoot(page, "straight-through")


def raw_episode(studio: Studio, sample: Path) -> int:
    """An episode of raw files, as they come."""
    episode = studio.shows.make_episode(1, "Neap Tide", 13).id
    for name, details in RAW:
        studio.recordings.add_file(episode, sample / name, **details)
    studio.jobs.wait(300)
    return episode


def all_told(page: Page) -> None:
    """Wait until every stage of the chain has said what it does, and all is drawn."""
    page.wait_for_timeout(3000)
    while page.locator(".panel").get_by_text("listening").count():
        page.wait_for_timeout(500)
    page.wait_for_timeout(3000)


def opening(page: Page) -> None:
    """The opening as it steps back under the talk, with its beats and an envelope."""
    page.get_by_role("button", name="Set the opening").click()
    page.wait_for_timeout(4000)
    page.keyboard.press("Home")
    page.keyboard.press("k")
    page.wait_for_timeout(1500)
    page.mouse.move(240, 215)
    page.mouse.down()
    page.mouse.move(240, 222, steps=4)
    page.mouse.up()
    page.wait_for_timeout(3000)
    shoot(page, "opening")


def ident(page: Page) -> None:
    """A small sheet of the larder: the fog signal in the hall, and the sting after it."""
    open_stage(page, "gather")
    page.get_by_role("button", name="Larder", exact=True).click()
    page.get_by_label("Name of a new ident").fill("Slack Water calls")
    page.get_by_role("button", name="New small sheet").click()
    page.get_by_text("Slack Water calls").first.wait_for()
    page.wait_for_selector("body[data-ready=yes]")
    page.get_by_role("button", name="Larder", exact=True).click()
    page.get_by_label("Use Fog signal").click()
    page.wait_for_timeout(1500)
    page.get_by_label("Time to use a piece at").fill("0:00:05")
    page.get_by_label("Time to use a piece at").press("Tab")
    page.get_by_label("Use Sting").click()
    page.wait_for_timeout(1500)
    page.goto(page.url.replace("/gather", "/balance"))
    page.wait_for_selector("body[data-ready=yes]")
    page.keyboard.press("k")
    room = page.get_by_label("Room, this piece alone")
    room.fill("-8")
    page.wait_for_timeout(3000)
    shoot(page, "ident")


def views(page: Page) -> None:
    """What Prune's panel shows: an open seam, the history."""
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Seams", exact=True).click()
    page.get_by_role("button", name="Check all joins").click()
    page.locator("ol.seams .row-button").first.click()
    page.keyboard.press("u")
    page.wait_for_timeout(4000)
    shoot(page, "seam-open")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="History", exact=True).click()
    page.get_by_label("Keep it as it stands").fill("Three cuts by hand")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.wait_for_timeout(600)
    page.get_by_role("button", name="compare").click()
    page.wait_for_timeout(600)
    page.get_by_role("button", name="Finds", exact=True).click()


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    truth = assemble(folder / "sample")
    studio = Studio(Settings(data=folder / "data", port=PORT))
    build(studio, folder / "sample", truth, print)
    raw = raw_episode(studio, folder / "sample")
    mooring = serve_beside(folder / "mooring", "127.0.0.1", PORT + 1)
    address = f"http://127.0.0.1:{PORT + 1}"
    studio.places.make(1, "mooring", "The mooring", token_of(folder / "mooring"), address=address)
    server = uvicorn.Server(
        uvicorn.Config(create_app(studio), port=PORT, log_level="error", timeout_graceful_shutdown=1)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.05)
    chromium = shutil.which("chromium") or shutil.which("chromium-headless-shell")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, permissions=["microphone"])
        take(context.new_page())
        straight_through(context.new_page(), raw)
        browser.close()
    server.should_exit = mooring.should_exit = True
    thread.join(10)
    shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
