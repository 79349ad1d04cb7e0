"""What recordings are for: told by their sound when they come in, and by how they go with the others later.

Nobody is overruled: as soon as a person says what a file is for, it is that.
"""

from typing import Any

from sqlalchemy import select

from pampa.core.purpose.call import find_call
from pampa.core.purpose.kind import SURE
from pampa.core.sound import RATE
from pampa.core.sync.features import at_work_rate
from pampa.store.database import Sessions
from pampa.store.models import Recording
from pampa.studio.editing import Editing
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.recordings import Recordings
from pampa.studio.sounds import Sounds

MOST_COMPARED = 8
"""Every recording of talk is compared with every other."""
MOST_FRAMES = 12 * 3600 * RATE
"""Of all together: an hour is held as 115 MB."""
PERHAPS = 0.3


class Purposes:
    """What the recordings of all episodes are for."""

    def __init__(self, sessions: Sessions, jobs: Jobs, events: Events, editing: Editing, recordings: Recordings,
                 sounds: Sounds) -> None:  # fmt: skip
        self._sessions, self._jobs, self._events = sessions, jobs, events
        self._editing, self._recordings, self._sounds = editing, recordings, sounds
        jobs.register("compare", self._compare)

    def _compare(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job: look for the call among the recordings of talk, once all that were on their way are there."""
        episode_id = self._jobs.episode_of(job_id)
        talk = self._talk(episode_id)
        frames = sum(recording.facts["conformed_frames"] for recording in talk)
        if not 2 <= len(talk) <= MOST_COMPARED or frames > MOST_FRAMES:
            return
        sounds = []
        for n, recording in enumerate(talk):
            progress("Comparing", 0.6 * n / len(talk))
            sounds.append(at_work_rate(self._sounds.conformed(recording.id)))
        progress("Comparing", 0.6)
        call = find_call(sounds)
        if call is None or call.sure < PERHAPS:
            return
        chosen = talk[call.index]
        with self._sessions() as session:
            now = session.get_one(Recording, chosen.id)
        if now.person or "purpose" not in now.facts:
            return  # somebody has said what it is meanwhile
        if call.sure >= SURE and self._lies_as_it_came(chosen):
            self._recordings.take_off(chosen)
            self._tell(chosen.id, role="reference", sure=call.sure, other="person")
        else:
            self._tell(chosen.id, role="person", sure=1 - call.sure, other="reference")
        self._events.post(Event("recordings", episode_id))

    def _talk(self, episode_id: int) -> list[Recording]:
        """The recordings to compare; none where it is known which is the call."""
        with self._sessions() as session:
            wanted = select(Recording).where(
                Recording.episode_id == episode_id, Recording.removed.is_(False), Recording.state == "ready"
            )
            listed = list(session.scalars(wanted.order_by(Recording.id)))
        if any(recording.role == "reference" for recording in listed):
            return []
        return [
            recording for recording in listed
            if recording.role == "person" and recording.channels not in ("left", "right")
        ]  # fmt: skip

    def _lies_as_it_came(self, recording: Recording) -> bool:
        document = self._editing.state(recording.episode_id).document
        clips = [clip for track in document.tracks for clip in track.clips if clip.recording == recording.id]
        return len(clips) <= 1

    def _tell(self, number: int, *, role: str, sure: float, other: str) -> None:
        with self._sessions.begin() as session:
            row = session.get_one(Recording, number)
            told = {"role": role, "sure": round(sure, 3), "other": other}
            row.role, row.facts = role, {**row.facts, "purpose": told}
