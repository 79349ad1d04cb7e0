"""Where sound comes from: conformed recordings, and their treated segments, computed once and kept."""

import contextlib
import hashlib
import json
import os
import threading
import time
from collections import OrderedDict, defaultdict
from collections.abc import Callable
from dataclasses import astuple, dataclass
from pathlib import Path

import numpy as np

from pampa.core.errors import DiskFull, NotFound, PampaError
from pampa.core.executor import Executor
from pampa.core.files.child import conform_in_child
from pampa.core.files.conform import Facts, conformed_source, read_facts
from pampa.core.files.room import require_room
from pampa.core.files.source import FileSource
from pampa.core.files.whole import MAKING, whole
from pampa.core.loudness import measure_part, measure_source
from pampa.core.loudness.parts import CELLS_PER_S, LoudnessPart
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import VERSION as MENDS_VERSION
from pampa.core.mend.clean import Measured, Told, chain
from pampa.core.room_tone import Tone, quiet_place
from pampa.core.sound import RATE, SEGMENT_S, Curve, FloatArray, Segment, Silence, Source, segments
from pampa.core.speech.level import speech_activity, speech_level
from pampa.core.sync.clocked import clocked, clocked_curve, clocked_frames
from pampa.core.voice.recipe import Recipe
from pampa.core.voice.treat import VERSION, threshold_of, treat_segment
from pampa.store.database import Sessions
from pampa.store.media import Media
from pampa.store.models import Recording
from pampa.studio.mends import Mends

SEGMENT = SEGMENT_S * RATE
SAMPLED_SEGMENTS = 6
USE_NOTED_S = 60.0
COMMON_LEVEL_LUFS = -21.0
"""Everybody's speech is brought to this loudness in the mix, measured in one channel."""
QUIETEST_LIFTED_LUFS = -60.0
ENERGY = "energy.npy"
"""Written last: a conformed folder with it is whole."""


GONE, SILENT = "gone", "silent-"
"""The state of a recording whose original was deleted for good, and how the key of such a sound begins."""


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
        self._making: defaultdict[str, threading.Lock] = defaultdict(threading.Lock)
        self._conformed: dict[str, FileSource | Silence] = {}
        self._analyses: dict[str, Analysis] = {}
        self._levels: dict[str, float | None] = {}
        self._keys: dict[int, str] = {}
        self.mends = Mends(executor)

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
        with self._making[key]:
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

    def conformed(self, recording_id: int, drift_ppm: float = 0.0) -> Source:
        """A recording at 48 kHz, on a clock that runs true once `drift_ppm` is taken out."""
        key = self.key(recording_id)
        if key not in self._conformed:
            silent = key.startswith(SILENT)
            found = Silence(int(key.removeprefix(SILENT))) if silent else conformed_source(self.folder(recording_id))
            self._conformed[key] = found
        return clocked(self._conformed[key], drift_ppm)

    def version(self, recording_id: int, drift_ppm: float) -> str:
        """The name of exactly that sound."""
        return f"{self.key(recording_id)} {drift_ppm!r}"

    def forget(self, recording_id: int) -> None:
        """Look everything about a recording up again: it was conformed anew."""
        self._keys.pop(recording_id, None)

    def analysis(self, recording_id: int) -> Analysis:
        """What is known of a recording since it came in, on its own clock."""
        key = self.key(recording_id)
        if key not in self._analyses:
            energy = self._energy(recording_id)
            self._analyses[key] = Analysis(energy, speech_activity(energy), speech_level(energy), quiet_place(energy))
        return self._analyses[key]

    def _energy(self, recording_id: int) -> Curve:
        source = self.conformed(recording_id)
        if isinstance(source, Silence):
            return np.zeros(source.frames * CELLS_PER_S // RATE)
        energy: Curve = np.load(self.folder(recording_id) / ENERGY)
        return energy

    def tone(self, recording_id: int, drift_ppm: float) -> Tone | None:
        """Where a recording has nothing but its room, on a clock that runs true."""
        known = self.analysis(recording_id)
        if known.quiet is None:
            return None
        start, stop = (clocked_frames(round(edge * RATE), drift_ppm) for edge in known.quiet)
        return Tone(start, stop, clocked_curve(known.energy, drift_ppm))

    def _recording(self, recording_id: int) -> Recording:
        with self._sessions() as session:
            recording = session.get(Recording, recording_id)
        if recording is None:
            raise NotFound("A recording of this episode is not known any more. Nothing else was changed.")
        return recording

    def measured(self, recording_id: int, amounts: Amounts) -> Measured:
        """What is known of a recording for these amounts so far. More may be known a moment later: who makes a source
        and the name of its cache reads this once, and gives it to both."""
        if amounts == Amounts() or self._is_silent(recording_id):
            return {}
        return self.mends.known(self.folder(recording_id), amounts)

    def mended(self, recording_id: int, amounts: Amounts, *, only: str | None = None, measured: Measured | None = None
               ) -> Source:  # fmt: skip
        """A recording on its own clock, mended as far as is measured. only : one process, to hear it alone."""
        source = self.conformed(recording_id)
        if amounts == Amounts() or isinstance(source, Silence):
            return source
        return chain(source, amounts, measured or self.measured(recording_id, amounts), only=only)

    def measure_mends(self, recording_id: int, amounts: Amounts, told: Told = lambda doing, share: None) -> None:
        """Measure what mending with these amounts still lacks."""
        if amounts != Amounts():
            others = {other.recording: self.folder(other.recording) for other in amounts.among}
            self.mends.measure(
                self.folder(recording_id), self.conformed(recording_id), amounts, told, others=others,
                room=lambda: self.analysis(recording_id).quiet,
            )  # fmt: skip

    def lacks_mends(self, recording_id: int, amounts: Amounts) -> bool:
        """Whether `measure_mends` has something to do."""
        if amounts == Amounts() or self._is_silent(recording_id):
            return False
        return self.mends.lacks(self.folder(recording_id), amounts)

    def treated(self, recording_id: int, recipe: Recipe, drift_ppm: float = 0.0, amounts: Amounts | None = None
                ) -> "Treated":  # fmt: skip
        """A recording after mending and voice treatment; segments are computed when they are first read."""
        amounts = amounts or Amounts()
        measured = self.measured(recording_id, amounts)
        source = clocked(self.mended(recording_id, amounts, measured=measured), drift_ppm)
        level = self.analysis(recording_id).speech_lufs
        threshold = round(threshold_of(level), 2) if level is not None else 0.0
        told = f"{self.version(recording_id, drift_ppm)} {astuple(recipe)} {threshold} {VERSION}"
        return Treated(source, recipe, threshold, _hashed(told + _mended(amounts, measured)), self._media)

    def drawn(self, recording_id: int, amounts: Amounts, way: str, measured: Measured) -> Path:
        """The folder for pictures of a recording mended in exactly this way: a cache, like treated sound."""
        told = f"{self.version(recording_id, 0.0)} {way}{_mended(amounts, measured)}"
        return self._media.treated(_hashed(told))

    def _is_silent(self, recording_id: int) -> bool:
        return self.key(recording_id).startswith(SILENT)

    def level_db(self, recording_id: int, recipe: Recipe | None, drift_ppm: float = 0.0,
                 amounts: Amounts | None = None) -> float:  # fmt: skip
        """The gain that brings a person to the common speech level, as recorded or after `recipe`.

        After treatment the level is measured over the segments with most speech, up to two minutes of them:
        the same ones each time, so the answer does not depend on what else was computed.
        """
        level = self.analysis(recording_id).speech_lufs
        if recipe is not None and level is not None:
            level = self._treated_level(recording_id, recipe, drift_ppm, amounts)
        if level is None or level < QUIETEST_LIFTED_LUFS:
            return 0.0
        return round(COMMON_LEVEL_LUFS - level, 2)

    def _treated_level(self, recording_id: int, recipe: Recipe, drift_ppm: float, amounts: Amounts | None
                       ) -> float | None:  # fmt: skip
        treated = self.treated(recording_id, recipe, drift_ppm, amounts)
        if treated.key not in self._levels:
            path = self._media.treated(treated.key) / "level.json"
            if path.exists():
                self._levels[treated.key] = json.loads(path.read_text())
            else:
                chosen = _most_speech(self.analysis(recording_id).activity, treated.frames)
                parts = self._executor.map(lambda s: measure_part(treated.segment(s), RATE), chosen)
                self._levels[treated.key] = speech_level(np.concatenate([part.energy for part in parts]))
                write_whole(path, json.dumps(self._levels[treated.key]).encode())
        return self._levels[treated.key]


def _mended(amounts: Amounts, measured: Measured) -> str:
    """What mended sound depends on: the amounts, and what had been measured of them."""
    if not measured:
        return "" if amounts == Amounts() else f" {MENDS_VERSION} {astuple(amounts)} []"
    return f" {MENDS_VERSION} {astuple(amounts)} {sorted(measured)}"


def _hashed(told: str) -> str:
    return hashlib.sha256(told.encode()).hexdigest()[:32]


def _most_speech(activity: Curve, frames: int) -> list[Segment]:
    grid = list(segments(frames))
    cells = SEGMENT_S * CELLS_PER_S
    spoken = [activity[i * cells : (i + 1) * cells].sum() for i in range(len(grid))]
    best = sorted(range(len(grid)), key=lambda i: (-spoken[i], i))[:SAMPLED_SEGMENTS]
    return [grid[i] for i in sorted(best)]


class Treated:
    """A source over treated segments in the cache folder."""

    _open: "OrderedDict[tuple[str, int], FloatArray]" = OrderedDict()
    _lock = threading.Lock()
    OPEN = 64

    def __init__(self, source: Source, recipe: Recipe, threshold_db: float, key: str, media: Media) -> None:
        self._source, self._recipe, self._threshold = source, recipe, threshold_db
        self.key = key
        self._folder = media.treated(key)
        self._media = media
        self.rate, self.channels, self.frames = source.rate, source.channels, source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`; silence outside the recording."""
        first, last = max(start, 0), min(stop, self.frames)
        if last <= first:
            return np.zeros((stop - start, self.channels), np.float32)
        if first == start and last == stop and start // SEGMENT == (stop - 1) // SEGMENT:
            begin = start // SEGMENT * SEGMENT
            return self.segment(self._at(start // SEGMENT))[start - begin : stop - begin]
        out = np.zeros((stop - start, self.channels), np.float32)
        for index in range(first // SEGMENT, (last - 1) // SEGMENT + 1):
            begin = index * SEGMENT
            a, b = max(first, begin), min(last, begin + SEGMENT)
            out[a - start : b - start] = self.segment(self._at(index))[a - begin : b - begin]
        return out

    def _note_use(self) -> None:
        """What was used longest ago is deleted first where the cache grows too large."""
        with contextlib.suppress(OSError):
            if time.time() - self._folder.stat().st_mtime > USE_NOTED_S:
                os.utime(self._folder)

    def _at(self, index: int) -> Segment:
        return Segment(index, index * SEGMENT, min((index + 1) * SEGMENT, self.frames))

    def segment(self, segment: Segment) -> FloatArray:
        """One treated segment: from memory, from the cache folder, or computed now."""
        place = (self.key, segment.index)
        with self._lock:
            if place in self._open:
                self._open.move_to_end(place)
                return self._open[place]
        self._note_use()
        path = self._folder / f"{segment.index}.f32"
        shape = (segment.stop - segment.start, self.channels)
        try:
            sound: FloatArray = np.memmap(path, np.float32, "r", shape=shape)
        except (FileNotFoundError, ValueError):
            sound = treat_segment(self._source, segment, self._recipe, threshold_db=self._threshold)
            write_whole(path, sound.tobytes())
        with self._lock:
            self._open[place] = sound
            while len(self._open) > self.OPEN:
                self._open.popitem(last=False)
        return sound


def write_whole(path: Path, data: bytes) -> None:
    """Write a cache file so that it is there whole or not at all. A full disk only means it is not kept."""
    making = path.with_name(f"{path.name}{MAKING}-{os.getpid()}-{threading.get_ident()}")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        require_room(path.parent)
        making.write_bytes(data)
        making.replace(path)
    except (OSError, DiskFull):
        making.unlink(missing_ok=True)
