"""Files on their way in: in pieces that may stop and go on, and that become recordings when the last has arrived."""

import threading
import uuid
from collections import defaultdict
from typing import Any

from sqlalchemy import select

from pampa.core.errors import NotFound, PampaError, UnreadableSound
from pampa.core.faults import fault_point
from pampa.store.database import Sessions
from pampa.store.media import Media, safe_name, safe_suffix
from pampa.store.models import Episode, Upload
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.recordings import Recordings

__all__ = ["Upload", "UploadOutOfStep", "Uploads"]


class UploadOutOfStep(PampaError):
    """A piece of an upload does not follow what has been received."""

    def __init__(self, received: int) -> None:
        self.received = received
        super().__init__(f"{received} bytes of this file have arrived. Go on from there; nothing was lost.")


class Uploads:
    """The uploads of all episodes.

    An upload ends in two steps. That all bytes have arrived is written down first; then the file is put among the
    originals and becomes a recording. The second step can be done again: after a stop in between it is done at the
    next start, or as soon as somebody asks.
    """

    def __init__(self, sessions: Sessions, media: Media, jobs: Jobs, recordings: Recordings, largest: int) -> None:
        self._sessions, self._media, self._jobs = sessions, media, jobs
        self._recordings, self._largest = recordings, largest
        self._locks: defaultdict[str, threading.Lock] = defaultdict(threading.Lock)
        jobs.register("take in", self._take_in)

    def begin(self, episode_id: int, name: str, size: int, **details: Any) -> Upload:
        """Announce a file. Refused if it is empty, too large, or the disk has no room for it.

        details : of the recording that it will be: after_track, person, role, placed; and the tags of a piece.
        """
        name = safe_name(name)
        if size <= 0:
            raise UnreadableSound(f"{name} is empty: it holds no bytes. Copy it from the recorder again.")
        if size > self._largest:
            raise UnreadableSound(f"{name} is larger than the {self._largest / 1e9:.0f} GB that one file may have.")
        self._media.require_room(size)
        with self._sessions.begin() as session:
            if session.get(Episode, episode_id) is None:
                raise NotFound("There is no such episode.")
            upload = Upload(id=uuid.uuid4().hex, episode_id=episode_id, name=name, size=size, received=0,
                            details=details)  # fmt: skip
            session.add(upload)
        return upload

    def get(self, upload_id: str) -> Upload:
        """How far an upload is. One that has arrived whole is finished now, if a stop kept it from that."""
        upload = self._row(upload_id)
        if upload.received == upload.size and upload.recording_id is None:
            with self._locks[upload_id]:
                return self._finish(upload_id)
        return upload

    def receive(self, upload_id: str, offset: int, data: bytes) -> Upload:
        """Take the next piece. What this returns as received is on disk. The last piece makes a recording of it."""
        with self._locks[upload_id]:
            upload = self._row(upload_id)
            if offset != upload.received:
                raise UploadOutOfStep(upload.received)
            if offset + len(data) > upload.size:
                raise UnreadableSound(f"More arrived of {upload.name} than was announced. Drop the file again.")
            self._media.append(upload_id, offset, data)
            fault_point("received")
            with self._sessions.begin() as session:
                session.get_one(Upload, upload_id).received = upload.received = offset + len(data)
            return self._finish(upload_id) if upload.received == upload.size else upload

    def give_up(self, upload_id: str) -> None:
        """Forget an upload that was stopped. What has become a recording already stays one."""
        with self._locks[upload_id]:
            with self._sessions.begin() as session:
                upload = session.get(Upload, upload_id)
                if upload:
                    session.delete(upload)
            self._media.let_go(upload_id)
        self._locks.pop(upload_id, None)

    def finish_all(self) -> None:
        """Begin to finish, in the background, what had arrived whole when Pampa was stopped."""
        with self._sessions() as session:
            wanted = select(Upload).where(Upload.received == Upload.size, Upload.recording_id.is_(None))
            arrived = session.scalars(wanted).all()
        for upload in arrived:
            if self._media.upload(upload.id).exists():
                self._jobs.start("take in", upload.episode_id, f"Taking in {upload.name}", upload=upload.id)

    def _take_in(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        with self._locks[parameters["upload"]]:
            self._finish(parameters["upload"])

    def _finish(self, upload_id: str) -> Upload:
        """Make a recording of what has arrived whole: once, however often it is called. Under the upload's lock."""
        upload = self._row(upload_id)
        if upload.recording_id is None:
            if not self._media.upload(upload_id).exists():
                raise NotFound(f"What had arrived of {upload.name} is not there any more. Drop the file again.")
            suffix = safe_suffix(upload.name)
            sha256 = self._media.keep(self._media.upload(upload_id), suffix)
            upload.recording_id = self._recordings.take_upload(upload, sha256, suffix).id
        self._media.let_go(upload_id)
        self._locks.pop(upload_id, None)
        return upload

    def _row(self, upload_id: str) -> Upload:
        with self._sessions() as session:
            upload = session.get(Upload, upload_id)
        if upload is None:
            raise NotFound("That upload is not known: it has ended or was given up. Drop the file again.")
        return upload
