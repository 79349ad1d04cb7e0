"""Versions: an episode kept as it stands under a name, gone back to at any time, and told apart from what is now."""

from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound
from pampa.core.timeline.codec import decode, packed_document, plain_document
from pampa.core.timeline.document import Document
from pampa.core.timeline.versions import Difference, compare, gist
from pampa.store.database import Sessions
from pampa.store.models import Version
from pampa.studio.editing import Editing, State

MOST = 200


@dataclass(frozen=True)
class Kept:
    """A version in the list."""

    id: int
    name: str
    revision: int
    created: datetime
    gist: dict[str, int]


class Versions:
    """The kept versions of all episodes."""

    def __init__(self, sessions: Sessions, editing: Editing) -> None:
        self._sessions, self._editing = sessions, editing

    def keep(self, episode_id: int, name: str) -> Kept:
        """Keep the episode as it stands."""
        name = name.strip()[:120]
        if not name:
            raise EditRefused("A version needs a name, so that you find it again. Nothing was kept.")
        state = self._editing.state(episode_id)
        packed = packed_document(state.document)
        with self._sessions.begin() as session:
            if len(session.scalars(select(Version.id).where(Version.episode_id == episode_id)).all()) >= MOST:
                raise EditRefused(f"{MOST} versions are kept already. Let one go first. Nothing was kept.")
            version = Version(episode_id=episode_id, name=name, revision=state.revision,
                              gist=asdict(gist(state.document)), document=packed)  # fmt: skip
            session.add(version)
            session.flush()
            return _kept(version)

    def of_episode(self, episode_id: int) -> list[Kept]:
        """All of them, newest first."""
        with self._sessions() as session:
            wanted = select(Version).where(Version.episode_id == episode_id).order_by(Version.id.desc())
            return [_kept(version) for version in session.scalars(wanted)]

    def restore(self, version_id: int, *, revision: int | None = None) -> State:
        """Make the episode what it was then: an edit, undone like any other."""
        version, content = self._read(version_id)
        told = {"name": version.name, "content": content}
        return self._editing.edit(version.episode_id, "restore", told, revision=revision)

    def against_now(self, version_id: int) -> Difference:
        """How the episode as it stands differs from a version."""
        version, content = self._read(version_id)
        now: Document = self._editing.state(version.episode_id).document
        return compare(now, decode(content))

    def let_go(self, version_id: int) -> None:
        """Forget a version."""
        with self._sessions.begin() as session:
            session.delete(_get(session, version_id))

    def _read(self, version_id: int) -> tuple[Version, dict[str, Any]]:
        with self._sessions() as session:
            version = _get(session, version_id)
            return version, plain_document(version.document)


def _get(session: Session, version_id: int) -> Version:
    version = session.get(Version, version_id)
    if version is None:
        raise NotFound("That version is not kept any more. Nothing was changed.")
    return version


def _kept(version: Version) -> Kept:
    return Kept(version.id, version.name, version.revision, version.created, version.gist)
