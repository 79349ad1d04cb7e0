"""Work at joins: a seam opened to hear what is missing, the quiet next to a place, room tone put in, and which joins
may be heard."""

import threading
from dataclasses import asdict, dataclass, replace
from typing import Any

from pampa.core.errors import EditRefused, NotFound
from pampa.core.mix.joins import Fault, Person, faults_at, floors_of
from pampa.core.mix.quiet import REACH, quiet_near
from pampa.core.mix.render import render
from pampa.core.room_tone import Tone
from pampa.core.sound import RATE
from pampa.core.timeline.cutting import put_back
from pampa.core.timeline.document import Document, Seam, Track
from pampa.store.models import Job
from pampa.studio.editing import Editing, State
from pampa.studio.events import Event, Events
from pampa.studio.finding import Finding
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.listening import Listening
from pampa.studio.sounds import Sounds

BESIDE = RATE
"""Only who is recorded this near to a place has a room there."""
SHORTEST_TONE, LONGEST_TONE = RATE // 10, 600 * RATE


@dataclass(frozen=True)
class Opened:
    """An episode with one seam open: what is missing stands from `start` to `stop`."""

    state: State
    start: int
    stop: int


@dataclass(frozen=True)
class Checked:
    """Which seams may be heard, by the seam's number. waits : they are still being listened to."""

    revision: int | None
    faults: dict[int, list[dict[str, Any]]]
    waits: bool


class Joins:
    """The joins of all episodes."""

    def __init__(self, jobs: Jobs, events: Events, editing: Editing, sounds: Sounds, listening: Listening,
                 finding: Finding) -> None:  # fmt: skip
        self._jobs, self._events, self._editing = jobs, events, editing
        self._sounds, self._listening, self._finding = sounds, listening, finding
        self._lock = threading.Lock()
        self._checked: dict[int, Checked] = {}
        jobs.register("joins", self._check, self._ended)

    def opened(self, episode_id: int, seam_id: int) -> Opened:
        """The episode as it would be with a seam put back: to be seen and heard, nothing is changed."""
        state = self._editing.state(episode_id)
        seam = state.document.seam(seam_id)
        return Opened(replace(state, document=put_back(state.document, seam=seam_id)), seam.at, seam.at + seam.length)

    def quiet(self, episode_id: int, at: int, track: int | None = None) -> int:
        """The place next to `at` where cutting is heard least: on one track, or where all talk is quiet together."""
        state = self._editing.state(episode_id)
        talk = state.document.linked_tracks() if track is None else (state.document.track(track),)
        mix = self._listening.mix(state, treated=False, only=frozenset(t.id for t in talk))
        sound = render(mix.plan, mix.sources, mix.steps, start=at - REACH, stop=at + REACH)
        return min(max(at + quiet_near(sound), 0), state.document.length)

    def put_in_tone(self, episode_id: int, at: int, length: int, *, revision: int | None = None) -> State:
        """Open time for everybody, filled with the room that each was recorded in."""
        if not SHORTEST_TONE <= length <= LONGEST_TONE:
            raise EditRefused("Room tone is put in for a tenth of a second up to ten minutes. Nothing was changed.")
        document = self._editing.state(episode_id).document
        pieces = [self._tone_piece(document, track, at, length) for track in document.linked_tracks()]
        told = {"name": "room tone", "at": at, "length": length, "pieces": [piece for piece in pieces if piece]}
        return self._editing.edit(episode_id, "insert", told, revision=revision)

    def _tone_piece(self, document: Document, track: Track, at: int, length: int) -> dict[str, Any] | None:
        """Enough of the room of what lies next to a place; None where nobody is or has no quiet moment."""
        beside = [clip for clip in track.clips if max(clip.start - at, at - clip.end) < BESIDE]
        near = min(beside, key=lambda clip: max(clip.start - at, at - clip.end, 0), default=None)
        tone = self._sounds.tone(near.recording, document.drift_ppm(near.recording)) if near else None
        if near is None or tone is None:
            return None
        room = tone.stop - tone.start
        clips = [
            {"recording": near.recording, "source": tone.start, "start": first, "length": min(room, length - first),
             "gain_db": near.gain_db}
            for first in range(0, length, room)
        ]  # fmt: skip
        return {"track": track.id, "clips": clips}

    # -- which joins may be heard ----------------------------------------------------------------------------

    def checked(self, episode_id: int) -> Checked:
        """What was heard of the joins when they were last listened to."""
        self._editing.state(episode_id)  # raises NotFound
        with self._lock:
            last = self._checked.get(episode_id, Checked(None, {}, False))
        return replace(last, waits=self._jobs.open_with(_key(episode_id)) is not None)

    def check(self, episode_id: int) -> Checked:
        """Begin to listen to all joins as they are now; an event tells the end."""
        self._editing.state(episode_id)
        self._jobs.start("joins", episode_id, "Listening to the joins", key=_key(episode_id))
        return self.checked(episode_id)

    def _check(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id = self._jobs.episode_of(job_id)
        state = self._editing.state(episode_id)
        faults = self.faults(state, progress)
        with self._lock:
            told = {seam: [asdict(fault) for fault in found] for seam, found in faults.items()}
            self._checked[episode_id] = Checked(state.revision, told, False)

    def _ended(self, job: Job) -> None:
        self._events.post(Event("joins", job.episode_id))

    def faults(self, state: State, progress: Progress = lambda doing, share: None) -> dict[int, list[Fault]]:
        """What may be heard at each seam that something may be heard at, measured on the sound as treated."""
        document = state.document
        mix = self._listening.mix(state)
        breaths = self._breaths(state.episode_id)
        people = {track.id: Person(self._tones(document, track), breaths) for track in document.linked_tracks()}
        plan, sources = mix.plan, mix.sources
        floors = floors_of(plan, sources, people)
        found = {}
        for n, seam in enumerate(document.seams):
            progress("Listening to the joins", n / len(document.seams))
            heard: list[Fault] = []
            for at in _joins_of(seam):
                heard += faults_at(at, seam.crossfade, plan, sources, people, floors)
            if heard:
                found[seam.id] = list({(fault.kind, fault.track): fault for fault in heard}.values())
        return found

    def _breaths(self, episode_id: int) -> list[tuple[int, int, int]]:
        try:
            finds = self._finding.of_episode(episode_id).finds
        except NotFound:
            return []
        return [(find["recording"], find["start"], find["stop"]) for find in finds if find["kind"] == "breath"]

    def _tones(self, document: Document, track: Track) -> dict[int, Tone]:
        tones = {}
        for recording in {clip.recording for clip in track.clips}:
            if tone := self._sounds.tone(recording, document.drift_ppm(recording)):
                tones[recording] = tone
        return tones


def _key(episode_id: int) -> str:
    return f"joins {episode_id}"


def _joins_of(seam: Seam) -> list[int]:
    """Where a seam may be heard: at one place where it closed up, at both ends of what was left empty."""
    return [seam.at] if seam.closed else [seam.at, seam.at + seam.length]
