"""The last look at an episode before it goes out: begun when somebody asks, told by an event, kept until it changes."""

import threading
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from pampa.core.deliver.solve import Aim, measure_parts, solve
from pampa.core.executor import Executor
from pampa.core.last_look.look import Found, Look, Place, Reached, Words
from pampa.core.last_look.programme import examined
from pampa.core.last_look.sound import figures
from pampa.core.last_look.table import CHECKS, last_look
from pampa.core.loudness.gating import to_energy
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.mix.steps import played_in_episode
from pampa.core.sound import RATE, Curve, Source, db_to_gain
from pampa.core.timeline.document import Clip, Document, Track
from pampa.store.models import Job
from pampa.studio.about import About
from pampa.studio.checking_up import CheckingUp
from pampa.studio.editing import Editing, State, ordered, packed
from pampa.studio.events import Event, Events
from pampa.studio.finding import Finding
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.joins import Joins
from pampa.studio.likenesses import Likenesses
from pampa.studio.listening import Listening
from pampa.studio.recordings import Recordings
from pampa.studio.rendering import Rendering
from pampa.studio.shows import Shows
from pampa.studio.sounds import Sounds

INSIDE_S, OUTSIDE_S = 0.06, 0.03
FADED = round(0.05 * RATE)
"""An end with a fade as long as this was made on purpose."""
NOT_ASKED, ASKED_FROM, ASKED_SILENCE = ("breath", "click"), 0.5, round(1.2 * RATE)


@dataclass(frozen=True)
class Looked:
    """What the last look found. revision : of the episode that was looked at; None where nobody has looked yet.

    figures : of the programme, by name. passed : what was looked at and is well. waits : it is being looked at.
    """

    revision: int | None = None
    figures: tuple[tuple[str, str], ...] = ()
    reached: tuple[Reached, ...] = ()
    found: tuple[Found, ...] = ()
    passed: tuple[str, ...] = ()
    waits: bool = False


class LastLook:
    """The last looks of all episodes."""

    def __init__(self, jobs: Jobs, events: Events, editing: Editing, listening: Listening, rendering: Rendering,
                 sounds: Sounds, recordings: Recordings, joins: Joins, finding: Finding, checking_up: CheckingUp,
                 likenesses: Likenesses, shows: Shows, about: About, executor: Executor) -> None:  # fmt: skip
        self._jobs, self._events, self._editing, self._listening = jobs, events, editing, listening
        self._rendering, self._sounds, self._recordings = rendering, sounds, recordings
        self._joins, self._finding, self._checking_up = joins, finding, checking_up
        self._likenesses, self._shows, self._about, self._executor = likenesses, shows, about, executor
        self._lock = threading.Lock()
        self._looked: dict[int, Looked] = {}
        jobs.register("last look", self._look, self._ended)

    def last(self, episode_id: int) -> Looked:
        """What was found last."""
        self._editing.state(episode_id)  # raises NotFound
        with self._lock:
            last = self._looked.get(episode_id, Looked())
        return replace(last, waits=self._jobs.open_with(_key(episode_id)) is not None)

    def begin(self, episode_id: int, wanted: list[tuple[str, Aim]]) -> Looked:
        """Begin to look at the episode as it stands. wanted : names and aims of the files that it is to become."""
        told = [[name, aim.target_lufs, aim.ceiling_dbtp] for name, aim in wanted]
        state = self._editing.state(episode_id)
        self._finding.of_episode(episode_id)  # begun now, where nobody has looked for any yet
        self._jobs.start("last look", episode_id, "A last look", key=_key(episode_id), wanted=told,
                         after=self._jobs.open_of(episode_id, "find"), ordered=packed(state))  # fmt: skip
        return self.last(episode_id)

    def _look(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id = self._jobs.episode_of(job_id)
        state = ordered(self._editing, episode_id, parameters)
        self.look(state, [(name, Aim(*aim)) for name, *aim in parameters["wanted"]], progress)

    def look(self, state: State, wanted: list[tuple[str, Aim]], progress: Progress) -> Looked:
        """Look at an episode now; what is found is kept until it changes."""
        episode_id = state.episode_id
        if not state.document.length:
            with self._lock:
                self._looked[episode_id] = Looked(state.revision)
            return self._looked[episode_id]
        look = self._gathered(state, wanted, progress)
        found = last_look(look)
        names = {each.name for each in found}
        looked = Looked(
            state.revision, tuple(figures(look.programme)), tuple(look.wanted), tuple(found),
            tuple(check.title for check in CHECKS if check.name not in names),
        )  # fmt: skip
        with self._lock:
            self._looked[episode_id] = looked
        return looked

    def _ended(self, job: Job) -> None:
        self._events.post(Event("last-look", job.episode_id))

    def _gathered(self, state: State, wanted: list[tuple[str, Aim]], progress: Progress) -> Look:
        """Everything that is looked at. The sound is rendered for it, and kept for the files that are made after."""
        document, episode_id = state.document, state.episode_id
        source = self._rendering.rendered(state, progress)
        progress("Rendering", 0.05)
        parts = measure_parts(source, self._executor)
        programme = examined(source, parts, self._executor)
        reached = []
        for n, (name, aim) in enumerate(wanted):
            progress("Trying the targets", 0.5 + 0.2 * n / len(wanted))
            reached.append(_reached(name, aim, source, parts, self._executor))
        progress("Listening to the joins", 0.7)
        faults = self._joins.faults(state, lambda doing, share: progress(doing, 0.7 + 0.2 * share))
        progress("Looking at what is left", 0.9)
        first, last = _ends(document)
        music = sum(
            (self._playing(document, track) for track in document.tracks if not track.linked and not track.muted),
            np.zeros(programme.cells),
        )  # fmt: skip
        return Look(
            programme=programme, wanted=tuple(reached), music=music,
            talk=to_power(self._listening.talk(document))[: programme.cells],
            begins_db=self._outside(document, first, at_start=True) if first else None,
            ends_db=self._outside(document, last, at_start=False) if last else None,
            joins=[
                Place(document.seam(seam).at / RATE, found[0].told)
                for seam, found in faults.items()
            ],
            undecided=self._undecided(document, episode_id), proposals=self._proposals(document, episode_id),
            strayed=self._likenesses.strayed(state), words=self._words(episode_id),
            chapters=[(m.at / RATE, m.name) for m in document.markers if m.chapter and m.name.strip()],
        )  # fmt: skip

    def _playing(self, document: Document, track: Track) -> Curve:
        """How loud a track of music or effects is in each cell, as it steps back under the talk."""
        cells = document.length * CELLS_PER_S // RATE
        known = {
            recording: self._sounds.played(recording, document.drift_ppm(recording))
            for recording in {clip.recording for clip in track.clips}
        }
        step = self._listening.steps(document).get(track.id, np.zeros(0))
        gain_db = np.zeros(cells)
        gain_db[: min(cells, step.size)] = step[:cells]
        return np.asarray(played_in_episode(track, known, cells) * 10 ** (gain_db / 10))

    def _outside(self, document: Document, clip: Clip, *, at_start: bool) -> float | None:
        """By how many dB the recording is softer just outside of an end than just inside; None where it is at rest."""
        sound = self._sounds.rendition(clip.recording, drift_ppm=document.drift_ppm(clip.recording))
        source = self._sounds.opened(sound)
        inside, outside = round(INSIDE_S * RATE), round(OUTSIDE_S * RATE)
        at = clip.source if at_start else clip.source_end
        if (clip.fade_in if at_start else clip.fade_out) >= FADED or not 0 < at < source.frames:
            return None
        within = source.read(at, at + inside) if at_start else source.read(at - inside, at)
        beyond = source.read(at - outside, at) if at_start else source.read(at, at + outside)
        if float((within**2).mean()) < to_energy(-50.0):
            return None
        return float(10 * np.log10(((within**2).mean() + 1e-12) / ((beyond**2).mean() + 1e-12)))

    def _undecided(self, document: Document, episode_id: int) -> list[Place] | None:
        found = self._finding.of_episode(episode_id)
        if found.waits:
            return None
        people = {clip.recording: track for track in document.tracks if track.kind == "person" for clip in track.clips}
        left = {(each.recording, each.start, each.stop) for each in document.left}
        places = []
        for find in found.finds:
            track = people.get(find["recording"])
            if track is None or not _asked(find) or (find["recording"], find["start"], find["stop"]) in left:
                continue
            for clip in track.clips:
                whole = clip.source <= find["start"] and find["stop"] <= clip.source_end
                if whole and clip.recording == find["recording"]:
                    places.append(Place((clip.start + find["start"] - clip.source) / RATE, find["kind"]))
        return sorted(places, key=lambda place: place.at_s)

    def _proposals(self, document: Document, episode_id: int) -> list[tuple[str, int]]:
        mended = {mending.recording for mending in document.mendings}
        lying = {clip.recording for track in document.linked_tracks() for clip in track.clips}
        told, checked = [], self._checking_up.of_episode(episode_id)
        for recording in self._recordings.of_episode(episode_id):
            found = checked.get(recording.id)
            if recording.id in lying and recording.id not in mended and found:
                count = sum(bool(finding.get("process")) for finding in found["findings"])
                if count:
                    told.append((recording.person or recording.name, count))
        return told

    def _words(self, episode_id: int) -> Words:
        seen = self._about.seen(episode_id)
        _, episode = self._shows.episode(episode_id)
        return Words(episode.title, episode.number, seen.text, seen.artwork_findings if seen.artwork else None)


def _asked(find: dict[str, Any]) -> bool:
    """Whether Prune asks about a find, as it is set at first."""
    long_enough = find["kind"] != "silence" or find["stop"] - find["start"] >= ASKED_SILENCE
    return find["kind"] not in NOT_ASKED and find["confidence"] >= ASKED_FROM and long_enough


def to_power(lufs: Curve) -> Curve:
    """K-weighted mean square of levels in LUFS, 0 where there is none."""
    heard = np.isfinite(lufs)
    return np.where(heard, to_energy(0.0) * 10 ** (np.where(heard, lufs, 0.0) / 10), 0.0)


def _key(episode_id: int) -> str:
    return f"last look {episode_id}"


def _reached(name: str, aim: Aim, source: Source, parts: list[Any], executor: Executor) -> Reached:
    solution = solve(source, parts, aim, executor)
    peak = max((part.true_peak for part in parts), default=0.0) * db_to_gain(solution.gain_db)
    return Reached(name, aim, solution.gain_db, 20 * float(np.log10(max(peak, 1e-9))), solution.loss_lu,
                   solution.shortfall)  # fmt: skip


def _ends(document: Document) -> tuple[Clip | None, Clip | None]:
    """What is heard first and what is heard last."""
    clips = [clip for track in document.tracks if not track.muted for clip in track.clips if not clip.muted]
    if not clips:
        return None, None
    return min(clips, key=lambda clip: clip.start), max(clips, key=lambda clip: clip.end)
