"""How quick Gather is with 40 recordings and a larder of 2,000 pieces, in Chromium: `./pampa bench gather`."""

import shutil
import statistics
import tempfile
from pathlib import Path

import soundfile
from playwright.sync_api import Page, sync_playwright

from bench.__main__ import talk
from bench.browser import chromium
from bench.pages import FLAGS, PORT, opening, serving
from pampa.core.sound import RATE
from pampa.store.database import open_database
from pampa.store.models import Piece, Recording
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

RECORDINGS, PIECES = 40, 2000
WORDS = ("tide", "harbour", "bell", "morning", "engine", "rope", "fog", "night", "gull", "lock")


def filled(studio: Studio, folder: Path) -> int:
    """An episode of 40 people for half a minute each, in a show whose larder holds 2,000 pieces of one sound."""
    show = studio.shows.make_show("Slack Water", "Marisol Vey")
    episode = studio.shows.make_episode(show.id, "The Pilot Ladder", 12).id
    for number in range(RECORDINGS):
        path = folder / f"voice {number}.wav"
        soundfile.write(path, talk(30, number)[number * 100 :], RATE, subtype="PCM_16")
        studio.recordings.add_file(episode, path, person=f"Person {number}")
    studio.jobs.wait(600)
    kept = studio.larder.keep(studio.recordings.of_episode(episode)[0].id, kind="music", name="Piece 0")
    studio.jobs.wait(600)
    with open_database(studio.settings.data / "pampa.db").begin() as session:
        lent = session.get_one(Recording, kept)
        for number in range(1, PIECES):
            row = Recording(
                episode_id=lent.episode_id, name=lent.name, sha256=lent.sha256, suffix=lent.suffix, size=lent.size,
                channels=lent.channels, state="ready", facts=lent.facts, placed=True,
            )  # fmt: skip
            session.add(row)
            session.flush()
            name = f"{WORDS[number % 10].capitalize()} {number}"
            tags = f"{WORDS[number // 10 % 10]} {WORDS[number // 100 % 10]}"
            session.add(Piece(
                recording_id=row.id, name=name, tags=tags, kind="music", sought=f"{name} {tags} music".casefold(),
                length=30 * RATE, loudness_lufs=-20.0, bpm=None, used=None,
            ))  # fmt: skip
    return episode


def searching(page: Page) -> float:
    """Milliseconds from the last letter of a word until its pieces are listed."""
    spent = page.evaluate(
        """async (words) => {
          const page = Alpine.$data(document.body);
          page.gather.setView("larder");
          await new Promise((rest) => setTimeout(rest, 1500));
          const field = document.getElementById("larder-words");
          const times = [];
          for (const word of words) {
            const began = performance.now();
            field.value = word;
            field.dispatchEvent(new Event("input", { bubbles: true }));
            const before = page.larder.pieces;
            while (page.larder.pieces === before) await new Promise((rest) => setTimeout(rest, 1));
            await new Promise((done) => requestAnimationFrame(done));
            times.push(performance.now() - began);
          }
          return times;
        }""",
        list(WORDS),
    )
    return statistics.median(spent)


def changing(page: Page) -> float:
    """Milliseconds from a new name until the list and the sheet's tracks have it."""
    spent = page.evaluate(
        """async () => {
          const page = Alpine.$data(document.body);
          page.gather.setView("recordings");
          const times = [];
          for (let n = 0; n < 6; n++) {
            const began = performance.now();
            await page.gather.setRecording(page.episode.recordings[n], { person: `Somebody ${n}` });
            await new Promise((done) => requestAnimationFrame(done));
            times.push(performance.now() - began);
            await new Promise((rest) => setTimeout(rest, 500));
          }
          return times;
        }"""
    )
    return statistics.median(spent)


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    studio = Studio(Settings(data=folder / "data", port=PORT))
    episode = filled(studio, folder)
    studio.listening.standing(episode, wait=True)
    studio.close()
    with serving(folder / "data") as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        print(f"an episode of {RECORDINGS} recordings, a larder of {PIECES} pieces")
        opened = opening(page, f"{address}/episodes/{episode}/gather")
        print(f"{'open Gather until it can be used':<52}{opened * 1000:8.0f} ms")
        page.wait_for_timeout(1500)
        print(f"{'a new name until it is everywhere, median':<52}{changing(page):8.0f} ms")
        print(f"{'a word until its pieces are listed, median':<52}{searching(page):8.0f} ms")
        asked = page.evaluate(
            """async () => {
              const times = [];
              for (const word of ["tide", "fog", "bell", "night", "gull"]) {
                const began = performance.now();
                await (await fetch(`/api/shows/1/larder?words=${word}`)).json();
                times.push(performance.now() - began);
              }
              return times.sort((a, b) => a - b)[2];
            }"""
        )
        print(f"{'  of that, asking the server':<52}{asked:8.0f} ms")
        browser.close()
    shutil.rmtree(folder, ignore_errors=True)
