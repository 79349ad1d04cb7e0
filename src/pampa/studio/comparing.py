"""Two states of an episode compared: as it stands, a kept version, a file that went out; heard in turns, as loud."""

import threading
from dataclasses import dataclass, replace
from typing import Any

from pampa.core.compare.by_cut import Difference, differences, stretches_of
from pampa.core.compare.by_sound import differences_heard, heard, stretches_heard
from pampa.core.compare.report import Side, report
from pampa.core.compare.stretches import Stretch
from pampa.core.deliver.limiter import Limited
from pampa.core.errors import EditRefused, NotFound
from pampa.core.executor import Executor
from pampa.core.files.conform import conform, conformed_source
from pampa.core.loudness import LoudnessPart, measure_source, summarise
from pampa.core.sound import RATE, FloatArray, Over, Source, db_to_gain
from pampa.core.timeline.codec import decode, packed_document, plain_document
from pampa.core.timeline.document import Document
from pampa.store.database import Sessions
from pampa.store.media import Media
from pampa.store.models import Job, Version
from pampa.studio.editing import Editing, State
from pampa.studio.events import Event, Events
from pampa.studio.jobs import Jobs, Progress
from pampa.studio.recordings import Recordings
from pampa.studio.rendering import Rendering
from pampa.studio.sending import Sending

HEARD_LUFS, CEILING_DBTP = -18.0, -1.0
"""How loud both are played."""
LONGEST_S = 30
NOW = "now"


@dataclass(frozen=True)
class Told:
    """One side as it is told: `of` is now, version:3 or file:5. gain_db : with which it is played."""

    of: str
    name: str
    seconds: float
    lufs: float | None
    gain_db: float


@dataclass(frozen=True)
class Compared:
    """What came of a comparison. revision : of the episode as it stood, where that was one of the two."""

    here: Told
    there: Told
    revision: int
    stretches: tuple[Stretch, ...]
    differences: tuple[Difference, ...]
    report: str


@dataclass(frozen=True, eq=False)
class _Side:
    name: str
    source: Source
    document: Document | None
    part: LoudnessPart


class Comparing:
    """The comparisons of all episodes: the last one of each is kept."""

    def __init__(self, sessions: Sessions, media: Media, jobs: Jobs, events: Events, editing: Editing,
                 recordings: Recordings, rendering: Rendering, sending: Sending, executor: Executor
                 ) -> None:  # fmt: skip
        self._sessions, self._media, self._jobs, self._events = sessions, media, jobs, events
        self._editing, self._recordings, self._rendering = editing, recordings, rendering
        self._sending, self._executor = sending, executor
        self._lock = threading.Lock()
        self._compared: dict[int, Compared] = {}
        self._sources: dict[tuple[int, str], tuple[int, Source]] = {}
        jobs.register("compare states", self._compare, self._ended)

    def sides(self, episode_id: int) -> list[tuple[str, str]]:
        """What can be compared: what it is, and its name."""
        with self._sessions() as session:
            kept = session.query(Version.id, Version.name).filter(Version.episode_id == episode_id)
            versions = [(f"version:{number}", f"Version “{name}”") for number, name in kept.order_by(Version.id.desc())]
        files = [(f"file:{each.id}", each.name) for each in self._sending.of_episode(episode_id)]
        return [(NOW, "The episode as it stands"), *files, *versions]

    def begin(self, episode_id: int, here: str, there: str) -> None:
        """Begin to compare two of them; an event tells the end."""
        known = {of for of, _ in self.sides(episode_id)}
        if here == there:
            raise EditRefused("These are one and the same. Choose two that may differ.")
        if not {here, there} <= known:
            raise NotFound("That is not there any more. Choose another one.")
        key = f"compare {episode_id}"
        self._jobs.start("compare states", episode_id, "Comparing", key=key, here=here, there=there)

    def last(self, episode_id: int) -> tuple[Compared | None, bool]:
        """What came of the last comparison, and whether one is being made."""
        self._editing.state(episode_id)  # raises NotFound
        with self._lock:
            compared = self._compared.get(episode_id)
        return compared, self._jobs.open_with(f"compare {episode_id}") is not None

    def sound(self, episode_id: int, of: str, start: int, frames: int) -> FloatArray:
        """A piece of one side, as loud as the other."""
        with self._lock:
            compared, known = self._compared.get(episode_id), self._sources.get((episode_id, of))
        told = next((each for each in (compared.here, compared.there) if each.of == of), None) if compared else None
        if told is None or known is None:
            raise NotFound("That is not being compared. Compare it again.")
        limited = Limited(known[1], db_to_gain(told.gain_db), db_to_gain(CEILING_DBTP))
        return limited.read(start, start + min(frames, LONGEST_S * RATE))

    def _compare(self, parameters: dict[str, Any], progress: Progress, job_id: int) -> None:
        episode_id = self._jobs.episode_of(job_id)
        state = self._editing.state(episode_id)
        sides = []
        for n, of in enumerate((parameters["here"], parameters["there"])):
            progress(f"Listening to {'both' if n else 'the first'}", 0.4 * n)
            sides.append(self._opened(episode_id, of, state, progress))
        here, there = sides
        progress("Laying them side by side", 0.85)
        if here.document is not None and there.document is not None:
            stretches = stretches_of(here.document, there.document)
            names = {r.id: r.person or r.name for r in self._recordings.of_episode(episode_id)}
            found = differences(here.document, there.document, stretches, names)
        else:
            one, other = (heard(side.source, side.part.energy) for side in sides)
            stretches = stretches_heard(one, other)
            found = differences_heard(one, other, stretches)
        told, measured = [], []
        for of, side in zip((parameters["here"], parameters["there"]), sides, strict=True):
            loudness, seconds = summarise(side.part), side.source.frames / RATE
            lufs = loudness.integrated_lufs
            told.append(Told(of, side.name, seconds, lufs, 0.0 if lufs is None else HEARD_LUFS - lufs))
            measured.append(Side(side.name, seconds, loudness))
        compared = Compared(told[0], told[1], state.revision, tuple(stretches), tuple(found),
                            report(measured[0], measured[1], found))  # fmt: skip
        with self._lock:
            self._compared[episode_id] = compared
            self._sources = {key: known for key, known in self._sources.items() if key[0] != episode_id}
            for each, side in zip(told, sides, strict=True):
                self._sources[episode_id, each.of] = (state.revision, side.source)

    def _ended(self, job: Job) -> None:
        self._events.post(Event("compared", job.episode_id))

    def _opened(self, episode_id: int, of: str, state: State, progress: Progress) -> _Side:
        kind, _, number = of.partition(":")
        if kind == "file":
            return self._file(int(number))
        if kind == NOW:
            document, name = state.document, "as it stands"
        else:
            with self._sessions() as session:
                version = session.get_one(Version, int(number))
            document, name = decode(plain_document(version.document)), version.name
        if not document.length:
            raise EditRefused(f"There is no sound in it: {name}. Nothing was compared.")
        # By its content: two versions of one episode are not to be taken for each other.
        told = replace(state, document=document, supposed=(*state.supposed, packed_document(document)))
        source = self._rendering.rendered(told, progress)
        return _Side(name, source, document, measure_source(source, self._executor))

    def _file(self, number: int) -> _Side:
        path, name = self._sending.file(number)
        folder = self._media.treated(f"file-{number}")
        if not (folder / "facts.json").exists():
            conform(path, folder, channels="keep")
        source = _Stereo(conformed_source(folder))
        return _Side(name, source, self._sending.document(number), measure_source(source.source, self._executor))


@dataclass(frozen=True, eq=False)
class _Stereo(Over):
    """A source for two loudspeakers, whatever it has."""

    source: Source

    @property
    def channels(self) -> int:
        return 2

    @property
    def frames(self) -> int:
        return self.source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        sound = self.source.read(start, stop)
        return sound if sound.shape[1] == 2 else sound[:, :1].repeat(2, axis=1)
