"""The same by hand, in Chromium, by keyboard: `./pampa bench by_hand`. Seconds and actions from raw files to published.

An action is a key, a word typed, or a button gone to and pressed with Enter; nothing is clicked.
"""

import re
import shutil
import tempfile
import time
from pathlib import Path

from playwright.sync_api import Locator, Page, expect, sync_playwright

from bench.browser import chromium
from bench.pages import FLAGS, PORT, serving
from bench.session import SPEED, Keyboard, prune
from bench.straight import PEOPLE, RAW
from pampa.demo.assemble import assemble
from pampa.mooring.serving import serve_beside, token_of
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

MOORING = PORT + 2
LONG_MS = 240_000


class Hand(Keyboard):
    """Presses what has the focus, and counts."""

    def press_on(self, target: Locator) -> None:
        target.wait_for(timeout=LONG_MS)
        target.focus()
        self.press("Enter")

    def type_in(self, target: Locator, text: str) -> None:
        target.fill(text)
        target.press("Enter")
        self.pressed += 1

    def stage(self, name: str) -> None:
        self.press_on(self.page.get_by_role("link", name=re.compile(name)).first)


def go(page: Page, hand: Hand, files: list[str]) -> None:
    """From an empty episode to a published one."""
    part = time.perf_counter()

    def told(what: str) -> None:
        nonlocal part
        now = time.perf_counter()
        print(f"  {what:24} {now - part:6.1f} s, {hand.pressed} actions so far", flush=True)
        part = now

    page.set_input_files("#files", files)
    hand.pressed += 1
    for name, person in PEOPLE.items():
        hand.type_in(page.get_by_label(f"Who is on {name}"), person)
    expect(page.get_by_label("Role of call_backup.wav")).to_have_value("reference", timeout=LONG_MS)
    told("Gather")
    hand.stage("Line up")
    hand.press_on(page.locator("#measure-lining"))
    hand.press_on(page.locator("#put-in-step"))
    expect(page.get_by_role("link", name=re.compile("Line up"))).to_contain_text("2 of 2 in step", timeout=LONG_MS)
    told("Line up")
    hand.stage("Mend")
    for n, person in enumerate(PEOPLE.values()):
        hand.press_on(page.locator("aside .row-button:visible", has_text=person).first)
        hand.press_on(page.locator("#accept-proposed:visible"))
        expect(page.get_by_role("link", name=re.compile("Mend"))).to_contain_text(f"{n + 1} of", timeout=LONG_MS)
    told("Mend")
    hand.stage("Prune")
    expect(page.locator(".finds h3 .mono").first).to_have_text(re.compile("^[1-9]"), timeout=LONG_MS)
    told("waiting for finds")
    prune(page, hand)
    told(f"Prune, heard at {SPEED} x")
    hand.stage("Balance")
    for person in PEOPLE.values():
        hand.press_on(page.locator("aside .row-button:visible", has_text=person).first)
        hand.press_on(page.get_by_label(f"Fit the voice of {person}"))
        expect(page.get_by_role("status").filter(has_text=f"{person} is even")).to_be_visible(timeout=LONG_MS)
    told("Balance")
    hand.stage("Send out")
    group = page.get_by_role("group", name="Show")
    hand.press_on(group.get_by_role("button", name="Files"))
    hand.press_on(page.locator("#make-file"))
    expect(page.locator(".outcome").first).to_have_text("on target", timeout=LONG_MS)
    hand.press_on(group.get_by_role("button", name="Publish"))
    hand.press_on(page.locator("#publish:not([disabled])"))
    expect(page.get_by_label("Episodes at the place")).to_contain_text("public", timeout=LONG_MS)
    told("Send out, published")


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    assemble(folder / "sample")
    studio = Studio(Settings(data=folder / "data", port=PORT))
    show = studio.shows.make_show("Slack Water", "Marisol Vey").id
    episode = studio.shows.make_episode(show, "The Pilot Ladder", 12).id
    mooring = serve_beside(folder / "mooring", "127.0.0.1", MOORING)
    studio.places.make(show, "mooring", "", token_of(folder / "mooring"), address=f"http://127.0.0.1:{MOORING}")
    studio.close()
    with serving(folder / "data") as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        context.add_init_script(
            f"localStorage.setItem('pampa-speed', '{SPEED}');"
            "localStorage.setItem('pampa-finds-1', '{\"after\": \"next\"}')"
        )
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.goto(f"{address}/episodes/{episode}/gather")
        page.wait_for_selector("body[data-ready]")
        hand = Hand(page)
        began = time.perf_counter()
        go(page, hand, [str(folder / "sample" / name) for name in RAW])
        print(f"in all {time.perf_counter() - began:.0f} s, {hand.pressed} actions")
        browser.close()
    mooring.should_exit = True
    shutil.rmtree(folder, ignore_errors=True)
