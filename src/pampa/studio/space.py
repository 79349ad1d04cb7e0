"""Room on the disk: what a stop left half-made goes, caches stay under their limit, and what nobody needs any more
can be deleted for good."""

import json
import logging
import shutil
import threading
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound
from pampa.core.faults import fault_point
from pampa.core.files.room import bytes_under, free_bytes
from pampa.core.files.whole import MAKING
from pampa.store.database import Sessions
from pampa.store.media import Media
from pampa.store.models import (
    CheckupRow,
    Delivery,
    Episode,
    FindsRow,
    Job,
    JournalEntry,
    KeptRecipe,
    LikenessRow,
    Lining,
    Pattern,
    Piece,
    PlaceRow,
    Publication,
    Recording,
    Setting,
    Show,
    Snapshot,
    Upload,
    Version,
    now,
)
from pampa.studio.editing import Editing
from pampa.studio.events import Event, Events
from pampa.studio.recordings import GONE
from pampa.studio.sounds import Sounds, conformed_key

log = logging.getLogger(__name__)

ABANDONED = timedelta(days=7)
TRIM_EVERY_S = 60.0
TO_DELETE = "to delete"
OLD_MAKING = (".making", "copy-")
"""What half-made things were called in release 0.1.0."""
OF_EPISODES = (JournalEntry, Snapshot, Version, Delivery, Job, FindsRow, LikenessRow, Lining, Upload, Publication)


@dataclass(frozen=True)
class Freed:
    """What deleting something for good frees, and what goes with it."""

    bytes: int
    recordings: int
    deliveries: int


@dataclass(frozen=True)
class TakenByEpisode:
    """Bytes of an episode: originals, working copies, and files that went out. Some may serve other episodes too."""

    episode: int
    show: int
    originals: int
    working: int
    files: int


@dataclass(frozen=True)
class Taken:
    """Bytes on the disk. caches : treated sound, made again at any time. laid_up : archives."""

    episodes: list[TakenByEpisode]
    caches: int
    laid_up: int
    free: int


class Space:
    """The disk under one data folder."""

    def __init__(self, sessions: Sessions, media: Media, editing: Editing, sounds: Sounds, events: Events, limit: int
                 ) -> None:  # fmt: skip
        self._sessions, self._media, self._editing = sessions, media, editing
        self._sounds, self._events, self._limit = sounds, events, limit
        self._closing = threading.Event()

    def begin(self) -> None:
        """Sweep once, then keep the caches under their limit for as long as the studio is open."""
        self._delete_files()
        self.sweep()
        self.trim()
        threading.Thread(target=self._trim_again, daemon=True, name="space").start()

    def close(self) -> None:
        self._closing.set()

    # -- sweeping and trimming -------------------------------------------------------------------------------

    def sweep(self) -> None:
        """Remove what was half-made when Pampa was stopped, and uploads that nobody went on with for a week.

        One that had arrived whole was acknowledged, and becomes a recording however late that is.
        """
        arrived = (Upload.received == Upload.size) & Upload.recording_id.is_(None)
        with self._sessions.begin() as session:
            session.execute(delete(Upload).where(Upload.created < now() - ABANDONED, ~arrived))
            waiting = set(session.scalars(select(Upload.id).where(Upload.recording_id.is_(None))))
        for path in (self._media.root / "uploads").iterdir():
            if path.name not in waiting:
                _remove(path)
        for folder in ("conformed", "treated", "deliveries", "originals", "laid-up"):
            for path in (self._media.root / folder).rglob("*"):
                if _half_made(path.name):
                    _remove(path)

    def trim(self) -> None:
        """Delete the treated sound used longest ago until the rest fits."""
        folders = [folder for folder in (self._media.root / "treated").iterdir() if folder.is_dir()]
        sizes = {folder: bytes_under(folder) for folder in folders}
        total = sum(sizes.values())
        for folder in sorted(folders, key=_last_use):
            if total <= self._limit:
                return
            total -= sizes[folder]
            shutil.rmtree(folder, ignore_errors=True)

    def _trim_again(self) -> None:
        while not self._closing.wait(TRIM_EVERY_S):
            try:
                self.trim()
            except OSError:
                log.exception("the cache could not be trimmed")

    # -- what takes room -----------------------------------------------------------------------------------

    def taken(self) -> Taken:
        """What each episode takes, and what can be made again at any time."""
        with self._sessions() as session:
            episodes = {e.id: e for e in session.scalars(select(Episode))}
            recordings = session.scalars(select(Recording).where(Recording.state != GONE)).all()
        originals: dict[int, set[Path]] = {}
        conformed: dict[int, set[Path]] = {}
        for recording in recordings:
            original = self._media.original(recording.sha256, recording.suffix)
            originals.setdefault(recording.episode_id, set()).add(original)
            conformed.setdefault(recording.episode_id, set()).add(self._media.conformed(conformed_key(recording)))
        rows = [
            TakenByEpisode(
                number, episode.show_id,
                sum(path.stat().st_size for path in originals.get(number, ()) if path.exists()),
                sum(bytes_under(path) for path in conformed.get(number, ())),
                bytes_under(self._media.root / "deliveries" / str(number)),
            )
            for number, episode in episodes.items()
        ]  # fmt: skip
        return Taken(rows, bytes_under(self._media.root / "treated"), bytes_under(self._media.root / "laid-up"),
                     free_bytes(self._media.root))  # fmt: skip

    def empty_caches(self) -> int:
        """Delete all treated sound; it is made again where it is heard. Returns the bytes that this freed."""
        folder = self._media.root / "treated"
        size = bytes_under(folder)
        for each in folder.iterdir():
            shutil.rmtree(each, ignore_errors=True)
        return size

    # -- deleting for good -----------------------------------------------------------------------------------

    def of_recording(self, recording_id: int) -> Freed:
        """What deleting a removed recording for good would free. Raises EditRefused where it is still needed."""
        with self._sessions() as session:
            return self._freed(session, [self._removed(session, recording_id)], [])

    def of_episode(self, episode_id: int) -> Freed:
        """What deleting an archived episode for good would free."""
        with self._sessions() as session:
            episodes = [self._archived(session, episode_id)]
            return self._freed(session, _recordings_of(session, episodes), episodes)

    def of_show(self, show_id: int) -> Freed:
        """What deleting an archived show for good would free."""
        with self._sessions() as session:
            episodes = self._archived_show(session, show_id)
            return self._freed(session, _recordings_of(session, episodes), episodes)

    def delete_recording(self, recording_id: int) -> Freed:
        """Delete a removed recording's original and what was made of it. Where undo brings it back, it is silent."""
        with self._sessions.begin() as session:
            recording = self._removed(session, recording_id)
            freed = self._freed(session, [recording], [])
            self._note_files(session, [recording], [])
            recording.state = GONE
            session.execute(delete(CheckupRow).where(CheckupRow.recording_id == recording_id))
            session.execute(delete(Lining).where(Lining.recording_id == recording_id))
            session.execute(delete(Lining).where(Lining.reference_id == recording_id))
        self._sounds.forget(recording_id)
        self._delete_files()
        self._events.post(Event("recordings", recording.episode_id))
        return freed

    def delete_episode(self, episode_id: int) -> Freed:
        """Delete an archived episode with all that belongs to it alone."""
        with self._sessions.begin() as session:
            episodes = [self._archived(session, episode_id)]
            freed = self._freed(session, _recordings_of(session, episodes), episodes)
            self._delete_rows(session, episodes)
        self._delete_files()
        return freed

    def delete_show(self, show_id: int) -> Freed:
        """Delete an archived show with its episodes, larder, patterns and recipes."""
        with self._sessions.begin() as session:
            episodes = self._archived_show(session, show_id)
            freed = self._freed(session, _recordings_of(session, episodes), episodes)
            self._delete_rows(session, episodes)
            for table in (Pattern, KeptRecipe, PlaceRow):
                session.execute(delete(table).where(table.show_id == show_id))
            session.execute(delete(Show).where(Show.id == show_id))
        self._delete_files()
        return freed

    def _delete_rows(self, session: Session, episodes: list[Episode]) -> None:
        numbers = [episode.id for episode in episodes]
        recordings = _recordings_of(session, episodes)
        self._note_files(session, recordings, episodes)
        own = [recording.id for recording in recordings]
        for table in (Piece, CheckupRow):
            session.execute(delete(table).where(table.recording_id.in_(own)))
        for of_episode in OF_EPISODES:
            session.execute(delete(of_episode).where(of_episode.episode_id.in_(numbers)))
        session.execute(delete(Recording).where(Recording.id.in_(own)))
        session.execute(delete(Episode).where(Episode.id.in_(numbers)))

    def _removed(self, session: Session, recording_id: int) -> Recording:
        recording = session.get(Recording, recording_id)
        if recording is None or recording.state == GONE:
            raise NotFound("There is no such recording any more.")
        if not recording.removed:
            raise EditRefused(f"{recording.name} is on the list. Take it off the list first. Nothing was deleted.")
        document = self._editing.state(recording.episode_id).document
        if any(clip.recording == recording_id for track in document.tracks for clip in track.clips):
            raise EditRefused(
                f"{recording.name} still lies on a track, and would be silent there. Nothing was deleted. Remove its "
                "track first, or bring the recording back."
            )
        return recording

    def _archived(self, session: Session, episode_id: int) -> Episode:
        episode = session.get(Episode, episode_id)
        if episode is None or episode.larder:
            raise NotFound("There is no such episode.")
        if not episode.archived:
            raise EditRefused("Archive the episode first; it is deleted from there. Nothing was deleted.")
        return episode

    def _archived_show(self, session: Session, show_id: int) -> list[Episode]:
        show = session.get(Show, show_id)
        if show is None:
            raise NotFound("There is no such show.")
        if not show.archived:
            raise EditRefused("Archive the show first; it is deleted from there. Nothing was deleted.")
        return list(session.scalars(select(Episode).where(Episode.show_id == show_id)))

    def _freed(self, session: Session, recordings: list[Recording], episodes: list[Episode]) -> Freed:
        files, folders = self._only_theirs(session, recordings, episodes)
        numbers = [episode.id for episode in episodes]
        made = len(session.scalars(select(Delivery.id).where(Delivery.episode_id.in_(numbers))).all())
        size = sum(path.stat().st_size for path in files if path.exists()) + sum(bytes_under(path) for path in folders)
        return Freed(size, sum(recording.state != GONE for recording in recordings), made)

    def _only_theirs(self, session: Session, recordings: list[Recording], episodes: list[Episode]
                     ) -> tuple[list[Path], list[Path]]:  # fmt: skip
        """Files and folders that nothing but these needs: the same content may serve elsewhere too."""
        own = {recording.id for recording in recordings}
        hashes = {recording.sha256 for recording in recordings}
        same = session.scalars(select(Recording).where(Recording.sha256.in_(hashes), Recording.state != GONE)).all()
        others = [recording for recording in same if recording.id not in own]
        originals = {(r.sha256, r.suffix) for r in recordings} - {(r.sha256, r.suffix) for r in others}
        conformed = {conformed_key(r) for r in recordings} - {conformed_key(r) for r in others}
        files = [self._media.original(*original) for original in sorted(originals)]
        folders = [self._media.conformed(key) for key in sorted(conformed)]
        return files, folders + [self._media.root / "deliveries" / str(episode.id) for episode in episodes]

    def _note_files(self, session: Session, recordings: list[Recording], episodes: list[Episode]) -> None:
        """Write down, together with the rows, what is to be deleted: after a stop it is done at the next start."""
        files, folders = self._only_theirs(session, recordings, episodes)
        noted = session.get(Setting, TO_DELETE)
        paths = [str(path.relative_to(self._media.root)) for path in (*files, *folders)]
        session.merge(Setting(key=TO_DELETE, value=json.dumps(json.loads(noted.value) + paths if noted else paths)))

    def _delete_files(self) -> None:
        with self._sessions() as session:
            noted = session.get(Setting, TO_DELETE)
        if noted is None:
            return
        for name in json.loads(noted.value):
            fault_point("delete")
            _remove(self._media.root / name)
        with self._sessions.begin() as session:
            session.execute(delete(Setting).where(Setting.key == TO_DELETE))


def _recordings_of(session: Session, episodes: Iterable[Episode]) -> list[Recording]:
    wanted = select(Recording).where(Recording.episode_id.in_([episode.id for episode in episodes]))
    return list(session.scalars(wanted))


def _half_made(name: str) -> bool:
    return MAKING in name or name.startswith(OLD_MAKING)


def _last_use(folder: Path) -> float:
    try:
        return folder.stat().st_mtime
    except FileNotFoundError:
        return 0.0


def _remove(path: Path) -> None:
    if path.is_dir() and not path.is_symlink():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)
