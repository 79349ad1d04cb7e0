"""Finds of an episode: looked for in the background, kept, and looked for again when people lie otherwise."""

import hashlib
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from pampa.core.files.seeking import Conformed, find_in_child
from pampa.core.finds.find import VERSION
from pampa.core.timeline.document import Document
from pampa.core.timeline.in_step import recordings_of
from pampa.core.timeline.lining import distance
from pampa.store.database import Sessions
from pampa.store.models import FindsRow, Job, Recording
from pampa.studio.editing import Editing
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.sounds import Sounds


@dataclass(frozen=True)
class Found:
    """What was found. waits : it is still being looked for. unheard : sentences on whose words were not looked at."""

    finds: list[dict[str, Any]]
    waits: bool
    unheard: tuple[str, ...] = ()


class Finding:
    """The finds of all episodes."""

    def __init__(self, sessions: Sessions, jobs: Jobs, events: Events, editing: Editing, sounds: Sounds
                 ) -> None:  # fmt: skip
        self._sessions, self._jobs, self._events = sessions, jobs, events
        self._editing, self._sounds = editing, sounds
        jobs.register("find", self._look, self._ended)

    def of_episode(self, episode_id: int) -> Found:
        """The finds as people lie now. What is not known yet is begun to be looked for."""
        document = self._editing.state(episode_id).document
        recordings = people_ready(self._sessions, document)
        if not recordings:
            return Found([], waits=False)
        row = self._row(episode_id, document)
        if row is not None:
            return Found(row.found, waits=False, unheard=self._told(row.unheard))
        self._jobs.start("find", episode_id, "Looking for what may go", key=f"find {episode_id}")
        return Found([], waits=True)

    def _look(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id = self._jobs.episode_of(job_id)
        self.look(episode_id, self._editing.state(episode_id).document, progress)

    def known(self, episode_id: int, document: Document) -> list[dict[str, Any]] | None:
        """The finds of an episode as people lie in a document; None where nobody has looked for any."""
        if not people_ready(self._sessions, document):
            return []
        row = self._row(episode_id, document)
        return row.found if row else None

    def _row(self, episode_id: int, document: Document) -> FindsRow | None:
        with self._sessions() as session:
            row = session.get(FindsRow, episode_id)
        return row if row and row.key == self._key(document, people_ready(self._sessions, document)) else None

    def _told(self, unheard: dict[str, str]) -> tuple[str, ...]:
        with self._sessions() as session:
            names = {number: session.get_one(Recording, int(number)).name for number in unheard}
        return tuple(
            f"{names[number]}: {why}. Fillers, restarts and agreement were not looked for."
            for number, why in unheard.items()
        )

    def look(self, episode_id: int, document: Document, progress: Progress) -> None:
        """Listen to everybody as they lie in a document, then hear them together; what is found is kept."""
        recordings = people_ready(self._sessions, document)
        key = self._key(document, recordings)
        lying = [
            Conformed(
                str(self._sounds.folder(number)), distance(document, number, recordings[0]), document.drift_ppm(number)
            )
            for number in recordings
        ]
        told, why = find_in_child(lying, progress)
        found = [{**each, "recording": recordings[each["recording"]]} for each in told]
        unheard = {str(number): words for number, words in zip(recordings, why, strict=True) if words}
        with self._sessions.begin() as session:
            session.merge(FindsRow(episode_id=episode_id, key=key, found=found, unheard=unheard))

    def _ended(self, job: Job) -> None:
        """Told once the job is off the list: who asks then, and finds that people lie otherwise by now, begins anew."""
        if job.state == "done":
            self._events.post(Event("finds", job.episode_id))

    def _key(self, document: Document, recordings: list[int]) -> str:
        """Everything that the finds hang on: the sound, and how people lie against each other, not how it is cut."""
        lie = [
            (self._sounds.key(number), distance(document, number, recordings[0]), document.drift_ppm(number))
            for number in recordings
        ]
        return hashlib.sha256(f"{VERSION} {lie}".encode()).hexdigest()


def people_ready(sessions: Sessions, document: Document) -> list[int]:
    """The recordings of people that lie in a document and have been brought in."""
    wanted = recordings_of(document, "person")
    with sessions() as session:
        known = select(Recording.id).where(Recording.id.in_(wanted), Recording.state == "ready")
        ready = set(session.scalars(known))
    return [number for number in wanted if number in ready]
