"""Long and many, in Chromium: a show of 500 episodes, a larder of 20,000 pieces, 10 hours with 12 people:
`./pampa bench scale`."""

import shutil
import statistics
import tempfile
import time
from dataclasses import asdict
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Page, sync_playwright
from sqlalchemy import insert

from bench.__main__ import talk
from bench.browser import chromium
from bench.gather import WORDS
from bench.pages import FLAGS, PORT, cut, measure, serving
from pampa.core.sound import RATE
from pampa.core.voice.heard import BANDS_HZ
from pampa.core.voice.likeness import Likeness
from pampa.store.database import open_database
from pampa.store.models import Episode, LikenessRow, Piece, Recording
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

EPISODES, PIECES = 500, 20_000
HOURS, PEOPLE, SEAMS = 10, 12, 500


def filled(studio: Studio, folder: Path) -> None:
    """One show with many episodes, of which only is known how two people sounded, and many pieces of one sound."""
    show = studio.shows.make_show("Slack Water", "Marisol Vey").id
    first = studio.shows.make_episode(show, "The Pilot Ladder", 1).id
    path = folder / "bed.wav"
    soundfile.write(path, talk(20, 1), RATE, subtype="PCM_16")
    recording = studio.recordings.add_file(first, path, person="Bed", role="music").id
    studio.jobs.wait(600)
    kept = studio.larder.keep(recording, kind="music", name="Piece 0")
    studio.jobs.wait(600)
    rng = np.random.default_rng(1)
    with open_database(studio.settings.data / "pampa.db").begin() as session:
        session.execute(insert(Episode), [
            {"show_id": show, "title": f"Tide {n}", "number": n, "choices": {}, "about": {}}
            for n in range(2, EPISODES + 1)
        ])  # fmt: skip
        episodes = list(session.query(Episode.id).where(Episode.larder.is_(False)))
        session.execute(insert(LikenessRow), [
            {"show_id": show, "episode_id": number, "person": person, "revision": 0, "went_out": True,
             "heard": asdict(heard(rng))}
            for (number,) in episodes for person in ("Marisol Vey", "Anders Quill")
        ])  # fmt: skip
        lent = session.get_one(Recording, kept)
        start = session.query(Recording.id).order_by(Recording.id.desc()).first()[0] + 1
        session.execute(insert(Recording), [
            {"id": start + n, "episode_id": lent.episode_id, "name": lent.name, "sha256": lent.sha256,
             "suffix": lent.suffix, "size": lent.size, "channels": lent.channels, "state": "ready",
             "facts": lent.facts, "placed": True}
            for n in range(PIECES - 1)
        ])  # fmt: skip
        pieces = []
        for n in range(PIECES - 1):
            name, tags = f"{WORDS[n % 10].capitalize()} {n}", f"{WORDS[n // 10 % 10]} {WORDS[n // 100 % 10]}"
            pieces.append(
                {"recording_id": start + n, "name": name, "tags": tags, "kind": "music",
                 "sought": f"{name} {tags} music".casefold(), "length": 20 * RATE, "loudness_lufs": -20.0}
            )  # fmt: skip
        session.execute(insert(Piece), pieces)


def heard(rng: np.random.Generator) -> Likeness:
    """Somebody who sounds a little different each time."""
    spectrum = tuple(rng.normal(size=BANDS_HZ.size).tolist())
    return Likeness(-21 + float(rng.normal()), 3.0, -62.0, spectrum, 0.0, 0.35)


def memory_mb() -> float:
    """Of the server, in MB."""
    for status in Path("/proc").glob("[0-9]*/status"):
        command = (status.parent / "cmdline").read_bytes().replace(b"\0", b" ")
        if b"pampa serve" in command and str(PORT).encode() in command:
            lines = status.read_text().splitlines()
            return next(int(line.split()[1]) / 1024 for line in lines if line.startswith("VmRSS"))
    return float("nan")


def told(name: str, value: float, unit: str) -> None:
    print(f"{name:<52}{value:8.0f} {unit}", flush=True)


def opened(page: Page, address: str, until: str) -> float:
    """Milliseconds until a page shows what is asked for, the median of three."""
    spent = []
    for _ in range(3):
        began = time.perf_counter()
        page.goto(address)
        page.locator(until).first.wait_for(timeout=120_000)
        spent.append(1000 * (time.perf_counter() - began))
    return statistics.median(spent)


def asked(page: Page, path: str) -> float:
    """Milliseconds until the server has answered, the median of seven."""
    spent = page.evaluate(
        """async (path) => {
          const times = [];
          for (let n = 0; n < 7; n++) {
            const began = performance.now();
            await (await fetch(path)).text();
            times.push(performance.now() - began);
          }
          return times;
        }""", path,
    )  # fmt: skip
    return statistics.median(spent)


def many(page: Page, address: str) -> None:
    print(f"a show of {EPISODES} episodes, a larder of {PIECES:,} pieces")
    told("the page of shows until it is listed", opened(page, address, ".on-desk .btn"), "ms")
    told(
        "the series sheet until it is drawn",
        opened(page, f"{address}/shows/1/series", ".series-person path.level"),
        "ms",
    )
    told("  of that, asking the server for its rows", asked(page, "/api/shows/1/series"), "ms")
    told("pieces by a word", asked(page, "/api/shows/1/larder?words=tide"), "ms")
    told("pieces by two words that few have", asked(page, "/api/shows/1/larder?words=fog+19"), "ms")
    told("an episode until it can be used", opened(page, f"{address}/episodes/1/gather", "body[data-ready]"), "ms")
    told("memory of the server", memory_mb(), "MB")


def long_one(studio: Studio, folder: Path) -> int:
    """Ten hours of one recording on twelve tracks, so that a disk of usual size holds it and it is examined once."""
    show = studio.shows.make_show("Slack Water", "Marisol Vey").id
    episode = studio.shows.make_episode(show, "The Long Watch", 1).id
    path = folder / "watch.wav"
    with soundfile.SoundFile(path, "w", RATE, 1, "PCM_16", format="RF64") as file:
        minute = talk(60, 1)
        for _ in range(HOURS * 60):
            file.write(minute)
    began = time.perf_counter()
    first = studio.recordings.add_file(episode, path, person="Person 0").id
    studio.jobs.wait(3600)
    told(f"{HOURS} hours brought in and checked up", time.perf_counter() - began, "s")
    path.unlink()
    with open_database(studio.settings.data / "pampa.db").begin() as session:
        kept = session.get_one(Recording, first)
        same = {name: getattr(kept, name) for name in ("episode_id", "sha256", "suffix", "size", "channels", "facts")}
        others = [Recording(**same, name=kept.name, person=f"Person {n}", role="person", state="ready", placed=True)
                  for n in range(1, PEOPLE)]  # fmt: skip
        session.add_all(others)
        session.flush()
        numbers = {other.id: other.person for other in others}
    for number, person in numbers.items():
        length = same["facts"]["conformed_frames"]
        studio.editing.edit(
            episode, "bring_in", {"name": person, "kind": "person", "recording": number, "length": length}
        )
    return episode


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    try:
        studio = Studio(Settings(data=folder / "many", port=PORT))
        filled(studio, folder)
        studio.close()
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            with serving(folder / "many") as address:
                many(page, address)
            studio = Studio(Settings(data=folder / "long", port=PORT))
            episode = long_one(studio, folder)
            clips = cut(studio, episode, SEAMS)
            studio.close()
            print(f"an episode of {HOURS} h, {PEOPLE} people, {clips:,} clips")
            with serving(folder / "long") as address:
                measure(page, f"{address}/episodes/{episode}/prune")
                told("memory of the server", memory_mb(), "MB")
            browser.close()
    finally:
        shutil.rmtree(folder, ignore_errors=True)
