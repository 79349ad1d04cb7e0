"""Editing an episode: every accepted edit is in the journal before anyone is told; undo and redo move along it."""

import base64
import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

from cachetools import LRUCache
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound, PampaError
from pampa.core.sync.clocked import clocked_frames
from pampa.core.timeline.codec import decode, packed_document, plain_document
from pampa.core.timeline.document import Document
from pampa.core.timeline.edits import EDITS, apply, completed, describe
from pampa.store.database import Sessions
from pampa.store.models import Episode, JournalEntry, Recording, Snapshot
from pampa.studio.events import Event, Events

SNAPSHOT_EVERY = 25
"""So many edits are replayed at the most when an episode is opened."""
SNAPSHOTS_KEPT, KEPT_EVERY = 3, 500
"""Of older snapshots only some are kept: storage grows with the number of edits, not with edits times length."""
KEPT = 400
"""Documents held in memory over all episodes. They share what did not change, so this is cheap."""


class RevisionConflict(PampaError):
    """An edit was made against an older revision."""

    def __init__(self, sent: int, current: int) -> None:
        self.sent, self.current = sent, current
        super().__init__(
            f"The episode is at revision {current}, this page showed {sent}. Nothing was lost. "
            "The page shows the newest state now; make the edit again."
        )


@dataclass(frozen=True)
class State:
    """An episode's document and where it stands in its history."""

    episode_id: int
    revision: int
    document: Document
    undo: str | None
    """What undo would take back, None at the beginning."""
    redo: str | None
    before: Document = field(default_factory=Document, repr=False, compare=False)
    """What it was until the change that gave this state; empty where it was only read."""
    supposed: tuple[object, ...] = ()
    """What the document shows as if it had been edited, to be heard: nothing was."""


Also = Callable[[Session], None]


class Editing:
    """The documents of all episodes, their journals, and the one lock under which they change."""

    def __init__(self, sessions: Sessions, events: Events) -> None:
        self._sessions = sessions
        self._events = events
        self._lock = threading.RLock()
        self._documents: LRUCache[tuple[int, int], Document] = LRUCache(KEPT)
        self._background = ThreadPoolExecutor(1, thread_name_prefix="snapshot")
        self._watchers: list[Callable[[State], None]] = []

    def close(self) -> None:
        """Finish what is still being written."""
        self._background.shutdown()

    def watch(self, told: Callable[[State], None]) -> None:
        """Tell of every state that an edit, undo or redo makes."""
        self._watchers.append(told)

    def state(self, episode_id: int) -> State:
        """The episode as it stands."""
        with self._lock, self._sessions() as session:
            return self._state(session, _episode(session, episode_id))

    def edit(self, episode_id: int, name: str, parameters: Mapping[str, Any], *, revision: int | None = None,
             also: Also | None = None) -> State:  # fmt: skip
        """Make one edit.

        revision : what the page showed; None for work that the studio does itself, on whatever stands.
        also : what else must be true from the same moment on, written in the same transaction.
        Raises EditRefused, NotFound or RevisionConflict, and then nothing has changed.
        """
        with self._lock:
            with self._sessions.begin() as session:
                episode = _episode(session, episode_id)
                if revision is not None and revision != episode.revision:
                    raise RevisionConflict(revision, episode.revision)
                before = self._document(session, episode)
                parameters = completed(before, name, parameters, partial(_frames, session, before))
                document = apply(before, name, parameters)
                _require_recordings(session, episode_id, _heard_in(document) - _heard_in(before))
                session.execute(
                    delete(JournalEntry).where(
                        JournalEntry.episode_id == episode_id, JournalEntry.position > episode.position
                    )
                )
                session.execute(
                    delete(Snapshot).where(Snapshot.episode_id == episode_id, Snapshot.position > episode.position)
                )
                for key in [k for k in self._documents if k[0] == episode_id and k[1] > episode.position]:
                    del self._documents[key]
                episode.position += 1
                episode.revision += 1
                session.add(
                    JournalEntry(
                        episode_id=episode_id,
                        position=episode.position,
                        name=name,
                        parameters=parameters,
                        version=EDITS[name].version,
                    )
                )
                if also:
                    also(session)
                session.flush()
                moved = (episode_id, episode.position)
                made = State(episode_id, episode.revision, document, describe(name, parameters), None, before)
            self._keep(moved, document)
        if moved[1] % SNAPSHOT_EVERY == 0:
            self._background.submit(self._snapshot, moved, document)
        return self._told(made)

    def undo(self, episode_id: int, *, revision: int | None = None) -> State:
        """Take back the last edit in force."""
        return self._step(episode_id, -1, revision)

    def redo(self, episode_id: int, *, revision: int | None = None) -> State:
        """Make the edit again that was taken back last."""
        return self._step(episode_id, +1, revision)

    def go_to(self, episode_id: int, position: int, *, revision: int | None = None) -> State:
        """Go to any point of the history: with so many edits in force, none for the beginning."""
        return self._step(episode_id, position - self._position(episode_id), revision)

    def history(self, episode_id: int, most: int = 200) -> list[dict[str, Any]]:
        """The latest edits, newest first, with whether each is in force."""
        with self._sessions() as session:
            episode = _episode(session, episode_id)
            entries = session.scalars(
                select(JournalEntry)
                .where(JournalEntry.episode_id == episode_id)
                .order_by(JournalEntry.position.desc())
                .limit(most)
            )
            return [
                {
                    "position": e.position,
                    "what": describe(e.name, e.parameters),
                    "made": e.made,
                    "in_force": e.position <= episode.position,
                }
                for e in entries
            ]

    def _position(self, episode_id: int) -> int:
        with self._sessions() as session:
            return _episode(session, episode_id).position

    def _step(self, episode_id: int, by: int, revision: int | None) -> State:
        with self._lock:
            with self._sessions.begin() as session:
                episode = _episode(session, episode_id)
                if revision is not None and revision != episode.revision:
                    raise RevisionConflict(revision, episode.revision)
                target = episode.position + by
                if target < 0 or (by > 0 and session.get(JournalEntry, (episode_id, target)) is None):
                    raise EditRefused(f"There is nothing to {'undo' if by < 0 else 'redo'}.")
                before = self._document(session, episode)
                episode.position = target
                episode.revision += 1
            return self._told(replace(self.state(episode_id), before=before))

    def _told(self, state: State) -> State:
        self._events.post(Event("revision", state.episode_id, {"revision": state.revision}))
        for told in self._watchers:
            told(state)
        return state

    def _state(self, session: Session, episode: Episode) -> State:
        back = session.get(JournalEntry, (episode.id, episode.position))
        forth = session.get(JournalEntry, (episode.id, episode.position + 1))
        return State(
            episode.id, episode.revision, self._document(session, episode),
            describe(back.name, back.parameters) if back else None,
            describe(forth.name, forth.parameters) if forth else None,
        )  # fmt: skip

    def _document(self, session: Session, episode: Episode) -> Document:
        """The document at the episode's position, from memory, or from the last snapshot and the journal."""
        wanted = (episode.id, episode.position)
        if wanted in self._documents:
            return self._documents[wanted]
        start, document = self._nearest(session, episode)
        entries = session.scalars(
            select(JournalEntry)
            .where(
                JournalEntry.episode_id == episode.id,
                JournalEntry.position > start,
                JournalEntry.position <= episode.position,
            )
            .order_by(JournalEntry.position)
        )
        for entry in entries:
            document = apply(document, entry.name, entry.parameters, version=entry.version)
            self._keep((episode.id, entry.position), document)
        self._keep(wanted, document)
        return document

    def _nearest(self, session: Session, episode: Episode) -> tuple[int, Document]:
        in_memory = max((p for e, p in self._documents if e == episode.id and p < episode.position), default=0)
        snapshot = session.scalar(
            select(Snapshot)
            .where(Snapshot.episode_id == episode.id, Snapshot.position <= episode.position)
            .order_by(Snapshot.position.desc())
            .limit(1)
        )
        if snapshot and snapshot.position >= in_memory:  # one of position 0 is what an episode was brought back as
            return snapshot.position, decode(plain_document(snapshot.document))
        return (in_memory, self._documents[episode.id, in_memory]) if in_memory else (0, Document())

    def _snapshot(self, place: tuple[int, int], document: Document) -> None:
        """Write the document down beside the journal: after the edit was answered, since packing takes a moment."""
        packed = packed_document(document)
        episode_id, position = place
        with self._lock, self._sessions.begin() as session:
            if self._documents.get(place) is not document:
                return  # it was undone meanwhile, and something else was done instead
            session.merge(Snapshot(episode_id=episode_id, position=position, document=packed))
            session.execute(
                delete(Snapshot).where(
                    Snapshot.episode_id == episode_id, Snapshot.position % KEPT_EVERY != 0,
                    Snapshot.position <= position - SNAPSHOTS_KEPT * SNAPSHOT_EVERY,
                )
            )  # fmt: skip

    def _keep(self, key: tuple[int, int], document: Document) -> None:
        self._documents[key] = document


def packed(state: State) -> dict[str, Any]:
    """A state as it can be put into a job: it works on what was ordered, whatever is edited meanwhile."""
    document = base64.b64encode(packed_document(state.document)).decode()
    return {"revision": state.revision, "document": document}


def ordered(editing: Editing, episode_id: int, parameters: Mapping[str, Any]) -> State:
    """The state that a job was given; the one that stands, for a job of a release before there was one."""
    told = parameters.get("ordered")
    if told is None:
        return editing.state(episode_id)
    document = decode(plain_document(base64.b64decode(told["document"])))
    return State(episode_id, told["revision"], document, None, None)


def _episode(session: Session, episode_id: int) -> Episode:
    episode = session.get(Episode, episode_id)
    if episode is None:
        raise NotFound("There is no such episode.")
    return episode


def _heard_in(document: Document) -> set[int]:
    return {clip.recording for track in document.tracks for clip in track.clips}


def _require_recordings(session: Session, episode_id: int, numbers: set[int]) -> None:
    """Raise EditRefused unless they are the episode's own, or in a larder."""
    if not numbers:
        return
    known = (
        select(Recording.id)
        .join(Episode, Episode.id == Recording.episode_id)
        .where(Recording.id.in_(numbers), (Recording.episode_id == episode_id) | Episode.larder)
    )
    if numbers - set(session.scalars(known)):
        raise EditRefused("That recording is not in this episode or a larder. Nothing was changed; bring it in first.")


def _frames(session: Session, document: Document, recording_id: int) -> int:
    """Length of a recording in the episode's time."""
    recording = session.get(Recording, recording_id)
    frames = int(recording.facts.get("conformed_frames", 0)) if recording else 0
    return clocked_frames(frames, document.drift_ppm(recording_id))
