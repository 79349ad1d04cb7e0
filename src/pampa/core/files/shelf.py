"""Where conformed and treated sound lies, and any rendition opened from there, in this process or another."""

import io
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache, partial
from pathlib import Path

import numpy as np

from pampa.core.arrays import array_in, arrays_in
from pampa.core.errors import SignalError
from pampa.core.files.conform import conformed_source
from pampa.core.files.kept import SEGMENT, Kept, keep_whole
from pampa.core.files.measurements import known_of, near_in
from pampa.core.files.whole import whole
from pampa.core.loudness import measure_energy
from pampa.core.loudness.parts import CELLS_PER_S
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clean import Measured, chain
from pampa.core.mend.near import amounts_near, asked, mended_near
from pampa.core.rendition import SILENT, Rendition
from pampa.core.sound import RATE, Curve, FloatArray, Segment, Silence, Source
from pampa.core.special.heard import SpecialVoice
from pampa.core.speech.level import speech_level
from pampa.core.speech.talk import Runs, talk_of
from pampa.core.speech.voiced import voicing
from pampa.core.sync.clocked import clocked, clocked_curve
from pampa.core.voice.chain import Known, Treated, treat
from pampa.core.voice.chain import known_of as voice_known_of
from pampa.core.voice.heard import Heard, heard_in
from pampa.core.voice.level_after import SETTLE
from pampa.core.voice.stages import Facts

TALK = "talk-3.npy"
ENERGY = "energy.npy"
"""Written last: a conformed folder with it is whole."""
FACTS_KEPT = 32


@dataclass(frozen=True)
class Shelf:
    """Two folders: a conformed recording is a folder in the one, a treated one in the other, by content and by key."""

    conformed: Path
    treated: Path

    def energy(self, content: str) -> Curve:
        """K-weighted mean square of each 20 ms of a conformed recording, shape (cells,)."""
        if content.startswith(SILENT):
            return np.zeros(_silent_frames(content) * CELLS_PER_S // RATE)
        energy: Curve = array_in(self.conformed / content / ENERGY)
        return energy

    def heard(self, content: str) -> Heard:
        """What the voice in a conformed recording sounds like on the whole."""
        return _heard(self, content)

    def talk(self, content: str) -> Runs:
        """Where somebody talks in a conformed recording, in cells of 20 ms: found once and kept beside it."""
        if content.startswith(SILENT):
            return np.zeros((0, 2), np.int64)
        path = self.conformed / content / TALK
        if not path.exists():
            runs = talk_of(self.energy(content), voicing(self.plain(content)))
            with whole(path) as making:
                np.save(making, runs)
        found: Runs = array_in(path)
        return found

    def plain(self, content: str) -> Source:
        """A conformed recording, on its own clock."""
        if content.startswith(SILENT):
            return Silence(_silent_frames(content))
        return conformed_source(self.conformed / content)

    def mended(self, rendition: Rendition, only: str | None = None) -> Source:
        """A recording on its own clock, mended as far as is measured. only : one process, to hear it alone."""
        source, folder = self.plain(rendition.content), self.conformed / rendition.content
        mended = source
        if rendition.measured:
            known = _all_known(folder, rendition.amounts, rendition.measured)
            mended = chain(source, rendition.amounts, {n: known[n] for n in rendition.measured}, only=only)
        if rendition.near is None:
            return mended
        amounts = amounts_near(rendition.amounts, *rendition.near)
        known = _all_known(near_in(folder, rendition.near), amounts, asked(amounts))
        return mended_near(source, mended, amounts, known, *rendition.near, only=only)

    def opened(self, rendition: Rendition) -> "Opened":
        """A rendition as a source. Nothing is read before it is asked for."""
        return Opened(self, rendition)


@dataclass(frozen=True, eq=False)
class Opened:
    """A rendition as a source: as small as its name, and opened again wherever it is sent."""

    shelf: Shelf
    rendition: Rendition
    rate: int = field(default=RATE, init=False)

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.shelf, self.rendition)

    @property
    def channels(self) -> int:
        return self._source.channels

    @property
    def frames(self) -> int:
        return self._source.frames

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`; silence outside the recording."""
        return self._source.read(start, stop)

    def hurry(self, start: int, stop: int) -> None:
        """Have frames `start` to `stop` ready, sooner than by reading them: no more is computed than up to there."""
        source = self._source
        if isinstance(source, Kept):
            source.hurry(start, stop)

    @cached_property
    def _source(self) -> Source:
        if self.rendition.special is not None:
            plain = replace(self.rendition, special=None)
            return SpecialVoice(self.shelf.opened(plain), self.rendition.special)
        before = self._untreated
        if self.rendition.recipe is None:
            return before
        return Kept(self.shelf.treated / self.rendition.key, before.channels, before.frames, self._treat)

    @cached_property
    def _untreated(self) -> Source:
        return clocked(self.shelf.mended(self.rendition), self.rendition.drift_ppm)

    @cached_property
    def _known(self) -> Known:
        assert self.rendition.recipe is not None
        facts = _facts(self.shelf, self.rendition.content, self.rendition.drift_ppm)
        return voice_known_of(facts, self.rendition.recipe)

    @property
    def levelled_energy(self) -> Curve:
        """K-weighted mean square of each 20 ms as the level leaves it, before the stages after it: shape (cells,)."""
        energy = _facts(self.shelf, self.rendition.content, self.rendition.drift_ppm).energy
        recipe = self.rendition.recipe
        if recipe is None or not recipe.level:
            return energy
        return np.asarray(energy * 10 ** (self._known["level"] * recipe.level / 1000))

    def taken(self, segment: Segment) -> Mapping[str, Curve]:
        """What each stage of the voice takes in one segment, in dB for each 20 ms; kept beside its sound."""
        if self.rendition.recipe is None:
            return {}
        try:
            return arrays_in(self._beside(segment))
        except (FileNotFoundError, ValueError, zipfile.BadZipFile):
            return self._treated(segment).taken

    def _treat(self, segment: Segment) -> FloatArray:
        return self._treated(segment).sound

    def _treated(self, segment: Segment) -> Treated:
        assert self.rendition.recipe is not None
        treated = treat(self._untreated, segment, self.rendition.recipe, self._known, only=self.rendition.taken)
        if segment.stop in (self.frames, segment.start + SEGMENT):  # not only its beginning
            packed = io.BytesIO()
            np.savez(packed, **{name: curve.astype(np.float32) for name, curve in treated.taken.items()})  # type: ignore[arg-type]
            keep_whole(self._beside(segment), packed.getvalue())
        return treated

    def sampled(self, place: Segment) -> Curve:
        """K-weighted mean square of each 20 ms of a place after the chain, for its level: see `level_after`."""
        assert self.rendition.recipe is not None
        treated = treat(self._untreated, place, self.rendition.recipe, self._known, settle=SETTLE)
        return measure_energy(treated.sound, RATE)

    def _beside(self, segment: Segment) -> Path:
        return self.shelf.treated / self.rendition.key / f"{segment.index}.taken.npz"


def _all_known(folder: Path, amounts: Amounts, names: Iterable[str]) -> Measured:
    known = known_of(folder, amounts)
    if set(names) - known.keys():
        raise SignalError(
            "What was measured of a recording is not in the data folder any more. Nothing was changed. Try again: "
            "it is measured anew."
        )
    return known


@lru_cache(FACTS_KEPT)
def _heard(shelf: Shelf, content: str) -> Heard:
    return heard_in(shelf.plain(content), shelf.energy(content))


@lru_cache(FACTS_KEPT)
def _facts(shelf: Shelf, content: str, drift_ppm: float) -> Facts:
    energy = shelf.energy(content)
    return Facts(speech_level(energy), clocked_curve(energy, drift_ppm), partial(shelf.heard, content))


def _silent_frames(content: str) -> int:
    return int(content.removeprefix(SILENT))
