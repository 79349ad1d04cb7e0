"""What is mended heard around the playhead first, in a long recording with hum: `./pampa bench around`."""

import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

from bench.__main__ import talk
from pampa.core.mend.amounts import Amounts
from pampa.core.sound import RATE
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

WANTED = {"hum": 100, "rumble": 100, "clicks": 100, "plosives": 70, "noise": 60, "reverb": 35}
HARMONICS = range(1, 13)


def main(minutes: int) -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        with soundfile.SoundFile(folder / "long.wav", "w", RATE, 1, "PCM_16") as file:
            for minute in range(minutes):
                t = np.arange(minute * 60 * RATE, (minute + 1) * 60 * RATE) / RATE
                hum = sum(0.004 / k * np.sin(2 * np.pi * 50.01 * k * t + k) for k in HARMONICS)
                file.write(talk(60, 1)[:, 0] + hum.astype(np.float32))
        studio = Studio(Settings(data=folder / "data"))
        try:
            _timed(studio, folder / "long.wav", minutes)
        finally:
            studio.close()


def _timed(studio: Studio, path: Path, minutes: int) -> None:
    episode = studio.shows.make_episode(studio.shows.make_show("Slack Water", "").id, "The Pilot Ladder", 1).id
    number = studio.recordings.add_file(episode, path, person="Anders Quill").id
    studio.jobs.wait(3600)
    at = minutes * 30 * RATE
    studio.mending.listens_at(episode, at)
    began = time.perf_counter()
    studio.editing.edit(episode, "mend", {"name": "Anders Quill", "recordings": [number], "amounts": WANTED})
    amounts = Amounts(**WANTED)
    while not studio.sounds.rendition(number, amounts=amounts).near and studio.sounds.lacks_mends(number, amounts):
        time.sleep(0.02)
    studio.listening.sound(episode, start=at, frames=RATE)
    around = time.perf_counter() - began
    studio.jobs.wait(3600)
    whole = time.perf_counter() - began
    print(f"{minutes} min with hum, all that is usual to mend it: heard at the playhead after {around:.1f} s, "
          f"measured whole after {whole:.0f} s ({60 * minutes / whole:.0f} x real time on all cores)")  # fmt: skip
