"""Music around the talk: pieces set as opening, ending, sting or bed, fitted to a length; and how they lie there."""

import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from pampa.core.errors import EditRefused, PampaError, disk_errors
from pampa.core.executor import Executor
from pampa.core.mix.distance import NOBODY
from pampa.core.mix.ducking import CELL
from pampa.core.music.bars import bar_starts, bars_of
from pampa.core.music.beats import beats_of
from pampa.core.music.fit import way_of_length
from pampa.core.music.fitted import fitted
from pampa.core.music.onsets import onsets_of
from pampa.core.sound import RATE, Curve, Excerpt
from pampa.core.timeline.document import Document
from pampa.studio.editing import Editing, State
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.larder import Larder
from pampa.studio.listening import Listening
from pampa.studio.recordings import Recordings
from pampa.studio.sounds import Sounds

CLOSE_DB = 0.25
"""A step is drawn by straight lines that lie this near to it."""
EDITS = {"opening": "open_with", "ending": "end_with", "sting": "sting_at", "bed": "bed_under"}
FIT, PUT_FITTED = "fit", "put fitted"


@dataclass(frozen=True, eq=False)
class Beating:
    """Where a recording beats: seconds of its beats and bars on its own clock, and its tempo, if it has one."""

    bpm: float | None
    beats_s: Curve
    bars_s: Curve


class Music:
    """Sets pieces around the talk, and knows how they lie there."""

    def __init__(self, editing: Editing, recordings: Recordings, larder: Larder, jobs: Jobs, sounds: Sounds,
                 listening: Listening, executor: Executor) -> None:  # fmt: skip
        self._editing, self._recordings, self._larder, self._jobs = editing, recordings, larder, jobs
        self._sounds, self._listening, self._executor = sounds, listening, executor
        self._beats: dict[str, Beating] = {}
        jobs.register(FIT, self._fit)
        jobs.register(PUT_FITTED, self._put_fitted)

    # -- as it lies ------------------------------------------------------------------------------------------

    def steps(self, episode_id: int) -> dict[int, list[tuple[int, float]]]:
        """By track, how far it steps back under the talk: frames and gains in dB, straight between them."""
        steps = self._listening.steps(self._editing.state(episode_id).document)
        return {track: _in_lines(curve) for track, curve in steps.items()}

    def beats(self, recording_id: int) -> Beating:
        """Where a recording beats."""
        key = self._sounds.key(recording_id)
        if key not in self._beats:
            onsets = onsets_of(self._sounds.conformed(recording_id), self._executor)
            beats = beats_of(onsets)
            self._beats[key] = Beating(beats.bpm, beats.beats_s, bar_starts(beats, bars_of(onsets, beats)))
        return self._beats[key]

    # -- set around the talk ---------------------------------------------------------------------------------

    def set(self, episode_id: int, what: str, piece_id: int, told: Mapping[str, Any], *, revision: int | None = None
            ) -> State:  # fmt: skip
        """Set a piece of the larder around the talk: an opening, an ending, a sting, or a bed under a stretch."""
        had = {recording.id for recording in self._recordings.of_episode(episode_id)}
        piece, own = self._larder.lend(piece_id, episode_id)
        parameters = {**told, "name": piece.name, "recording": own.id, "source": piece.start, "length": piece.length}
        try:
            if what in ("opening", "ending"):
                first, last = self._words(self._editing.state(episode_id).document)
                parameters["word"] = first if what == "opening" else last
            return self._editing.edit(episode_id, EDITS[what], parameters, revision=revision)
        except PampaError:
            if own.id not in had:
                self._recordings.remove(own.id)
            raise

    def _words(self, document: Document) -> tuple[int, int]:
        """Where the first word of the episode begins and the last one ends, in frames."""
        talking = np.flatnonzero(self._listening.talk(document) > NOBODY)
        if not talking.size:
            raise EditRefused("Nobody talks in this episode yet. Bring the recordings in first. Nothing was changed.")
        return int(talking[0]) * CELL, min((int(talking[-1]) + 1) * CELL, document.length)

    # -- fitted to a length ----------------------------------------------------------------------------------

    def fit(self, episode_id: int, clip_id: int, length: int) -> int:
        """Begin to make the piece of a clip last `length` frames; the job puts it in the clip's place."""
        track, clip = self._editing.state(episode_id).document.find_clip(clip_id)
        if track.linked:
            raise EditRefused("Talk is not fitted to a length; only music is. Nothing was changed.")
        label = f"Fitting {track.name} to {length / RATE:.1f} s"
        return self._jobs.start(FIT, episode_id, label, clip=clip.id, length=length)

    def _fit(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id, length = self._jobs.episode_of(job_id), parameters["length"]
        _, clip = self._editing.state(episode_id).document.find_clip(parameters["clip"])
        progress("Listening for beats", 0.1)
        music = Excerpt(self._sounds.conformed(clip.recording), clip.source, clip.length)
        onsets = onsets_of(music, self._executor)
        beats = beats_of(onsets)
        bars = bars_of(onsets, beats)
        progress("Looking for places to jump", 0.4)
        way = way_of_length(onsets, beats.beats_s, bars and bars[0], music.frames / RATE, length / RATE)
        sound = fitted(music, way, length, steady=beats.beats_s.size > 0)
        lent = next(each for each in self._recordings.of_episode(episode_id) if each.id == clip.recording)
        name = lent.person or Path(lent.name).stem
        with tempfile.TemporaryDirectory() as folder, disk_errors():
            path = Path(folder) / f"{name}, {length / RATE:.1f} s.flac"
            soundfile.write(path, np.clip(sound, -1, 1), RATE, "PCM_24")
            made = self._recordings.add_file(
                episode_id, path, person=path.stem, role=lent.role, placed=True
            )  # fmt: skip
        coming = self._jobs.open_of(episode_id, "bring in")
        self._jobs.start(PUT_FITTED, episode_id, f"Putting {path.stem} in its place", after=coming, clip=clip.id,
                         recording=made.id, length=length)  # fmt: skip

    def _put_fitted(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job: the fitted piece goes where the clip is now. Doing it again changes nothing."""
        episode_id = self._jobs.episode_of(job_id)
        document = self._editing.state(episode_id).document
        if any(c.recording == parameters["recording"] for track in document.tracks for c in track.clips):
            return
        track, clip = document.find_clip(parameters["clip"])
        fades = {"fade_in": clip.fade_in, "fade_out": clip.fade_out}
        if clip.fade_in + clip.fade_out > parameters["length"]:
            fades = {}
        laid = {"recording": parameters["recording"], "source": 0, "start": clip.start, "length": parameters["length"],
                "gain_db": clip.gain_db, **fades}  # fmt: skip
        told = {"name": track.name, "kind": track.kind, "pieces": [laid], "track": track.id, "instead_of": clip.id}
        self._editing.edit(episode_id, "lay", told)


def _in_lines(curve: Curve) -> list[tuple[int, float]]:
    """A curve of one value for each 20 ms as the fewest straight lines that lie near it, one after another."""
    if not curve.any():
        return []
    points, start = [0], 0
    while start < curve.size - 1:
        reach = partial(_straight, curve, start)
        step = 1
        while start + 2 * step < curve.size and reach(start + 2 * step):
            step *= 2
        low, high = start + step, min(start + 2 * step, curve.size - 1)
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (middle, high) if reach(middle) else (low, middle - 1)
        start = low
        points.append(start)
    return [(n * CELL, round(float(curve[n]), 2)) for n in points]


def _straight(curve: Curve, start: int, stop: int) -> bool:
    line = np.linspace(curve[start], curve[stop], stop - start + 1)
    return bool(np.abs(curve[start : stop + 1] - line).max() <= CLOSE_DB)
