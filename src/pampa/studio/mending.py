"""Mend as a person uses it: proposals, measuring in the background, three ways of listening, pictures, a report."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import numpy as np
from sqlalchemy import select

from pampa.core.checkup.examine import in_bands
from pampa.core.errors import NotFound
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import TakenAway
from pampa.core.mend.picture import tile
from pampa.core.mend.region import Doubt, doubt
from pampa.core.mend.report import Deed, Mark, deeds, marks
from pampa.core.mend.spectra import SIZE
from pampa.core.proposals.findings import Finding
from pampa.core.proposals.proposed import proposed
from pampa.core.rendition import Rendition
from pampa.core.sound import RATE, FloatArray, Source, db_to_gain, extents
from pampa.core.timeline.document import Document
from pampa.core.timeline.mending import amounts_in, frame_heard
from pampa.store.database import Sessions
from pampa.store.models import CheckupRow, Episode, Job, Recording
from pampa.studio.editing import Editing, State
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.overlooks import STRETCH, ZOOM, Overlooks
from pampa.studio.recordings import HEARD_LUFS
from pampa.studio.shows import Shows
from pampa.studio.sounds import Sounds

Way = Literal["recorded", "treated", "taken"]

COMPARED_S, COMPARED_PLACES = 1.0, 5


@dataclass(frozen=True)
class Report:
    """How a recording stands in Mend. waits : something is still being measured."""

    amounts: Amounts
    proposed: Amounts
    deeds: list[Deed]
    marks: list[Mark]
    waits: bool
    last: "LastTime | None" = None
    doubt: Doubt | None = None
    """What is wrong with the place that noise is learned from."""
    cost: "Cost | None" = None
    """What it came to; None while something is being measured, or where nothing is on."""
    noise_db: tuple[float, ...] = ()
    """What is taken for noise, in the bands of the check-up; empty where it is not measured."""


@dataclass(frozen=True)
class Cost:
    """What mending won and what it cost: the room where nobody speaks, in dBFS, and the level of speech, in dB."""

    floor_before_dbfs: float | None
    floor_after_dbfs: float | None
    speech_change_db: float


@dataclass(frozen=True)
class LastTime:
    """How the same person was mended in the latest other episode of the show."""

    episode: str
    amounts: Amounts


class Mending:
    """The mending of all recordings. What is on or off is in the episode's document; this looks after the rest."""

    def __init__(self, sessions: Sessions, jobs: Jobs, events: Events, shows: Shows, editing: Editing,
                 sounds: Sounds) -> None:  # fmt: skip
        self._sessions, self._jobs, self._events = sessions, jobs, events
        self._shows, self._editing, self._sounds = shows, editing, sounds
        self._overlooks = Overlooks()
        self._listens_at: dict[int, int] = {}
        self._compared = lru_cache(256)(self._level_change)
        jobs.register("mend", self._measure, self._ended)
        editing.watch(self.look_after)

    def listens_at(self, episode_id: int, at: int) -> None:
        """Note where the playhead stands in an episode: what is mended next is heard there first."""
        self._listens_at[episode_id] = at

    def look_after(self, state: State) -> None:
        """Begin to measure what the document asks for and nobody knows yet; of a recording that is gone, nothing."""
        for mending in state.document.mendings:
            number = mending.recording
            try:
                if not self._sounds.lacks_mends(number, amounts_in(state.document, number)):
                    continue
                recording = self._recording(number)
            except NotFound:
                continue
            self._jobs.start("mend", state.episode_id, f"Mending {recording.person or recording.name}",
                             key=f"mend {number}", recording=number)  # fmt: skip

    def measure_all(self, document: Document, progress: Progress) -> None:
        """Measure, now, all that the mending in a document lacks."""
        for mending in document.mendings:
            amounts = amounts_in(document, mending.recording)
            if self._sounds.lacks_mends(mending.recording, amounts):
                self._sounds.measure_mends(mending.recording, amounts, progress)

    def proposed(self, recording_id: int) -> Amounts:
        """What the check-up of a recording proposes; nothing where there is none yet."""
        with self._sessions() as session:
            checkup = session.get(CheckupRow, recording_id)
        return proposed([Finding(**found) for found in checkup.found["findings"]["True"]]) if checkup else Amounts()

    def report(self, recording_id: int) -> Report:
        """How a recording stands."""
        recording, amounts = self._settled(recording_id)
        known = self._sounds.known(recording_id, amounts)
        waits = self._sounds.lacks_mends(recording_id, amounts)
        self.look_after(self._editing.state(recording.episode_id))
        return Report(
            amounts, self.proposed(recording_id), deeds(known), marks(known),
            waits, self._last_time(recording),
            doubt(self._sounds.analysis(recording_id).energy, amounts.region) if amounts.region else None,
            None if waits or amounts == Amounts() else self._cost(recording_id, amounts),
            in_bands(known["noise"].spectrum, SIZE) if "noise" in known else (),
        )  # fmt: skip

    def _cost(self, recording_id: int, amounts: Amounts) -> Cost:
        rendition = self._sounds.rendition(recording_id, amounts=amounts)
        plain, mended = self._sounds.conformed(recording_id), self._sounds.mended(rendition)
        quiet = self._sounds.analysis(recording_id).quiet
        floors: list[float | None] = [None, None]
        if quiet:
            start, stop = (round(edge * RATE) for edge in quiet)
            floors = [_level_dbfs(source.read(start, stop)) for source in (plain, mended)]
        change = self._compared(recording_id, rendition, None)
        return Cost(floors[0], floors[1], round(change, 1))

    def _last_time(self, recording: Recording) -> LastTime | None:
        if not recording.person:
            return None
        show, _ = self._shows.episode(recording.episode_id)
        with self._sessions() as session:
            wanted = (
                select(Recording.id, Recording.episode_id, Episode.title)
                .join(Episode, Episode.id == Recording.episode_id)
                .where(
                    Episode.show_id == show.id, Episode.larder.is_(False), Episode.id != recording.episode_id,
                    Recording.person == recording.person,
                )
                .order_by(Episode.id.desc(), Recording.id.desc())
            )  # fmt: skip
            others = session.execute(wanted).all()
        for number, episode_id, title in others:
            amounts = amounts_in(self._editing.state(episode_id).document, number)
            if amounts != Amounts():
                # A place to learn the noise from belongs to its own recording.
                return LastTime(title, amounts.alike())
        return None

    def sound(self, recording_id: int, start: int, frames: int, way: Way, only: str | None = None) -> FloatArray:
        """A stretch on the recording's own time, in stereo: float32, shape (frames, 2).

        As recorded and as treated are equally loud. What is taken away has the gain of the recording: it is exactly
        what the one lacks of the other before that. only : one process, to hear what it does alone.
        """
        recording, amounts = self._settled(recording_id)
        rendition = self._sounds.rendition(recording_id, amounts=amounts)
        plain, mended = self._sounds.conformed(recording_id), self._sounds.mended(rendition, only=only)
        start = min(start, max(plain.frames - 1, 0))
        stop = min(start + frames, plain.frames)
        loudness = recording.facts.get("integrated_lufs")
        gain_db = 0.0 if loudness is None else min(HEARD_LUFS - loudness, 20.0)
        if way == "treated" and mended is not plain:
            gain_db -= self._compared(recording_id, rendition, only)
        heard = _heard(plain, mended, way).read(start, stop)
        both = np.repeat(heard, 2, axis=1) if heard.shape[1] == 1 else heard[:, :2]
        return np.clip(both * np.float32(db_to_gain(gain_db)), -1.0, 1.0)

    def picture(self, recording_id: int, zoom: int, number: int, way: Way) -> bytes:
        """A tile of the spectrogram."""
        _, amounts = self._settled(recording_id)
        rendition = self._sounds.rendition(recording_id, amounts=amounts)
        source = _heard(self._sounds.conformed(recording_id), self._sounds.mended(rendition), way)
        if way == "recorded" or zoom < ZOOM:
            return tile(source, zoom, number).tobytes()
        folder = self._sounds.drawn(rendition, way)
        return self._overlooks.tile(source, folder, zoom, number).tobytes()

    def wave(self, recording_id: int, start: int, stop: int, points: int, way: Way) -> bytes:
        """Lowest and highest sample of `points` equal stretches: int16, two values each."""
        _, amounts = self._settled(recording_id)
        rendition = self._sounds.rendition(recording_id, amounts=amounts)
        source = _heard(self._sounds.conformed(recording_id), self._sounds.mended(rendition), way)
        stop = max(min(stop, source.frames), start + 1)
        if stop - start <= STRETCH:
            return extents(source.read(start, stop), points).tobytes()
        drawn = self._sounds.drawn(rendition, way)
        return self._overlooks.wave(source, drawn, start, stop, points).tobytes()

    def _level_change(self, recording_id: int, rendition: Rendition, only: str | None) -> float:
        """By how many dB mending changes the level of the places where most is said."""
        plain, mended = self._sounds.conformed(recording_id), self._sounds.mended(rendition, only=only)
        activity = self._sounds.analysis(recording_id).energy
        size = round(COMPARED_S * RATE)
        cells = max(len(activity) * size // max(plain.frames, 1), 1)
        whole = len(activity) // cells * cells
        seconds = activity[:whole].reshape(-1, cells).mean(axis=1)
        powers = np.zeros(2)
        for second in np.argsort(seconds)[::-1][:COMPARED_PLACES]:
            start = int(second * size)
            for index, source in enumerate((plain, mended)):
                powers[index] += float((source.read(start, start + size).astype(np.float64) ** 2).mean())
        return float(10 * np.log10(powers[1] / powers[0])) if powers.all() else 0.0

    def _measure(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        """The job: measure until nothing is lacking, also of what was asked for meanwhile."""
        number = parameters["recording"]
        episode_id = self._jobs.episode_of(job_id)
        while True:
            amounts = amounts_in(self._editing.state(episode_id).document, number)
            if not self._sounds.lacks_mends(number, amounts):
                return
            progress("Mending where you listen", 0.0)
            at = frame_heard(self._editing.state(episode_id).document, number, self._listens_at.get(episode_id, 0))
            if self._sounds.measure_mends_near(number, amounts, at):
                self._events.post(Event("mended", episode_id, {"recording": number}))
            self._sounds.measure_mends(number, amounts, progress)

    def _ended(self, job: Job) -> None:
        number = job.parameters["recording"]
        if job.state == "done":  # an edit may have come after the last look and found this still at work
            self.look_after(self._editing.state(job.episode_id))
        self._events.post(Event("mended", job.episode_id, {"recording": number}))

    def _settled(self, recording_id: int) -> tuple[Recording, Amounts]:
        recording = self._recording(recording_id)
        if recording.state != "ready":
            raise NotFound(f"{recording.name} has not been brought in yet. Mend it in a moment.")
        return recording, amounts_in(self._editing.state(recording.episode_id).document, recording_id)

    def _recording(self, recording_id: int) -> Recording:
        with self._sessions() as session:
            recording = session.get(Recording, recording_id)
        if recording is None:
            raise NotFound("There is no such recording.")
        return recording


def _level_dbfs(sound: FloatArray) -> float | None:
    power = float(np.mean(sound.astype(np.float64) ** 2)) if sound.size else 0.0
    return round(float(10 * np.log10(power)), 1) if power > 0 else None


def _heard(plain: Source, mended: Source, way: Way) -> Source:
    if way == "recorded":
        return plain
    return mended if way == "treated" else TakenAway(plain, mended)
