"""Where sound comes from: conformed recordings, and what is known and kept of each."""

import json
import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
from cachetools import LRUCache

from pampa.core.errors import NotFound, PampaError
from pampa.core.executor import Executor
from pampa.core.files.child import conform_in_child
from pampa.core.files.conform import Facts, conformed_source, read_facts
from pampa.core.files.kept import keep_whole
from pampa.core.files.measurements import known_of
from pampa.core.files.shelf import ENERGY, Opened, Shelf
from pampa.core.files.whole import whole
from pampa.core.locks import Locks
from pampa.core.loudness import measure_energy, measure_source
from pampa.core.loudness.parts import CELLS_PER_S, LoudnessPart
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import Measured, Told
from pampa.core.rendition import SILENT, Rendition
from pampa.core.room_tone import Tone, quiet_place
from pampa.core.sound import RATE, SEGMENT_S, Curve, Segment, Source, segments
from pampa.core.speech.detector import where_spoken
from pampa.core.speech.level import COMMON_LEVEL_LUFS, speech_level
from pampa.core.speech.talk import talk_curve_of
from pampa.core.sync.clocked import clocked_curve, clocked_frames
from pampa.core.voice.heard import Heard, heard_in
from pampa.core.voice.level_after import level_after, places_of
from pampa.core.voice.recipe import Recipe
from pampa.store.database import Sessions
from pampa.store.media import Media
from pampa.store.models import Recording
from pampa.studio.mends import Mends

SPOKEN_SEGMENTS = 2
"""Of most speech: what a voice sounds like after treatment is heard in these, 40 s."""
QUIETEST_LIFTED_LUFS = -60.0
OPENED_KEPT = 4096
HEARD_KEPT = 64
BOTH_SIDES_LU = 3.01
"""A voice of one channel is heard from both sides, and is louder by this than when it is measured alone."""
GONE = "gone"
"""The state of a recording whose original was deleted for good."""


class OriginalMissing(PampaError):
    """A file that was brought in is not in the data folder any more."""

    def __init__(self, name: str) -> None:
        super().__init__(
            f"The original of {name} is not in the data folder any more. Nothing else was changed. Bring the file in "
            "again, or restore it from a backup; `pampa doctor` lists what is missing."
        )


@dataclass(frozen=True, eq=False)
class Analysis:
    """What the passes over one recording found: its energies, where it speaks, how loud."""

    energy: Curve
    activity: Curve
    speech_lufs: float | None
    quiet: tuple[float, float] | None
    """Where only the room is heard, in seconds."""


def conformed_key(recording: Recording) -> str:
    """The name of a recording's conformed folder: what it depends on."""
    return f"{recording.sha256[:32]}-{recording.channels}"


class Sounds:
    """All sources of a studio, opened when they are asked for."""

    def __init__(self, sessions: Sessions, media: Media, executor: Executor) -> None:
        self._sessions = sessions
        self._media = media
        self._executor = executor
        self._shelf = Shelf(media.root / "conformed", media.root / "treated")
        self._making = Locks()
        self._lock = threading.Lock()
        self._opened: LRUCache[Rendition, Opened] = LRUCache(OPENED_KEPT)
        self._analyses: dict[str, Analysis] = {}
        self._levels: dict[str, float | None] = {}
        self._samples: LRUCache[tuple[str, int], Curve] = LRUCache(HEARD_KEPT)
        self._heard: LRUCache[Rendition, Heard] = LRUCache(HEARD_KEPT)
        self._spoken: LRUCache[Rendition, Curve] = LRUCache(HEARD_KEPT)
        self._keys: dict[int, str] = {}
        self.mends = Mends(executor)

    # -- conformed recordings --------------------------------------------------------------------------------

    def key(self, recording_id: int) -> str:
        """The exact sound behind a recording's number."""
        if recording_id not in self._keys:
            recording = self._recording(recording_id)
            frames = recording.facts.get("conformed_frames", 0)
            self._keys[recording_id] = f"{SILENT}{frames}" if recording.state == GONE else conformed_key(recording)
        return self._keys[recording_id]

    def conform(self, recording: Recording, progress: Callable[[float], None] = lambda share: None
                ) -> tuple[Facts, LoudnessPart]:  # fmt: skip
        """Make a recording's conformed folder, if it is not there, and measure it.

        Raises UnreadableSound where no sound is in it. Of two that want the same content at once, one makes it.
        """
        key = conformed_key(recording)
        folder = self._media.conformed(key)
        with self._making.of(key):
            if (folder / ENERGY).exists():
                facts = read_facts(folder)
            else:
                original = self._media.original(recording.sha256, recording.suffix)
                if not original.exists():
                    raise OriginalMissing(recording.name)
                self._media.require_room(recording.size)
                facts = conform_in_child(original, folder, channels=recording.channels, progress=progress)  # type: ignore[arg-type]
            part = measure_source(conformed_source(folder), self._executor)
            if not (folder / ENERGY).exists():
                with whole(folder / ENERGY) as making:
                    np.save(making, part.energy)
        return facts, part

    def folder(self, recording_id: int) -> Path:
        """A recording's conformed folder. It is a cache: if somebody has deleted it, it is made again."""
        folder = self._media.conformed(self.key(recording_id))
        if not (folder / ENERGY).exists():
            self.conform(self._recording(recording_id))
        return folder

    def is_conformed(self, recording_id: int) -> bool:
        """Whether the conformed folder is there, so that nobody waits for it."""
        return (self._media.conformed(self.key(recording_id)) / ENERGY).exists()

    def forget(self, recording_id: int) -> None:
        """Look everything about a recording up again: it was conformed anew."""
        self._keys.pop(recording_id, None)

    def _recording(self, recording_id: int) -> Recording:
        with self._sessions() as session:
            recording = session.get(Recording, recording_id)
        if recording is None:
            raise NotFound("A recording of this episode is not known any more. Nothing else was changed.")
        return recording

    def _ready(self, recording_id: int) -> str:
        """The key of a recording whose conformed folder is there, made again if need be."""
        if not self._is_silent(recording_id):
            self.folder(recording_id)
        return self.key(recording_id)

    def _is_silent(self, recording_id: int) -> bool:
        return self.key(recording_id).startswith(SILENT)

    # -- renditions ------------------------------------------------------------------------------------------

    def rendition(self, recording_id: int, *, recipe: Recipe | None = None, drift_ppm: float = 0.0,
                  amounts: Amounts | None = None) -> Rendition:  # fmt: skip
        """Which sound is meant, mended as far as is measured by now: more may be known a moment later."""
        content, amounts = self._ready(recording_id), amounts or Amounts()
        measured = frozenset(self.known(recording_id, amounts))
        mends = amounts != Amounts() and not self._is_silent(recording_id)
        near = self.mends.near(self.folder(recording_id), amounts) if mends else None
        return Rendition(content, drift_ppm, amounts, measured, near, recipe)

    def opened(self, rendition: Rendition) -> Opened:
        """A rendition as a source; treated segments are computed when they are first read."""
        with self._lock:
            if rendition in self._opened:
                return self._opened[rendition]
            made = self._opened[rendition] = self._shelf.opened(rendition)
        return made

    def conformed(self, recording_id: int, drift_ppm: float = 0.0) -> Source:
        """A recording at 48 kHz, on a clock that runs true once `drift_ppm` is taken out."""
        return self.opened(self.rendition(recording_id, drift_ppm=drift_ppm))

    def mended(self, rendition: Rendition, *, only: str | None = None) -> Source:
        """A recording on its own clock, mended as far as is measured. only : one process, to hear it alone."""
        return self.opened(rendition) if only is None else self._shelf.mended(rendition, only)

    def drawn(self, rendition: Rendition, way: str) -> Path:
        """The folder for pictures of a rendition: a cache, like treated sound."""
        return self._media.treated(f"{rendition.key}-{way}")

    # -- what is known of recordings -------------------------------------------------------------------------

    def analysis(self, recording_id: int) -> Analysis:
        """What is known of a recording since it came in, on its own clock."""
        content = self._ready(recording_id)
        if content not in self._analyses:
            energy = self._shelf.energy(content)
            self._analyses[content] = Analysis(
                energy, where_spoken(energy).astype(np.float64), speech_level(energy), quiet_place(energy)
            )
        return self._analyses[content]

    def tone(self, recording_id: int, drift_ppm: float) -> Tone | None:
        """Where a recording has nothing but its room, on a clock that runs true."""
        known = self.analysis(recording_id)
        if known.quiet is None:
            return None
        start, stop = (clocked_frames(round(edge * RATE), drift_ppm) for edge in known.quiet)
        return Tone(start, stop, clocked_curve(known.energy, drift_ppm))

    def known(self, recording_id: int, amounts: Amounts) -> Measured:
        """What has been measured of a recording for these amounts so far."""
        if amounts == Amounts() or self._is_silent(recording_id):
            return {}
        return known_of(self.folder(recording_id), amounts)

    def measure_mends(self, recording_id: int, amounts: Amounts, told: Told = lambda doing, share: None) -> None:
        """Measure what mending with these amounts still lacks."""
        if amounts != Amounts():
            others = {other.recording: self.folder(other.recording) for other in amounts.among}
            self.mends.measure(
                self.folder(recording_id), self.conformed(recording_id), amounts, told, others=others,
                room=lambda: self.analysis(recording_id).quiet,
            )  # fmt: skip

    def measure_mends_near(self, recording_id: int, amounts: Amounts, at: int) -> bool:
        """Measure the minutes around a frame of a recording first; False where the whole is as quickly known."""
        return self.mends.measure_near(self.folder(recording_id), self.conformed(recording_id), amounts, at)

    def lacks_mends(self, recording_id: int, amounts: Amounts) -> bool:
        """Whether `measure_mends` has something to do."""
        if amounts == Amounts() or self._is_silent(recording_id):
            return False
        return self.mends.lacks(self.folder(recording_id), amounts)

    def heard(self, recording_id: int) -> Heard:
        """What the voice in a recording sounds like on the whole, as it was recorded."""
        return self._shelf.heard(self._ready(recording_id))

    def heard_treated(self, recording_id: int, treated: Opened) -> Heard:
        """The same after its chain, over the segments with most speech."""
        known = self._heard.get(treated.rendition)
        if known is None:
            energy = clocked_curve(self.analysis(recording_id).energy, treated.rendition.drift_ppm)
            chosen = np.zeros(energy.size)
            for segment in _most_speech(self.analysis(recording_id).activity, treated.frames):
                cells = slice(segment.index * SEGMENT_S * CELLS_PER_S, (segment.index + 1) * SEGMENT_S * CELLS_PER_S)
                chosen[cells] = energy[cells]
            known = self._heard[treated.rendition] = heard_in(treated, chosen)
        return known

    def find_talk(self, recording_id: int) -> None:
        """Look where somebody talks in a recording now, so that nobody waits for it later."""
        self._shelf.talk(self._ready(recording_id))

    def spoken(self, rendition: Rendition) -> Curve:
        """How loud each phrase of a voice lies in the mix, in LUFS for each 20 ms; -inf where nobody talks."""
        with self._lock:
            known = self._spoken.get(rendition)
        if known is None:
            opened = self.opened(rendition)
            runs = np.round(self._shelf.talk(rendition.content) * (1 + rendition.drift_ppm * 1e-6)).astype(np.int64)
            energy = opened.levelled_energy
            level = speech_level(energy)
            curve = talk_curve_of(energy, np.minimum(runs, energy.size))
            lifted = 0.0 if level is None or level < QUIETEST_LIFTED_LUFS else COMMON_LEVEL_LUFS - level
            known = curve + lifted + (BOTH_SIDES_LU if opened.channels == 1 else 0.0)
            with self._lock:
                self._spoken[rendition] = known
        return known

    def played(self, recording_id: int, drift_ppm: float) -> Curve:
        """The K-weighted mean square of each 20 ms as both sides are heard."""
        energy = clocked_curve(self.analysis(recording_id).energy, drift_ppm)
        return energy * 2 if self.conformed(recording_id).channels == 1 else energy

    def treated_energy(self, recording_id: int, treated: Opened, *, count: int) -> Curve:
        """K-weighted mean square of each 20 ms of `count` segments with most speech, one after another."""
        chosen = _most_speech(self.analysis(recording_id).activity, treated.frames, count)
        return np.concatenate(list(self._executor.map(partial(_measured_alone, treated), chosen)))

    def level_db(self, recording_id: int, rendition: Rendition) -> float:
        """The gain that brings a person to the common speech level in a rendition of their recording.

        After treatment it is told from two places: the same ones each time, so the answer does not depend on what
        else was computed.
        """
        level = self.analysis(recording_id).speech_lufs
        if rendition.recipe is not None and level is not None:
            level = self._treated_level(recording_id, rendition)
        if level is None or level < QUIETEST_LIFTED_LUFS:
            return 0.0
        return round(COMMON_LEVEL_LUFS - level, 2)

    def behind_level(self, recording_id: int, rendition: Rendition) -> list[Callable[[], object]]:
        """What must be computed before `level_db` of a rendition is known: nothing where it is."""
        analysis = self.analysis(recording_id)
        if rendition.recipe is None or rendition.key in self._levels or analysis.speech_lufs is None:
            return []
        if self._level_path(rendition).exists():
            return []
        treated = self.opened(rendition)
        return [partial(self._sampled, treated, place) for place in places_of(analysis.activity, treated.frames)]

    def _treated_level(self, recording_id: int, rendition: Rendition) -> float | None:
        with self._making.of(rendition.key):
            if rendition.key not in self._levels:
                path = self._level_path(rendition)
                if path.exists():
                    self._levels[rendition.key] = json.loads(path.read_text())
                else:
                    self._levels[rendition.key] = self._level_of(recording_id, self.opened(rendition))
                    keep_whole(path, json.dumps(self._levels[rendition.key]).encode())
            return self._levels[rendition.key]

    def _level_path(self, rendition: Rendition) -> Path:
        return self._media.treated(rendition.key) / "level.json"

    def _level_of(self, recording_id: int, treated: Opened) -> float | None:
        places = places_of(self.analysis(recording_id).activity, treated.frames)
        # One after another by this thread: others may wait for the answer, and then it must wait for nobody.
        return level_after(treated.levelled_energy, places, [self._sampled(treated, place) for place in places])

    def _sampled(self, treated: Opened, place: Segment) -> Curve:
        key = (treated.rendition.key, place.start)
        with self._making.of(key):
            with self._lock:
                known = self._samples.get(key)
            if known is None:
                known = treated.sampled(place)
                with self._lock:
                    self._samples[key] = known
            return known


def _measured_alone(source: Source, segment: Segment) -> Curve:
    return measure_energy(source.read(segment.start, segment.stop), RATE)


def _most_speech(activity: Curve, frames: int, count: int = SPOKEN_SEGMENTS) -> list[Segment]:
    grid = list(segments(frames))
    cells = SEGMENT_S * CELLS_PER_S
    spoken = [activity[i * cells : (i + 1) * cells].sum() for i in range(len(grid))]
    best = sorted(range(len(grid)), key=lambda i: (-spoken[i], i))[:count]
    return [grid[i] for i in sorted(best)]
