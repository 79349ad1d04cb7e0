"""The larder of a show: music, effects, spots and room tone, kept, found again, heard and used in its episodes."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound, PampaError
from pampa.core.executor import Executor
from pampa.core.loudness import measure_source, summarise
from pampa.core.music.beats import beats_of
from pampa.core.music.onsets import onsets_of
from pampa.core.sound import RATE, Excerpt
from pampa.store.database import Sessions
from pampa.store.models import Piece, Recording, Upload, now
from pampa.studio.editing import Editing, State
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.recordings import Recordings
from pampa.studio.shows import Shows
from pampa.studio.sounds import Sounds
from pampa.studio.uploads import Uploads

__all__ = ["KINDS", "Found", "Larder", "Piece", "Recording"]

KINDS = ("music", "effects", "spot", "room tone")
TRACK_KIND = {"room tone": "effects"}
"""Room tone lies on a track like an effect does."""
MOST_FOUND = 40
SPOT_FADE_S = 0.05


@dataclass(frozen=True)
class Found:
    """What a search gave: the first pieces with their recordings, and how many there are in all."""

    pieces: list[tuple[Piece, Recording]]
    total: int


class Larder:
    """The larders of all shows. A piece is a recording on its show's shelf, and what is known of it."""

    def __init__(self, sessions: Sessions, jobs: Jobs, events: Events, shows: Shows, editing: Editing,
                 recordings: Recordings, uploads: Uploads, sounds: Sounds, executor: Executor) -> None:  # fmt: skip
        self._sessions, self._jobs, self._events, self._shows = sessions, jobs, events, shows
        self._editing, self._recordings, self._uploads = editing, recordings, uploads
        self._sounds, self._executor = sounds, executor
        jobs.register("shelve", self._shelve)

    def begin_upload(self, show_id: int, name: str, size: int, kind: str, tags: str = "") -> Upload:
        """Announce a file for the larder. It becomes a piece once it has come in and is measured."""
        return self._uploads.begin(self._shows.shelf(show_id), name, size, role=kind, tags=tags)

    def keep(self, recording_id: int, *, kind: str, name: str, tags: str = "", start: int = 0, length: int | None = None
             ) -> int:  # fmt: skip
        """Keep a recording of an episode, or a stretch of it, in the larder of its show; returns the piece's number.

        What the larder has already is not kept twice.
        """
        with self._sessions() as session:
            recording = session.get(Recording, recording_id)
        if recording is None or recording.state != "ready":
            raise NotFound("That recording has not been brought in. Nothing was kept.")
        frames = int(recording.facts["conformed_frames"])
        length = frames - start if length is None else length
        if not 0 <= start < start + length <= frames:
            raise EditRefused("That stretch does not lie in the recording. Nothing was kept.")
        show, _ = self._shows.episode(recording.episode_id)
        shelf = self._shows.shelf(show.id)
        known = self._known(shelf, recording, start, length)
        if known is not None:
            self.change(known, removed=False)
            return known
        tracks = self._editing.state(recording.episode_id).document.tracks
        lies = any(clip.recording == recording_id for track in tracks for clip in track.clips)
        with self._sessions.begin() as session:
            row = Recording(
                episode_id=shelf, name=recording.name, person=name, role=kind, sha256=recording.sha256,
                suffix=recording.suffix, size=recording.size, channels=recording.channels, state="ready",
                facts=recording.facts, placed=True,
            )  # fmt: skip
            session.add(row)
            session.flush()
            piece = Piece(recording_id=row.id, name=name, kind=kind, tags=tags, start=start, length=length,
                          used=now() if lies else None)  # fmt: skip
            piece.sought = sought(piece)
            session.add(piece)
            job = self._jobs.add(session, "shelve", shelf, f"Measuring {name}", recording=row.id)
        self._jobs.go(job)
        self._tell(shelf)
        return row.id

    def search(self, show_id: int, words: str = "", *, kind: str | None = None, shortest_s: float = 0.0,
               longest_s: float | None = None) -> Found:  # fmt: skip
        """Pieces whose name, tags and kind hold all words, however they begin; those used last come first."""
        shelf = self._shows.shelf(show_id)
        conditions: list[ColumnElement[bool]] = [
            Recording.episode_id == shelf, Recording.removed.is_(False), Piece.length >= shortest_s * RATE,
        ]  # fmt: skip
        if longest_s is not None:
            conditions.append(Piece.length < longest_s * RATE)
        if kind is not None:
            conditions.append(Piece.kind == kind)
        conditions += [Piece.sought.contains(word, autoescape=True) for word in words.casefold().split()]
        joined = select(Piece, Recording).join(Recording, Recording.id == Piece.recording_id).where(*conditions)
        with self._sessions() as session:
            total = session.scalar(select(func.count()).select_from(joined.subquery("found")))
            first = joined.order_by(Piece.used.desc().nulls_last(), Piece.name, Piece.recording_id).limit(MOST_FOUND)
            return Found([(row[0], row[1]) for row in session.execute(first)], total or 0)

    def change(self, piece_id: int, *, name: str | None = None, kind: str | None = None, tags: str | None = None,
               removed: bool | None = None) -> tuple[Piece, Recording]:  # fmt: skip
        """Rename a piece, say what it is, tag it (words with spaces between), remove it or bring it back."""
        with self._sessions.begin() as session:
            piece, recording = self._get(session, piece_id)
            if name is not None and not name.strip():
                raise EditRefused("A piece needs a name. Nothing was changed.")
            piece.name = piece.name if name is None else name.strip()[:120]
            piece.kind = piece.kind if kind is None else kind
            piece.tags = piece.tags if tags is None else " ".join(tags.split())[:400]
            piece.sought = sought(piece)
            recording.removed = recording.removed if removed is None else removed
        self._tell(recording.episode_id)
        return piece, recording

    def get(self, piece_id: int) -> Piece:
        """A piece by its number."""
        with self._sessions() as session:
            return self._get(session, piece_id)[0]

    def lend(self, piece_id: int, episode_id: int) -> tuple[Piece, Recording]:
        """A piece, and its sound as a recording of an episode, not laid on any track yet."""
        with self._sessions.begin() as session:
            piece, shelved = self._get(session, piece_id)
            piece.used = now()
        return piece, self._recordings.borrow(shelved.id, episode_id, person=piece.name, role=piece.kind)

    def use(self, piece_id: int, episode_id: int, start: int, *, revision: int | None = None, open_time: bool = False
            ) -> State:  # fmt: skip
        """Lay a piece into an episode: on the first track of its kind with room at `start`, else on a new one.

        open_time : as a spot that everybody waits for; it is lifted again by an edit that closes the time.
        """
        with self._sessions() as session:
            piece, shelved = self._get(session, piece_id)
        kind = TRACK_KIND.get(piece.kind, piece.kind)
        had = {recording.id for recording in self._recordings.of_episode(episode_id)}
        own = self._recordings.borrow(shelved.id, episode_id, person=piece.name, role=piece.kind)
        told = {"recording": own.id, "source": piece.start, "start": start, "length": piece.length}

        def taken(session: Session) -> None:
            session.get_one(Piece, piece_id).used = now()

        if open_time:
            at = told.pop("start")
            edge = min(round(SPOT_FADE_S * RATE), piece.length // 2)
            name, laid = "drop_spot", {**told, "name": piece.name, "at": at, "fade_in": edge, "fade_out": edge}
        else:
            name, laid = "lay", {"name": piece.name, "kind": kind, "pieces": [told]}
        try:
            state = self._editing.edit(episode_id, name, laid, revision=revision, also=taken)
        except PampaError:
            if own.id not in had:
                self._recordings.remove(own.id)
            raise
        self._tell(shelved.episode_id)
        return state

    def _shelve(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job: measure a piece; what came as a file is a piece only now. Doing it again changes nothing."""
        number = parameters["recording"]
        sound = self._sounds.conformed(number)
        with self._sessions.begin() as session:
            recording = session.get_one(Recording, number)
            piece = session.get(Piece, number)
            if piece is None:
                kind = recording.role if recording.role in KINDS else "music"
                upload = session.scalars(select(Upload).where(Upload.recording_id == number)).first()
                tags = upload.details.get("tags", "") if upload else ""
                piece = Piece(recording_id=number, name=plain_name(recording.name), kind=kind, tags=tags, start=0,
                              length=sound.frames)  # fmt: skip
                piece.sought = sought(piece)
                session.add(piece)
            stretch, kind = Excerpt(sound, piece.start, piece.length), piece.kind
        self._tell(recording.episode_id)
        progress("Measuring", 0.1)
        loudness = summarise(measure_source(stretch, self._executor)).integrated_lufs
        progress("Listening for a beat", 0.6)
        bpm = beats_of(onsets_of(stretch, self._executor)).bpm if kind == "music" else None
        with self._sessions.begin() as session:
            piece = session.get_one(Piece, number)
            piece.loudness_lufs, piece.bpm = loudness, None if bpm is None else round(bpm, 1)
        self._tell(recording.episode_id)

    def _known(self, shelf: int, recording: Recording, start: int, length: int) -> int | None:
        wanted = (
            select(Piece.recording_id)
            .join(Recording, Recording.id == Piece.recording_id)
            .where(
                Recording.episode_id == shelf, Recording.sha256 == recording.sha256,
                Recording.channels == recording.channels, Piece.start == start, Piece.length == length,
            )
        )  # fmt: skip
        with self._sessions() as session:
            return session.scalar(wanted)

    def _get(self, session: Session, piece_id: int) -> tuple[Piece, Recording]:
        piece = session.get(Piece, piece_id)
        if piece is None:
            raise NotFound("There is no such piece in the larder.")
        return piece, session.get_one(Recording, piece_id)

    def _tell(self, shelf: int) -> None:
        self._events.post(Event("larder", shelf))


def sought(piece: Piece) -> str:
    """What a search looks at."""
    return f"{piece.name} {piece.tags} {piece.kind}".casefold()


def plain_name(file: str) -> str:
    """A file's name as a person would write it."""
    return file.rsplit(".", 1)[0].replace("_", " ").strip().capitalize() or file
