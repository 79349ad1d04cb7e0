"""The sample pruned from raw by keyboard alone, in Chromium: how many keys, how many seconds: `./pampa bench session`.

As an editor does it: on to the next find, hear it, decide. What is less sure than 60 % is left. Nothing is clicked.
"""

import re
import shutil
import tempfile
import time
from collections import Counter
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from bench.browser import chromium
from bench.pages import FLAGS, PORT, serving
from pampa.core.sound import RATE
from pampa.demo.assemble import assemble
from pampa.demo.build import build
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

EPISODE = 2
SURE = 60
SPEED = 1.5
ROUNDS = 200


class Keyboard:
    """Presses keys and counts them."""

    def __init__(self, page: Page) -> None:
        self.page, self.pressed = page, 0

    def press(self, key: str) -> None:
        self.page.keyboard.press(key)
        self.pressed += 1


def prune(page: Page, keys: Keyboard) -> Counter[str]:
    """Go through all finds, hear each, and decide."""
    decided: Counter[str] = Counter()
    page.evaluate("document.activeElement.blur()")
    keys.press("Home")
    for _ in range(ROUNDS):
        if page.locator(".finds h3 .mono").first.inner_text() == "0":
            break
        if not page.locator(".find-chosen").is_visible():
            keys.press("n")
            page.wait_for_timeout(120)
            if not page.locator(".find-chosen").is_visible():
                keys.press("Home")
                continue
        kind = page.locator(".find-chosen strong").inner_text()
        sure = int(page.locator(".find-chosen .mono").nth(1).inner_text().split()[0])
        keys.press("e")
        page.wait_for_timeout(150)
        expect(page.locator("#play")).to_have_attribute("aria-pressed", "false", timeout=120_000)
        before = page.locator(".finds h3 .mono").first.inner_text()
        keys.press("l" if sure < SURE else "h" if kind == "silence" else "t")
        expect(page.locator(".finds h3 .mono").first).not_to_have_text(before, timeout=20_000)
        decided["left" if sure < SURE else kind] += 1
    return decided


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    truth = assemble(folder / "sample")
    studio = Studio(Settings(data=folder / "data", port=PORT))
    build(studio, folder / "sample", truth, lambda text: None)
    studio.finding.of_episode(EPISODE)
    studio.jobs.wait(600)
    raw = studio.editing.state(EPISODE).document.length
    studio.close()
    with serving(folder / "data") as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        # As somebody who has worked with it before: at one and a half times the speed, and on to the next find.
        settings = '{"after": "next"}'
        context.add_init_script(
            f"localStorage.setItem('pampa-speed', '{SPEED}'); localStorage.setItem('pampa-finds-1', '{settings}')"
        )
        page = context.new_page()
        page.goto(f"{address}/episodes/{EPISODE}/prune")
        page.wait_for_selector("body[data-ready]")
        expect(page.locator(".finds h3 .mono").first).to_have_text(re.compile("^[1-9]"), timeout=120_000)
        keys = Keyboard(page)
        began = time.perf_counter()
        decided = prune(page, keys)
        spent = time.perf_counter() - began
        browser.close()
    again = Studio(Settings(data=folder / "data", port=PORT))
    document = again.editing.state(EPISODE).document
    heard = [fault.kind for faults in again.joins.faults(again.editing.state(EPISODE)).values() for fault in faults]
    again.close()
    print(f"from {raw / RATE:.0f} s to {document.length / RATE:.0f} s, {len(document.seams)} seams")
    print("decided: " + ", ".join(f"{count} {kind}" for kind, count in decided.most_common()))
    print(f"{keys.pressed} keys in {spent:.0f} s, each find heard at {SPEED} times the speed")
    print("joins that may be heard: " + (", ".join(f"{n} {k}" for k, n in Counter(heard).items()) or "none"))
    shutil.rmtree(folder, ignore_errors=True)
