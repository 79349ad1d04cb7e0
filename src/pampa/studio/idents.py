"""Idents: small sheets of a show, made of words, pieces and effects; what they render to is a piece of its larder.

A small sheet is an episode of its own that is not listed with the others. When it has changed since its piece was made,
the piece is made anew; episodes keep what they took from the larder until somebody takes it again.
"""

import tempfile
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from pampa.core.deliver.formats import Format
from pampa.core.deliver.limiter import Limited
from pampa.core.errors import EditRefused, disk_errors
from pampa.core.executor import Executor
from pampa.core.files.encode import encode
from pampa.core.sound import RATE, db_to_gain, read_segment, segments
from pampa.store.database import Sessions
from pampa.store.models import Episode, Piece
from pampa.studio.editing import Editing
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.larder import Larder, sought
from pampa.studio.listening import CEILING_DBTP, Listening
from pampa.studio.recordings import Recordings
from pampa.studio.shows import IDENT, Shows

MAKE = "make ident"
KIND = "effects"


@dataclass(frozen=True)
class Ident:
    """A small sheet. piece : of the larder, once it has been made. current : nothing has changed since."""

    episode: int
    name: str
    piece: int | None
    current: bool


class Idents:
    """The small sheets of all shows."""

    def __init__(self, sessions: Sessions, jobs: Jobs, shows: Shows, editing: Editing, listening: Listening,
                 recordings: Recordings, larder: Larder, executor: Executor) -> None:  # fmt: skip
        self._sessions, self._jobs, self._shows, self._editing = sessions, jobs, shows, editing
        self._listening, self._recordings, self._larder, self._executor = listening, recordings, larder, executor
        jobs.register(MAKE, self._make)

    def begin(self, show_id: int, name: str) -> Episode:
        """A new small sheet, empty."""
        return self._shows.make_ident(show_id, name)

    def of_show(self, show_id: int) -> list[Ident]:
        """The small sheets of a show, the latest first."""
        return [self._told(episode) for episode in self._shows.idents(show_id)]

    def renew(self, show_id: int) -> list[int]:
        """Begin to make those again that have changed since their piece was made; returns the jobs' numbers."""
        changed = (ident for ident in self.of_show(show_id) if ident.piece is not None and not ident.current)
        return [self.make(ident.episode) for ident in changed]

    def make(self, episode_id: int) -> int:
        """Begin to make the piece of a small sheet as it is now; events tell when it is in the larder."""
        _, episode = self._shows.episode(episode_id)
        if IDENT not in episode.choices:
            raise EditRefused("Only a small sheet becomes a piece of the larder. Nothing was made.")
        if not self._editing.state(episode_id).document.length:
            raise EditRefused("There is no sound on this sheet yet. Nothing was made.")
        return self._jobs.start(MAKE, episode_id, f"Making {episode.title}", key=f"{MAKE} {episode_id}")

    def _told(self, episode: Episode) -> Ident:
        made = episode.choices[IDENT]
        current = made.get("revision") == self._editing.state(episode.id).revision
        return Ident(episode.id, episode.title, made.get("piece"), current)

    def _make(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job. Doing it again makes the same piece again."""
        episode_id = self._jobs.episode_of(job_id)
        show, episode = self._shows.episode(episode_id)
        state = self._editing.state(episode_id)
        heard = Limited(self._listening.mix(state), 1.0, db_to_gain(CEILING_DBTP))
        progress("Rendering", 0.1)
        with tempfile.TemporaryDirectory() as folder, disk_errors():
            path = Path(folder) / f"{episode.title.replace('/', '-')}.flac"
            blocks = self._executor.map(partial(read_segment, heard), segments(heard.frames))
            encode(path, blocks, Format("flac", 24), rate=RATE, channels=heard.channels)
            shelf = self._shows.shelf(show.id)
            made = self._recordings.add_file(shelf, path, person=episode.title, role=KIND, placed=True)
        with self._sessions.begin() as session:
            _keep(session, made.id, episode.title, heard.frames)
        before = episode.choices[IDENT].get("piece")
        if before is not None:
            self._larder.change(before, removed=True)
        self._shows.change_episode(episode_id, choices={IDENT: {"piece": made.id, "revision": state.revision}})


def _keep(session: Session, recording_id: int, name: str, frames: int) -> None:
    """The piece of a recording on the shelf, unless it has been made one already."""
    piece = session.get(Piece, recording_id) or Piece(recording_id=recording_id, tags="ident", start=0)
    piece.name, piece.kind, piece.tags, piece.length = name, KIND, "ident", frames
    piece.sought = sought(piece)
    session.add(piece)
