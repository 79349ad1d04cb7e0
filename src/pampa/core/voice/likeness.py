"""What a person sounded like in an episode: kept when it goes out, so that the next one can be made alike."""

from dataclasses import dataclass

import numpy as np

from pampa.core.loudness.gating import to_lufs
from pampa.core.sound import Curve
from pampa.core.speech.decay import decay_s
from pampa.core.speech.phrases import phrases_of
from pampa.core.voice.heard import BANDS_HZ, Heard

SHOWN_HZ = (63.0, 16_000.0)


@dataclass(frozen=True)
class Likeness:
    """One voice as it was heard.

    speech_lufs : of its phrases as they went into the mix. spread_lu : how far apart soft and loud phrases lie, the
    10th to the 90th percentile. floor_lufs : of the pauses. spectrum_db : the level of its speech in each band of
    `heard`, with a mean of 0 from 63 Hz to 16 kHz. gain_db : of its track. decay_s : how long it rings after a word;
    None where that was not measured.
    """

    speech_lufs: float | None
    spread_lu: float | None
    floor_lufs: float | None
    spectrum_db: tuple[float, ...]
    gain_db: float
    decay_s: float | None = None


def likeness_of(heard: Heard, energy: Curve, added_db: float, gain_db: float) -> Likeness:
    """A voice as it goes out. energy : of each 20 ms where it was measured. added_db : all that the mix adds to it.

    gain_db : what of that a person has set on the track.
    """
    phrases = phrases_of(energy)
    levels = np.array([phrase.lufs for phrase in phrases])
    weights = np.array([phrase.stop - phrase.start for phrase in phrases], np.float64)
    speech = to_lufs(float((10 ** (levels / 10) @ weights) / weights.sum())) if levels.size else None
    spread = None
    if levels.size >= 5:
        order = np.argsort(levels)
        share = np.cumsum(weights[order]) / weights.sum()
        low, high = (float(levels[order][np.searchsorted(share, edge)]) for edge in (0.1, 0.9))
        spread = round(high - low, 1)
    sounding = energy[energy > 0]
    floor = to_lufs(float(np.percentile(sounding, 5))) if sounding.size else None
    speech_lufs, floor_lufs = (None if value is None else round(value + added_db, 1) for value in (speech, floor))
    return Likeness(speech_lufs, spread, floor_lufs, spectrum_db(heard), gain_db, decay_s(energy))


def spectrum_db(heard: Heard) -> tuple[float, ...]:
    """The level of speech in each band, but for how loud it is; empty where nobody speaks."""
    if not heard.speaks:
        return ()
    levels = heard.levels_db[0]
    shown = (SHOWN_HZ[0] <= BANDS_HZ) & (SHOWN_HZ[1] >= BANDS_HZ)
    return tuple(round(float(db), 2) for db in levels - levels[shown].mean())
