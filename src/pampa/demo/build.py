"""Putting the sample show into a studio, through the same use cases as any other show."""

import json
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from pampa.core.sound import RATE
from pampa.demo.artwork import artwork
from pampa.demo.assemble import LENGTH_S, Truth
from pampa.studio.likenesses import likeness_from
from pampa.studio.studio import Studio

SHOW, HOST = "Slack Water", "Marisol Vey"
DESCRIPTION = "Conversations with people who work where rivers meet the sea."


def seconds(value: float) -> int:
    """Seconds as frames of the episode."""
    return round(value * RATE)


def build(studio: Studio, folder: Path, truth: Truth, tell: Callable[[str], None]) -> int:
    """Make the sample show from the files that `assemble` wrote; returns the number of the episode to open."""
    show = studio.shows.make_show(SHOW, HOST)
    studio.about.change_show(
        show.id, artwork=studio.about.keep_artwork(artwork()), description=DESCRIPTION, category="Society & Culture",
        email="marisol@slackwater.example", copyright="Slack Water", language="en",
    )  # fmt: skip
    _earlier_episode(studio, show.id, folder)
    episode = studio.shows.make_episode(show.id, "The Pilot Ladder", 12)
    tell("Bringing them in")
    arriving: list[tuple[str, dict[str, Any]]] = [
        ("marisol_local.wav", {"person": "Marisol Vey"}),
        ("anders_local.wav", {"person": "Anders Quill"}),
        ("nola_spot.wav", {"person": "Nola Brant", "role": "spot", "offset": seconds(truth.spot_starts_s)}),
        ("room_sandhaven.wav", {"person": "Room tone, Sandhaven", "role": "room tone"}),
        ("call_backup.wav", {"person": "Call backup", "role": "reference"}),
    ]
    for name, details in arriving:
        recording = studio.recordings.add_file(episode.id, folder / name, **details)
        _until_in(studio, episode.id)
    tell("Lining up")
    job = studio.lining_up.start(episode.id, recording.id)
    while studio.jobs.told(job)["state"] in ("waiting", "running"):
        time.sleep(0.02)
    studio.lining_up.apply(episode.id)
    _music(studio, episode.id, folder)
    _larder(studio, episode.id)
    tell("Treating the voices")
    studio.listening.standing(episode.id, wait=True)
    _past(studio, show.id, folder)
    studio.jobs.wait()
    return episode.id


def _music(studio: Studio, episode_id: int, folder: Path) -> None:
    """Theme at both ends, a bed under the spot, a sting after it, and two sounds of the port."""
    found = {}
    for name in ("theme", "bed", "sting", "fog_signal", "gulls", "rope", "engine"):
        recording = studio.recordings.add_file(
            episode_id, folder / f"{name}.flac", person=name.replace("_", " ").capitalize(),
            role="music" if name in ("theme", "bed", "sting") else "effects", placed=True,
        )  # fmt: skip
        found[name] = recording.id
    _until_in(studio, episode_id)
    tracks = {}
    for name, kind in (("Music", "music"), ("Port", "effects")):
        state = studio.editing.edit(episode_id, "add_track", {"name": name, "kind": kind})
        tracks[name] = state.document.tracks[-1].id
    placed = [
        # track, recording, start, source, length, gain, fade in, fade out
        ("Music", "theme", 25.4, 0.0, 22.6, -1.0, 0.02, 4.0),
        ("Music", "bed", 220.6, 0.0, 18.9, -4.0, 0.8, 1.5),
        ("Music", "sting", 239.5, 0.0, 3.3, -3.0, 0.0, 0.8),
        ("Music", "theme", 323.2, 23.2, 21.6, -1.0, 3.0, 0.1),
        ("Port", "fog_signal", 191.4, 0.0, 6.9, -9.0, 0.0, 1.0),
        ("Port", "gulls", 309.0, 0.0, 7.9, -9.0, 0.5, 1.5),
    ]
    for track, name, start, source, length, gain, fade_in, fade_out in placed:
        studio.editing.edit(
            episode_id, "add_clip",
            {"track": tracks[track], "recording": found[str(name)], "start": seconds(start), "source": seconds(source),
             "length": seconds(length), "gain_db": gain, "fade_in": seconds(fade_in), "fade_out": seconds(fade_out)},
        )  # fmt: skip
    studio.editing.edit(episode_id, "add_marker", {"at": seconds(27.9), "name": "Intro"})
    studio.editing.edit(episode_id, "add_marker", {"at": seconds(220.6), "name": "Spot"})
    assert studio.editing.state(episode_id).document.length <= seconds(LENGTH_S + 1)


TAGS = {
    "Theme": "opening ending guitar", "Bed": "spot calm guitar", "Sting": "turn short", "Fog signal": "port night",
    "Gulls": "port morning birds", "Rope": "port boat", "Engine": "port boat pilot", "Nola Brant": "Fennick Notebooks",
}  # fmt: skip


def _larder(studio: Studio, episode_id: int) -> None:
    """The show's larder, with what this episode uses, and the pattern for the next one."""
    for recording in studio.recordings.of_episode(episode_id):
        if recording.person in TAGS:
            name = "Spot, Fennick Notebooks" if recording.role == "spot" else recording.person
            studio.larder.keep(recording.id, kind=recording.role, name=name, tags=TAGS[recording.person])
    studio.jobs.wait()
    studio.patterns.make(episode_id, "With a spot")


def _until_in(studio: Studio, episode_id: int) -> None:
    """Wait until what came in lies where it belongs; its check-up goes on meanwhile."""
    while any(recording.state == "waiting" for recording in studio.recordings.of_episode(episode_id)):
        time.sleep(0.02)
    while any(job["label"].startswith("Bringing in") for job in studio.jobs.open_jobs(episode_id)):
        time.sleep(0.02)


def _past(studio: Studio, show_id: int, folder: Path) -> None:
    """Episodes from before, archived: their sound is elsewhere, and what everybody sounded like is kept."""
    for told in json.loads((folder / "past.json").read_text()):
        episode = studio.shows.make_episode(show_id, told["title"], told["number"])
        people = {person: likeness_from(heard) for person, heard in told["people"].items()}
        studio.likenesses.keep(episode.id, people, revision=0, went_out=True)
        studio.shows.change_episode(episode.id, archived=True)


def _earlier_episode(studio: Studio, show_id: int, folder: Path) -> None:
    """Episode 11, a stub: the theme with the spot and a short film, so that the show has more than one."""
    episode = studio.shows.make_episode(show_id, "Reading the Bar", 11)
    studio.recordings.add_file(episode.id, folder / "theme.flac", person="Theme", role="music")
    _until_in(studio, episode.id)
    studio.recordings.add_file(
        episode.id, folder / "nola_spot.wav", person="Nola Brant", role="spot", offset=seconds(12.0)
    )
    _until_in(studio, episode.id)
    studio.recordings.add_file(episode.id, folder / "quay.mp4", person="Quay camera", role="effects")
    _until_in(studio, episode.id)
