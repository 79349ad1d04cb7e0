"""Music laid under a file of talk: both as one source, the music stepping back."""

from dataclasses import dataclass

import numpy as np

from pampa.core.executor import Executor
from pampa.core.loudness import measure_source
from pampa.core.loudness.gating import to_lufs
from pampa.core.loudness.parts import CELLS_PER_S, cell_bounds
from pampa.core.mix.distance import depth_gain, distance_gain
from pampa.core.runs import runs_of
from pampa.core.sound import Curve, FloatArray, Source
from pampa.core.speech.talk import talk_curve_of, talk_of
from pampa.core.speech.voiced import voicing
from pampa.core.timeline.document import Under


@dataclass(frozen=True, eq=False)
class Laid:
    """Talk and music at one rate, from the same first frame on, as long as the longer of both. gain_db : each 20 ms."""

    talk: Source
    music: Source
    gain_db: Curve
    under_lu: float | None
    """How far the music lies under the talk now, in the middle of all talk; None where nobody talks."""

    @property
    def rate(self) -> int:
        return self.talk.rate

    @property
    def channels(self) -> int:
        return max(self.talk.channels, self.music.channels)

    @property
    def frames(self) -> int:
        return max(self.talk.frames, self.music.frames)

    def read(self, start: int, stop: int) -> FloatArray:
        """Frames `start` to `stop`, shape (stop - start, channels)."""
        middles = (np.arange(self.gain_db.size) + 0.5) * self.rate / CELLS_PER_S
        gain = 10 ** (np.interp(np.arange(start, stop), middles, self.gain_db) / 20)
        music = self.music.read(start, stop) * gain.astype(np.float32)[:, None]
        return np.asarray(self.talk.read(start, stop) + music, np.float32)


def laid_under(talk: Source, music: Source, under: Under, *, depth_db: float | None = None,
               executor: Executor) -> Laid:  # fmt: skip
    """Music a distance under talk; with `depth_db`, down by so much wherever somebody talks."""
    spoken = measure_source(talk, executor).energy * (2 if talk.channels < music.channels else 1)
    played = measure_source(music, executor).energy * (2 if music.channels < talk.channels else 1)
    cells = cell_bounds(max(talk.frames, music.frames), talk.rate).size
    spoken, played = (np.pad(energy, (0, cells - energy.size)) for energy in (spoken, played))
    runs = talk_of(spoken, voicing(talk, executor))
    level = talk_curve_of(spoken, runs)
    gain = distance_gain(level, played, under) if depth_db is None else depth_gain(level, depth_db, under)
    return Laid(talk, music, gain, _distance(level, played, gain))


def _distance(level: Curve, played: Curve, gain: Curve) -> float | None:
    heard = played * 10 ** (gain / 10)
    apart = [
        level[start] - to_lufs(float(heard[start:stop].mean()))
        for start, stop in runs_of(np.isfinite(level)).tolist() if heard[start:stop].any()
    ]  # fmt: skip
    return float(np.median(apart)) if apart else None
