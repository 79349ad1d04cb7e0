"""Straight through, from raw files to finished ones and on to the mooring: `./pampa bench straight [--minutes 60]`.

The sample's five raw files as they come, and the same talk again and again for as long as asked. What it took out is
held against the truth of the sample: nothing of what is said may be gone.
"""

import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

import soundfile

from pampa.core.sound import RATE
from pampa.core.straight.steps import USUAL, Wants
from pampa.demo.assemble import assemble
from pampa.mooring.serving import serve_beside, token_of
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

RAW = ("marisol_local.wav", "anders_local.wav", "call_backup.wav", "theme.flac", "room_sandhaven.wav")
PEOPLE = {"marisol_local.wav": "Marisol Vey", "anders_local.wav": "Anders Quill"}
PORT = 8599


@dataclass
class Clock:
    """Tells how long each part took."""

    last: float

    def tell(self, what: str) -> float:
        now = time.perf_counter()
        spent, self.last = now - self.last, now
        print(f"  {what:42} {spent:8.1f} s")
        return spent


def longer(folder: Path, to: Path, minutes: int) -> list[Path]:
    """The raw files of the people and the call, each as long as the shortest, played again until they last so long."""
    made = []
    shortest = min(soundfile.info(folder / name).duration for name in RAW[:3])
    for name in RAW[:3]:
        sound, rate = soundfile.read(folder / name, dtype="float32", always_2d=True)
        sound = sound[: round(shortest * rate)]
        path = to / name
        with soundfile.SoundFile(path, "w", rate, sound.shape[1], "PCM_24") as file:
            left = minutes * 60 * rate
            while left > 0:
                file.write(sound[:left])
                left -= len(sound)
        made.append(path)
    return made


def go(name: str, files: list[Path], data: Path, *, publishes: bool) -> None:
    """One episode, from files to finished ones."""
    studio = Studio(Settings(data=data))
    server = serve_beside(data.parent / "mooring", "127.0.0.1", PORT) if publishes else None
    try:
        show = studio.shows.make_show("Slack Water", "Marisol Vey").id
        if publishes:
            token = token_of(data.parent / "mooring")
            studio.places.make(show, "mooring", "", token, address=f"http://127.0.0.1:{PORT}")
        episode = studio.shows.make_episode(show, "The Pilot Ladder", 12).id
        print(name)
        began = time.perf_counter()
        clock = Clock(began)
        for file in files:
            studio.recordings.add_file(episode, file, **({"person": PEOPLE[file.name]} if file.name in PEOPLE else {}))
        studio.jobs.wait(7200)
        clock.tell("brought in, examined, told apart")
        studio.straight_through.look_ahead(episode)
        studio.jobs.wait(7200)
        clock.tell("plan: lined up, finds")
        ticked = (*USUAL, "publish") if publishes else USUAL
        studio.straight_through.go(episode, Wants(ticked))
        studio.jobs.wait(7200)
        clock.tell("done, files made" + (", published" if publishes else ""))
        report = studio.straight_through.report(episode)
        assert report is not None
        sheet = studio.sending.delivery(report.files[0]).sheet
        length = studio.editing.state(episode).document.length / RATE
        spent = time.perf_counter() - began
        loudness = sheet["loudness"]
        figures = f"{loudness['integrated_lufs']:.2f} LUFS, {loudness['true_peak_dbtp']:.2f} dBTP"
        print(f"  in all {spent:.1f} s for {length / 60:.1f} min; {figures}")
        found = [
            f"{check.title}: {note.told}" for check in studio.last_look.last(episode).found for note in check.notes
        ]
        print(f"  needs a person: {list(report.needs) or 'nothing'}")
        print(f"  last look: {found or 'nothing'}")
    finally:
        studio.close()
        if server is not None:
            server.should_exit = True


def main(minutes: int) -> None:
    """The sample, then as long as asked."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        assemble(folder / "sample")
        go("the sample's five raw files", [folder / "sample" / each for each in RAW], folder / "short", publishes=True)
        if minutes:
            (folder / "long").mkdir()
            files = longer(folder / "sample", folder / "long", minutes)
            go(f"{minutes} min of two people and the call", files, folder / "data", publishes=False)
