"""How fast the pages are in Chromium, on an hour of two people with 500 clips and 3,000: `./pampa bench pages`."""

import shutil
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Page, sync_playwright

from bench.__main__ import talk
from bench.browser import chromium
from pampa.core.sound import RATE
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

PORT = 8496
WARMED_S = 5.0
SEAMS = (250, 1500)
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--autoplay-policy=no-user-gesture-required",
]


def long_episode(studio: Studio, folder: Path, minutes: int) -> int:
    """Two people for an hour, looked through for finds: as on any later day, nothing runs beside the page."""
    show = studio.shows.make_show("Slack Water", "Marisol Vey")
    episode = studio.shows.make_episode(show.id, "The Pilot Ladder", 12).id
    for seed, person in ((1, "Marisol Vey"), (2, "Anders Quill")):
        path = folder / f"{seed}.wav"
        with soundfile.SoundFile(path, "w", RATE, 1, "PCM_16") as file:
            for _ in range(minutes):
                file.write(talk(60, seed))
        studio.recordings.add_file(episode, path, person=person)
        studio.jobs.wait(600)
    studio.listening.standing(episode, wait=True)
    studio.finding.of_episode(episode)
    studio.jobs.wait(600)
    return episode


def cut(studio: Studio, episode: int, seams: int) -> int:
    """Take short stretches out, evenly spread, until there are so many seams; returns how many clips there are."""
    document = studio.editing.state(episode).document
    missing = seams - len(document.seams)
    step = document.length // (missing + 2)
    for n in range(missing):
        start = (n + 1) * step - n * RATE // 5
        studio.editing.edit(episode, "take_out", {"start": start, "stop": start + RATE // 5})
    return sum(len(track.clips) for track in studio.editing.state(episode).document.tracks)


WATCH = """new MutationObserver((_, watch) => {
  if (!document.body?.hasAttribute("data-ready")) return;
  watch.disconnect();
  requestAnimationFrame(() => setTimeout(() => { window.paintedAt = performance.now(); }));
}).observe(document, { subtree: true, childList: true, attributes: true, attributeFilter: ["data-ready"] });"""


def opening(page: Page, address: str) -> list[float]:
    """Milliseconds from going to the address until the first frame with the sheet is drawn, by the page's own clock:
    first with nothing kept by the browser, then again and again."""
    page.add_init_script(WATCH)
    spent = []
    for _ in range(8):
        page.goto(address, wait_until="commit")
        page.wait_for_selector("body[data-ready]")
        page.wait_for_timeout(500)
        spent.append(page.evaluate("window.paintedAt"))
    return spent


def scrolling(page: Page) -> list[float]:
    """Milliseconds between frames while the sheet is scrolled through, a screen every half second."""
    return page.evaluate(
        """() => new Promise((done) => {
          const scroller = document.getElementById("sheet-scroller");
          const times = [];
          let last = performance.now();
          const began = last;
          const step = (now) => {
            times.push(now - last);
            last = now;
            scroller.scrollTop += 18;
            if (now - began < 4000) requestAnimationFrame(step);
            else done(times.slice(2));
          };
          requestAnimationFrame(step);
        })"""
    )


def editing(page: Page) -> list[float]:
    """Milliseconds from the key to the frame with the edited line, round trip to the server included; the lines
    below follow within the next two frames.

    As with a person, the key comes a moment after the selection, and the next edit a second later.
    """
    page.evaluate("document.getElementById('sheet-scroller').scrollTop = 0")
    return page.evaluate(
        """async () => {
          const page = Alpine.$data(document.body);
          const times = [];
          for (let n = 0; n < 12; n++) {
            page.selection.select({ start: 48000 * (4 + n), stop: 48000 * (4 + n) + 9600, track: null });
            await new Promise((rest) => setTimeout(rest, 300));
            const began = performance.now();
            await page.hand.takeOut();
            const drawn = await new Promise((done) => requestAnimationFrame(() => done(performance.now())));
            times.push(drawn - began);
            await new Promise((rest) => setTimeout(rest, 900));
          }
          return times;
        }"""
    )


def starting(page: Page) -> list[float]:
    """Milliseconds from the key to the first sample that is not silence at the output."""
    spent = []
    for place in (30, 95, 200, 400, 41):
        page.evaluate("(place) => Alpine.$data(document.body).transport.goTo(place * 48000)", place)
        page.wait_for_timeout(700)
        spent.append(
            page.evaluate(
                """() => new Promise((done) => {
                  const began = performance.now();
                  window.dispatchEvent(new KeyboardEvent("keydown", { key: " ", bubbles: true }));
                  const look = () => {
                    if (document.getElementById("heard").textContent !== "–") done(performance.now() - began);
                    else if (performance.now() - began > 3000) done(NaN);
                    else setTimeout(look, 2);
                  };
                  look();
                })"""
            )
        )
        page.keyboard.press("Space")
    return spent


@contextmanager
def serving(data: Path) -> Iterator[str]:
    """The address of a server in a process of its own, as a person has it."""
    command = [sys.executable, "-m", "pampa", "serve", "--data", str(data), "--port", str(PORT)]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    address = f"http://127.0.0.1:{PORT}"
    try:
        while process.poll() is None:
            with suppress(OSError):
                urllib.request.urlopen(f"{address}/sign-in").close()
                break
            time.sleep(0.1)
        time.sleep(WARMED_S)
        yield address
    finally:
        process.terminate()
        process.wait()


def measure(page: Page, address: str) -> None:
    """Print what the page of an episode takes."""
    first, *again = opening(page, address)
    print(f"{'open the page, nothing kept by the browser':<52}{first:8.0f} ms")
    print(f"{'open the page again, median':<52}{statistics.median(again):8.0f} ms")
    page.wait_for_timeout(1500)
    frames = np.array(scrolling(page))
    print(f"{'scroll: median frame':<52}{np.median(frames):8.1f} ms")
    print(f"{'scroll: frames over 25 ms':<52}{100 * (frames > 25).mean():8.1f} %")
    print(f"{'an edit until its line is redrawn, median':<52}{statistics.median(editing(page)):8.0f} ms")
    print(f"{'the key until sound is out, median':<52}{statistics.median(starting(page)):8.0f} ms", flush=True)


def main(minutes: int) -> None:
    folder = Path(tempfile.mkdtemp())
    studio = Studio(Settings(data=folder / "data", port=PORT))
    episode = long_episode(studio, folder, minutes)
    for seams in SEAMS:
        print(f"an episode of {minutes} min, {cut(studio, episode, seams)} clips")
        studio.listening.standing(episode, wait=True)
        studio.close()
        with serving(folder / "data") as address, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            measure(page, f"{address}/episodes/{episode}/prune")
            browser.close()
        studio = Studio(Settings(data=folder / "data", port=PORT))
    studio.close()
    shutil.rmtree(folder, ignore_errors=True)
