"""Recordings: conform and analyse the files that came in, put them onto tracks; name who is who."""

import re
from dataclasses import asdict
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from pampa.core.errors import EditRefused, NotFound, UnreadableSound
from pampa.core.executor import Executor
from pampa.core.files.picture_child import look_at
from pampa.core.files.stalks import read_stalks
from pampa.core.loudness.measure import summarise, to_db
from pampa.core.purpose.evidence import evidence_of
from pampa.core.purpose.kind import Likely, likely_of
from pampa.core.sound import FloatArray, db_to_gain, extents
from pampa.core.speech.level import speech_level
from pampa.store.database import Sessions
from pampa.store.media import Media, safe_name
from pampa.store.models import CheckupRow, Episode, Job, Recording, Upload
from pampa.studio.editing import Editing, State
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.sounds import GONE, Sounds, conformed_key

__all__ = ["GONE", "Recording", "Recordings"]

TRACK_KINDS = ("person", "spot", "music", "effects")
UNPLACED = ("reference", "room tone")
HEARD_LUFS = -20.0
UNREADABLE = "It has a picture that cannot be read here; its sound can be used."
LAST = 1 << 30
"""The rank of what was borrowed: after what came in for this episode."""


class Recordings:
    """The recordings of all episodes."""

    def __init__(self, sessions: Sessions, media: Media, jobs: Jobs, events: Events, editing: Editing,
                 sounds: Sounds, executor: Executor) -> None:  # fmt: skip
        self._sessions, self._media, self._jobs, self._events = sessions, media, jobs, events
        self._editing, self._sounds, self._executor = editing, sounds, executor
        self._placing = Lock()
        """Held while a place is looked for and taken: two that are ready at once find each other there."""
        jobs.register("bring in", self._bring_in, self._given_up)

    def of_episode(self, episode_id: int, *, removed: bool = False, gone: bool = False) -> list[Recording]:
        """The list as a person has ordered it; or what was removed from it; gone : with what was deleted for good."""
        with self._sessions() as session:
            wanted = select(Recording).where(Recording.episode_id == episode_id, Recording.removed.is_(removed))
            if not gone:
                wanted = wanted.where(Recording.state != GONE)
            return list(session.scalars(wanted.order_by(Recording.rank, Recording.id)))

    def take_upload(self, upload: Upload, sha256: str, suffix: str) -> Recording:
        """The recording that an upload became, its original being kept; both are written down in one transaction.

        Where the episode holds the very same file already it is that one, and a removed one comes back.
        """
        job = None
        with self._sessions.begin() as session:
            wanted = select(Recording).where(
                Recording.episode_id == upload.episode_id, Recording.sha256 == sha256, Recording.state != GONE
            )
            recording = session.scalars(wanted.order_by(Recording.removed, Recording.id)).first()
            if recording:
                recording.removed = False
            else:
                details = {key: value for key, value in upload.details.items() if key != "tags"}
                recording, job = self._added(session, upload.episode_id, upload.name, sha256, suffix, upload.size,
                                             **details)  # fmt: skip
            session.get_one(Upload, upload.id).recording_id = recording.id
        if job:
            self._jobs.go(job)
        self._tell(upload.episode_id)
        return recording

    def split(self, recording_id: int) -> Recording:
        """Make two recordings of one that holds a person on each side, each on a track of its own, in step."""
        with self._sessions() as session:
            recording = self._get(session, recording_id)
        if recording.facts.get("channels") != 2 or recording.channels in ("left", "right"):
            raise EditRefused(f"{recording.name} has no two sides to split. Nothing was changed.")
        clips = [
            clip for track in self._editing.state(recording.episode_id).document.tracks for clip in track.clips
            if clip.recording == recording_id
        ]  # fmt: skip
        start = min((clip.start - clip.source for clip in clips), default=recording.offset)
        name = recording.person or Path(recording.name).stem.replace("_", " ")
        self.change(recording_id, person=f"{name}, left", role="person", channels="left")
        return self._add(
            recording.episode_id, recording.name, recording.sha256, recording.suffix, recording.size,
            person=f"{name}, right", role="person", channels="right", offset=max(start, 0),
            drift_ppm=recording.drift_ppm,
        )  # fmt: skip

    def add_file(self, episode_id: int, path: Path, **details: Any) -> Recording:
        """Bring in a file of this machine, as the demo does."""
        sha256, suffix, size = self._media.take_in(path)
        return self._add(episode_id, safe_name(path.name), sha256, suffix, size, **details)

    def change(self, recording_id: int, *, person: str | None = None, role: str | None = None,
               channels: str | None = None, name: str | None = None) -> Recording:  # fmt: skip
        """Say who it is, what it is for, which channels count (it is conformed anew then), or rename it."""
        job = None
        with self._sessions.begin() as session:
            recording = self._get(session, recording_id)
            was_apart = recording.role in UNPLACED
            if person is not None:
                recording.person = person.strip()[:80]
            if role is not None:  # a person's word: nothing is told by the sound any more
                recording.role = role
                recording.facts = {name: fact for name, fact in recording.facts.items() if name != "purpose"}
            if name is not None:
                recording.name = safe_name(name)
            if channels is not None and channels != recording.channels:
                recording.channels, recording.state = channels, "waiting"
                job = self._jobs.add(session, "bring in", recording.episode_id, f"Bringing in {recording.name}",
                                     recording=recording_id)  # fmt: skip
        if job:
            self._jobs.go(job)
        if role in UNPLACED:
            self.take_off(recording)
        elif role and was_apart and recording.state == "ready" and not self._lies_anywhere(recording):
            self._place(recording, recording.facts["conformed_frames"])
        elif person or role:
            self._name_tracks(recording, person, role)
        self._tell(recording.episode_id)
        return recording

    def take_off(self, recording: Recording) -> None:
        """Take the tracks that hold only this recording off the sheet: it is there to be lined up with, or for its
        room. It can be undone."""
        for track in self._editing.state(recording.episode_id).document.tracks:
            if track.clips and all(clip.recording == recording.id for clip in track.clips):
                self._editing.edit(recording.episode_id, "remove_track", {"track": track.id})

    def _lies_anywhere(self, recording: Recording) -> bool:
        document = self._editing.state(recording.episode_id).document
        clips = [clip for track in document.tracks for clip in track.clips]
        clips += [clip for seam in document.seams for piece in seam.pieces for clip in piece.clips]
        return any(clip.recording == recording.id for clip in clips)

    def _name_tracks(self, recording: Recording, person: str | None, role: str | None) -> None:
        """A track that holds only this recording is called as it is, and is of its kind.

        Where an empty track of that name waits, as after a pattern, the recording takes its seat.
        """
        for track in self._editing.state(recording.episode_id).document.tracks:
            if track.clips and all(clip.recording == recording.id for clip in track.clips):
                seat = self._seat(recording.episode_id, person)
                if seat is not None:
                    self._editing.edit(recording.episode_id, "take_seat", {"track": track.id, "onto": seat})
                    continue
                named = {"name": person} if person else {}
                kind = {"kind": role} if role in TRACK_KINDS else {}
                self._editing.edit(recording.episode_id, "set_track", {"track": track.id, **named, **kind})

    def remove(self, recording_id: int, *, back: bool = False) -> None:
        """Take a recording off the list, or bring it back. The original and what lies on tracks stay."""
        with self._sessions.begin() as session:
            recording = self._get(session, recording_id)
            recording.removed = not back
        self._tell(recording.episode_id)

    def reorder(self, episode_id: int, wanted: list[int]) -> None:
        """List the recordings in this order; those not named come after."""
        places = {number: place for place, number in enumerate(wanted)}
        with self._sessions.begin() as session:
            rows = session.scalars(select(Recording).where(Recording.episode_id == episode_id))
            for row in rows:
                row.rank = places.get(row.id, len(places))
        self._tell(episode_id)

    def join(self, episode_id: int, parts: list[int], *, revision: int | None = None) -> State:
        """Lay the parts that a recorder made of one recording after one another, on the track of the first."""
        lengths = []
        with self._sessions() as session:
            for number in parts:
                recording = self._get(session, number)
                if recording.episode_id != episode_id or recording.state != "ready":
                    raise EditRefused(f"{recording.name} is not ready to be joined. Nothing was changed.")
                lengths.append([number, recording.facts["conformed_frames"]])
        return self._editing.edit(episode_id, "in_sequence", {"recordings": lengths}, revision=revision)

    def borrow(self, recording_id: int, episode_id: int, *, person: str, role: str) -> Recording:
        """The same sound as a recording of another episode, not put on any track by itself."""
        check = None
        with self._sessions.begin() as session:
            lent = self._get(session, recording_id)
            wanted = select(Recording).where(
                Recording.episode_id == episode_id, Recording.sha256 == lent.sha256,
                Recording.channels == lent.channels,
            )  # fmt: skip
            own = session.scalars(wanted.order_by(Recording.removed, Recording.id)).first()
            if own is None:
                own = Recording(
                    episode_id=episode_id, name=lent.name, person=person, role=role, sha256=lent.sha256,
                    suffix=lent.suffix, size=lent.size, channels=lent.channels, state=lent.state, facts=lent.facts,
                    placed=True, rank=LAST,
                )  # fmt: skip
                session.add(own)
                session.flush()
                key = conformed_key(own)
                known = session.scalars(select(CheckupRow).where(CheckupRow.key == key)).first()
                if known:
                    session.add(CheckupRow(recording_id=own.id, key=key, found=known.found))
                else:
                    check = self._jobs.add(session, "check up", episode_id, f"Checking up {own.name}",
                                           recording=own.id)  # fmt: skip
            own.removed = False
        if check:
            self._jobs.go(check)
        self._tell(episode_id)
        return own

    def stalks(self, recording_id: int, level: int, first: int, last: int) -> bytes:
        """Cells of the waveform pyramid, two bytes each: peak and average."""
        self._ready(recording_id)
        return read_stalks(self._sounds.folder(recording_id), level, first, last)

    def wave(self, recording_id: int, start: int, stop: int, points: int, drift_ppm: float = 0.0) -> bytes:
        """Lowest and highest sample of `points` equal stretches: int16, two values each."""
        self._ready(recording_id)
        sound = self._sounds.conformed(recording_id, drift_ppm).read(start, stop)
        return extents(sound, points).tobytes()

    def sound(self, recording_id: int, start: int, frames: int) -> FloatArray:
        """A stretch of a recording as recorded, in stereo, all about equally loud: float32, shape (frames, 2)."""
        self._ready(recording_id)
        with self._sessions() as session:
            facts = self._get(session, recording_id).facts
        stop = min(start + frames, facts["conformed_frames"])
        heard = self._sounds.conformed(recording_id).read(start, max(stop, start + 1))
        loudness = facts.get("integrated_lufs")
        gain = 1.0 if loudness is None else db_to_gain(min(HEARD_LUFS - loudness, 20.0))
        both = np.repeat(heard, 2, axis=1) if heard.shape[1] == 1 else heard[:, :2]
        return np.clip(both * np.float32(gain), -1.0, 1.0)

    def _ready(self, recording_id: int) -> None:
        with self._sessions() as session:
            recording = self._get(session, recording_id)
        if recording.state != "ready":
            raise NotFound(f"{recording.name} has not been brought in yet. Its picture comes in a moment.")

    def _add(self, episode_id: int, name: str, sha256: str, suffix: str, size: int, **details: Any) -> Recording:
        with self._sessions.begin() as session:
            recording, job = self._added(session, episode_id, name, sha256, suffix, size, **details)
        self._jobs.go(job)
        self._tell(episode_id)
        return recording

    def _added(self, session: Session, episode_id: int, name: str, sha256: str, suffix: str, size: int, **details: Any
               ) -> tuple[Recording, Job]:  # fmt: skip
        listed = select(func.max(Recording.rank)).where(Recording.episode_id == episode_id, Recording.rank < LAST)
        recording = Recording(episode_id=episode_id, name=name, sha256=sha256, suffix=suffix, size=size,
                              facts={}, rank=session.scalar(listed) or 0, **details)  # fmt: skip
        session.add(recording)
        session.flush()
        job = self._jobs.add(session, "bring in", episode_id, f"Bringing in {name}", recording=recording.id)
        return recording, job

    def _given_up(self, job: Job) -> None:
        """A recording whose job ended before it was settled is not waited for any more."""
        if job.state not in ("failed", "cancelled"):
            return
        with self._sessions() as session:
            recording = session.get(Recording, job.parameters["recording"])
        if recording and recording.state == "waiting":
            told = job.error or "Bringing it in was stopped. Its file is kept; choose its channels to begin again."
            self._settle(recording.id, state="failed", error=told)

    def _bring_in(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job: conform, analyse, and put the recording onto a track. Doing it again changes nothing."""
        with self._sessions() as session:
            recording = self._get(session, parameters["recording"])
        original = self._media.original(recording.sha256, recording.suffix)
        try:
            facts = self._conformed(recording, progress)
        except UnreadableSound as error:
            told = type(error)(str(error).replace(original.name, recording.name)) if str(error) else error
            self._settle(recording.id, state="failed", error=str(told))
            raise told from error
        self._sounds.forget(recording.id)
        with self._sessions() as session:
            on_shelf = session.get_one(Episode, recording.episode_id).larder
        if recording.role in ("person", "spot"):
            progress("Listening for talk", 0.9)
            self._sounds.find_talk(recording.id)
        unsaid = recording.role == "person" and not (recording.person or recording.facts or on_shelf)
        likely = self._by_its_sound(recording.id) if unsaid else None
        with self._sessions.begin() as session:
            row = self._get(session, recording.id)
            row.facts, row.state, row.error = {**row.facts, **facts}, "ready", ""
            if likely is not None:
                row.role, row.facts = likely.role, {**facts, "purpose": asdict(likely)}
            recording = row
        if not (recording.placed or on_shelf or recording.role in UNPLACED):
            self._place(recording, facts["conformed_frames"])
        self._tell(recording.episode_id)
        after, doing = ("shelve", "Measuring") if on_shelf else ("check up", "Checking up")
        self._jobs.start(after, recording.episode_id, f"{doing} {recording.name}", recording=recording.id)
        if facts["picture"]:
            self._jobs.start("picture", recording.episode_id, f"Making the small picture of {recording.name}",
                             key=f"picture {recording.sha256}", recording=recording.id)  # fmt: skip
        if recording.role == "person" and not on_shelf:
            coming = set(self._jobs.open_of(recording.episode_id, "bring in")) - {job_id}
            self._jobs.start("compare", recording.episode_id, "Comparing who is heard where",
                             key=f"compare {recording.episode_id}", after=coming)  # fmt: skip

    def _by_its_sound(self, recording_id: int) -> Likely | None:
        evidence = evidence_of(self._sounds.conformed(recording_id))
        return likely_of(evidence) if evidence else None

    def _conformed(self, recording: Recording, progress: Progress) -> dict[str, Any]:
        def told(share: float) -> None:
            progress("Reading" if share < 1 else "Measuring", 0.8 * share)

        facts, part = self._sounds.conform(recording, told)
        picture, has = look_at(self._media.original(recording.sha256, recording.suffix))
        unread = [UNREADABLE] if has and picture is None else []
        return {
            **{name: getattr(facts, name) for name in ("format", "rate", "channels", "conformed_channels")},
            "conformed_frames": facts.conformed_frames,
            "duration_s": facts.frames / facts.rate,
            "notes": [*facts.notes, *unread],
            "speech_lufs": speech_level(part.energy),
            "integrated_lufs": summarise(part).integrated_lufs,
            "peak_dbfs": to_db(part.sample_peak),
            "picture": None if picture is None else asdict(picture),
        }

    def _place(self, recording: Recording, length: int) -> None:
        def placed(session: Session) -> None:
            row = self._get(session, recording.id)
            row.placed = True
            row.person = row.person or waited

        name, episode = recording.person or Path(recording.name).stem.replace("_", " "), recording.episode_id
        with self._placing:
            track, waited = self._known_track(recording), ""
            if track is None and recording.role == "person":
                track = self._seat(episode, name)
                waited = self._editing.state(episode).document.track(track).name if track is not None else ""
            self._editing.edit(
                episode, "bring_in",
                {"name": name, "kind": recording.role, "recording": recording.id, "length": length,
                 "start": recording.offset, "track": track, "drift_ppm": recording.drift_ppm,
                 "at": self._above(recording)},
                also=placed,
            )  # fmt: skip

    def _above(self, recording: Recording) -> int | None:
        """How many tracks lie above that of a recording, so that tracks follow the list whichever is ready first."""
        listed = [row.id for row in self.of_episode(recording.episode_id)]
        if recording.id not in listed:
            return None
        later = set(listed[listed.index(recording.id) + 1 :])
        tracks = self._editing.state(recording.episode_id).document.tracks
        holding = (at for at, track in enumerate(tracks) if any(clip.recording in later for clip in track.clips))
        return next(holding, None)

    def _seat(self, episode_id: int, name: str | None) -> int | None:
        """The empty track that waits for somebody: called so, or its first name is in no other waiting name."""
        words = set(re.findall(r"\w+", (name or "").casefold()))
        tracks = self._editing.state(episode_id).document.tracks
        waiting = [(t.id, t.name.casefold().split()) for t in tracks if t.kind == "person" and not t.clips]
        for number, called in waiting:
            alone = sum(called[0] in other for _, other in waiting) == 1
            if words >= set(called) or (alone and called[0] in words):
                return number
        return None

    def _known_track(self, recording: Recording) -> int | None:
        tracks = self._editing.state(recording.episode_id).document.tracks
        return recording.after_track if any(t.id == recording.after_track for t in tracks) else None

    def _settle(self, recording_id: int, **changes: Any) -> None:
        with self._sessions.begin() as session:
            recording = self._get(session, recording_id)
            for name, value in changes.items():
                setattr(recording, name, value)
        self._tell(recording.episode_id)

    def _get(self, session: Session, recording_id: int) -> Recording:
        recording = session.get(Recording, recording_id)
        if recording is None:
            raise NotFound("There is no such recording.")
        return recording

    def _tell(self, episode_id: int) -> None:
        self._events.post(Event("recordings", episode_id))
