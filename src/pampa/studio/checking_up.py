"""Check-ups: every recording is examined once it has come in; what was found and proposed is kept.

What an older version examined is examined anew in the background once its episode is looked at. Until then the old
findings stand; what people decided lies in the document and stays.
"""

from dataclasses import asdict
from typing import Any

from sqlalchemy import select

from pampa.core.executor import Executor
from pampa.core.files.conform import clipped_stretches, read_facts
from pampa.core.proposals.findings import findings
from pampa.core.proposals.trying import VERSION, checked_up
from pampa.store.database import Sessions
from pampa.store.models import CheckupRow, Recording
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.sounds import Sounds

NO_SPEECH = ("music", "effects")


class CheckingUp:
    """The check-ups of all recordings."""

    def __init__(self, sessions: Sessions, jobs: Jobs, events: Events, sounds: Sounds, executor: Executor
                 ) -> None:  # fmt: skip
        self._sessions, self._jobs, self._events = sessions, jobs, events
        self._sounds, self._executor = sounds, executor
        jobs.register("check up", self._check_up)

    def of_episode(self, episode_id: int) -> dict[int, dict[str, Any]]:
        """By recording, what was found. The findings follow the role, so they are told anew each time."""
        with self._sessions() as session:
            wanted = (
                select(CheckupRow, Recording)
                .join(Recording, Recording.id == CheckupRow.recording_id)
                .where(Recording.episode_id == episode_id, Recording.removed.is_(False))
            )
            rows = session.execute(wanted).all()
        for row, recording in rows:
            if recording.state == "ready" and not row.key.startswith(_version()):
                number = row.recording_id
                self._jobs.start(
                    "check up", episode_id, f"Checking up {recording.name}", key=f"check up {number}", recording=number
                )
        return {row.recording_id: _for(row.found, recording.role) for row, recording in rows}

    def _check_up(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job. One that has been done for the same sound is not done again."""
        number = parameters["recording"]
        key = _version() + self._sounds.key(number)
        with self._sessions() as session:
            known = session.get(CheckupRow, number)
        if known and known.key == key:
            return
        progress("Examining", 0.1)
        folder = self._sounds.folder(number)
        facts = read_facts(folder)
        checkup = checked_up(
            self._sounds.conformed(number), clipped=clipped_stretches(folder), sides_db=facts.side_db,
            missing=facts.missing, executor=self._executor,
        )  # fmt: skip
        found = {
            **asdict(checkup), "over_floor_db": checkup.over_floor_db,
            "findings": {
                str(speech): [asdict(finding) for finding in findings(checkup, speech=speech)]
                for speech in (True, False)
            },
        }  # fmt: skip
        with self._sessions.begin() as session:
            session.merge(CheckupRow(recording_id=number, key=key, found=found))
        self._events.post(Event("checkups", self._jobs.episode_of(job_id)))


def _version() -> str:
    return f"{VERSION} "


def _for(found: dict[str, Any], role: str) -> dict[str, Any]:
    return {**found, "findings": found["findings"][str(role not in NO_SPEECH)]}
