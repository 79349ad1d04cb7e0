"""What a person does, with a note of each thing that was acknowledged: run in a process that may be killed."""

import json
import multiprocessing
import os
import signal
import sqlite3
from pathlib import Path

import numpy as np

from pampa.core.deliver.formats import Format
from pampa.core.deliver.solve import Aim
from pampa.core.faults import ASKED
from pampa.core.files import children
from pampa.core.files.decode import read_sound
from pampa.store.database import open_database
from pampa.studio.sending import Wanted
from pampa.studio.settings import Settings
from pampa.studio.studio import Studio

PIECES = 2
EDITS = 2


def start(work, *arguments, fault=""):
    """Run a function in a fresh process that may be killed; returns its exit code. Modules are loaded already."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(children.LOADED)
    process = context.Process(target=_with_fault, args=(work, fault, arguments))
    process.start()
    process.join(120)
    assert process.exitcode is not None, "it hangs"
    return process.exitcode


def _with_fault(work, fault, arguments):
    os.environ[ASKED] = fault
    work(*arguments)


def was_killed(code):
    return code == -signal.SIGKILL


def open_only(path):
    """Here, not where it is tested: what a fresh process has to load for it is loaded already."""
    open_database(path)


def open_studio(data):
    return Studio(Settings(data=data, workers=2))


def note(path, what):
    with path.open("a") as file:
        file.write(json.dumps(what) + "\n")


def noted(path):
    return [json.loads(line) for line in path.read_text().splitlines()] if path.exists() else []


def work_a_while(data, sound, acknowledged):
    """Show, episode, an upload in pieces, edits, undo, a delivery, deleting for good."""
    studio = open_studio(data)
    show = studio.shows.make_show("Slack Water", "Marisol Vey")
    episode = studio.shows.make_episode(show.id, "The Pilot Ladder", 12).id
    note(acknowledged, ["episode", episode])
    content = sound.read_bytes()
    upload = studio.uploads.begin(episode, "marisol_local.wav", len(content))
    note(acknowledged, ["upload", upload.id])
    size = -(-len(content) // PIECES)
    for at in range(0, len(content), size):
        upload = studio.uploads.receive(upload.id, at, content[at : at + size])
        note(acknowledged, ["received", upload.received])
    studio.jobs.wait()
    for n in range(EDITS):
        studio.editing.edit(episode, "add_marker", {"at": 4800 * n, "name": f"Place {n}"})
        note(acknowledged, ["marker", n])
    studio.editing.undo(episode)
    note(acknowledged, ["undone", EDITS - 1])
    studio.sending.start(episode, [Wanted(Format("flac", 16), Aim(-23.0, -1.0), mono=True)])
    note(acknowledged, ["delivery", 1])
    studio.jobs.wait()
    removed = studio.recordings.add_file(episode, sound.with_name("anders_local.wav"), person="Anders Quill")
    studio.jobs.wait()
    track = studio.editing.state(episode).document.tracks[-1].id
    studio.editing.edit(episode, "remove_track", {"track": track})
    studio.recordings.remove(removed.id)
    studio.space.delete_recording(removed.id)
    note(acknowledged, ["deleted", removed.id])
    studio.close()


def lay_up_and_bring_back(data):
    """The episode there is laid up and freed, and then brought back."""
    studio = open_studio(data)
    studio.laying_up.begin(1, free=True)
    studio.jobs.wait()
    [archive] = studio.laying_up.all()
    studio.bringing_back.bring_back(studio.laying_up.path(archive.name))
    studio.close()


def look_for_the_talk(data, found):
    """Open the folder again, let it finish; then how many frames of talk each episode has, and each archive."""
    studio = open_studio(data)
    studio.jobs.wait()
    told = {"half": [str(p) for p in data.rglob("*") if ".making" in p.name], "frames": [], "archives": 0}
    for archive in studio.laying_up.all():
        studio.bringing_back.bring_back(studio.laying_up.path(archive.name))
        told["archives"] += 1
    for episode in studio.shows.episodes(1):
        heard = studio.listening.sound(episode.id, start=0, frames=48_000)
        told["frames"].append([studio.editing.state(episode.id).document.length, bool(heard.sound.any())])
    studio.close()
    Path(found).write_text(json.dumps(told))


def look(data, found):
    """Open the folder again, let it finish what was begun, and write down what is there."""
    studio = open_studio(data)
    studio.jobs.wait()
    told = {"episodes": [], "half": [str(p) for p in data.rglob("*") if ".making" in p.name]}
    for show in studio.shows.all_shows():
        for episode in studio.shows.episodes(show.id):
            document = studio.editing.state(episode.id).document
            recordings = studio.recordings.of_episode(episode.id)
            told["episodes"].append({
                "id": episode.id, "markers": len(document.markers), "clips": [len(t.clips) for t in document.tracks],
                "recordings": [[r.person, r.state] for r in recordings],
                "originals": [studio.media.original(r.sha256, r.suffix).exists() for r in recordings],
                "deliveries": [_frames(studio.sending.file(d.id)[0]) for d in studio.sending.of_episode(episode.id)],
                "jobs": studio.jobs.open_jobs(episode.id),
            })  # fmt: skip
            studio.editing.edit(episode.id, "add_marker", {"at": 0, "name": "It goes on"})
    studio.close()
    [[told["integrity"]]] = sqlite3.connect(data / "pampa.db").execute("PRAGMA integrity_check").fetchall()
    Path(found).write_text(json.dumps(told))


def _frames(path):
    return read_sound(path, lambda sound: sum(len(block) for block in sound.blocks if np.isfinite(block).all()))
