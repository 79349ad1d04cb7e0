"""What a recording sounds like as a whole: a handful of numbers in which talk, music, effects and rooms differ.

Talk comes and goes with its syllables, three to seven times a second, has many soft moments, and a pitch that glides;
music holds its tones and comes again in time; a room does nothing; an effect is none of these.

Sources: Scheirer and Slaney, Construction and evaluation of a robust multifeature speech/music discriminator, ICASSP
(1997), for the modulation of syllables, the share of low energy and the flux; Seyerlehner et al., Automatic music
detection in television productions, DAFx (2007), for tones that go on, heard under talk as well.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from pampa.core.runs import runs_of
from pampa.core.sound import ArraySource, Source, to_mono
from pampa.core.speech.features import PER_S, measure_features

WORK_RATE = 16_000
WINDOW_S, WINDOWS = 5.0, 16
SIZE, HOP = 1024, 256
LOWEST_HZ, HIGHEST_HZ = 80.0, 5_000.0
STANDS_OUT_DB, AROUND_BINS, BLOCK = 6.0, 21, 100
TONES = 5
BANDS = 18
SYLLABLES_HZ, MODULATED_HZ = (3.0, 7.0), (0.6, 16.0)
VOICED, LOUD_DB = 0.6, 20.0
SHORT_STOP = 3
HELD_ST, HELD_S = 0.25, 0.12
NOTHING_DB, SILENT = -100.0, 1e-5
SHORTEST_S, TELLING_S = 0.2, (0.3, 6.0)

Mono = NDArray[np.float32]


@dataclass(frozen=True)
class Evidence:
    """All but `seconds`, which is of the whole, is of at most 80 s, evenly spread.

    syllables : share of the modulation that comes three to seven times a second. tones : how much of the time single
    tones go on, of the five that do most. low : share of moments 6 dB under what is around. breaks : how often in a
    second the sound sets in. spread_db : between loud and soft moments. restless_db : how much the level moves from one
    10 ms to the next. voiced : share of loud moments with a pitch. held : share of those in which it stays.
    """

    seconds: float
    syllables: float
    tones: float
    low: float
    breaks: float
    spread_db: float
    restless_db: float
    voiced: float
    held: float

    def numbers(self) -> NDArray[np.float64]:
        """As they are compared, shape (9,): of lengths beyond some seconds nothing more is told."""
        return np.array([
            np.log(np.clip(self.seconds, *TELLING_S)), self.syllables, self.tones, self.low, self.breaks,
            np.log(max(self.spread_db, 1.0)), np.log(max(self.restless_db, 0.1)), self.voiced, self.held,
        ])  # fmt: skip


def evidence_of(source: Source) -> Evidence | None:
    """What a source sounds like; None where it holds less than 0.2 s, or nothing but silence."""
    windows = [window for window in _windows(source) if len(window) >= SIZE and np.abs(window).max() > SILENT]
    seconds = source.frames / source.rate
    if seconds < SHORTEST_S or not windows:
        return None
    rows = np.array([_of_window(window) for window in windows])
    levels, quiet = rows[:, 0], rows[:, 1]
    weights = np.sqrt(10 ** ((levels - levels.max()) / 10))  # a quiet window tells less of what there is to hear
    mean = np.average(rows[:, 2:], axis=0, weights=weights).tolist()
    syllables, tones, low, breaks, restless, voiced, held = mean
    spread = float(np.percentile(levels, 90) - np.median(quiet))
    return Evidence(seconds, syllables, tones, low, breaks, spread, restless, voiced, held)


def _windows(source: Source) -> list[Mono]:
    width = round(WINDOW_S * source.rate)
    count = min(max(source.frames // width, 1), WINDOWS)
    starts = np.linspace(0, max(source.frames - width, 0), count).astype(int)
    sounds = (to_mono(source.read(at, min(at + width, source.frames))) for at in starts.tolist())
    return [soxr.resample(sound, source.rate, WORK_RATE, quality="MQ") for sound in sounds]


def _of_window(sound: Mono) -> tuple[float, ...]:
    known = measure_features(ArraySource(sound[:, None], WORK_RATE))
    level = np.maximum(known.speech.astype(np.float64), NOTHING_DB)
    loud = level > np.percentile(level, 90) - LOUD_DB
    power = 10 ** (level / 10)
    around = scipy.ndimage.uniform_filter1d(power, PER_S)
    soft = power < around / 4  # 6 dB
    voiced = loud & (known.voicing > VOICED)
    return (
        float(10 * np.log10(np.percentile(power, 90) + 1e-12)),
        float(np.percentile(level, 10)),
        _syllables(sound),
        _tones(sound),
        float(soft.mean()),
        len(runs_of(~soft, bridge=SHORT_STOP)) * PER_S / max(level.size, 1),
        float(np.mean(np.abs(np.diff(level)))) if level.size > 1 else 0.0,
        float(voiced.sum() / max(loud.sum(), 1)),
        _held(voiced, known.pitch_hz),
    )


def _syllables(sound: Mono) -> float:
    """The share of modulation that comes as often as syllables, over bands as an ear has them."""
    frames = np.lib.stride_tricks.sliding_window_view(np.pad(sound, (0, 512)), 512)[::160]
    power = np.abs(scipy.fft.rfft(frames * np.hanning(512).astype(np.float32), axis=1)) ** 2
    bands = np.add.reduceat(power[:, _edges()[0] : _edges()[-1]], _edges()[:-1] - _edges()[0], axis=1)
    envelope = np.sqrt(bands)
    envelope = envelope / np.maximum(envelope.mean(axis=0), 1e-9) - 1
    spectrum = np.abs(scipy.fft.rfft(envelope * np.hanning(len(envelope))[:, None], axis=0)) ** 2
    hz = np.arange(len(spectrum)) * 100 / len(envelope)
    within = (hz >= SYLLABLES_HZ[0]) & (hz <= SYLLABLES_HZ[1])
    among = (hz >= MODULATED_HZ[0]) & (hz <= MODULATED_HZ[1])
    if not among.any():
        return 0.0
    each = spectrum[within].sum(axis=0) / np.maximum(spectrum[among].sum(axis=0), 1e-9)
    depth = np.sqrt((envelope**2).mean(axis=0))  # of a band that does not move, nothing is told
    return float(np.mean(each * np.minimum(depth, 1.0)))


@cache
def _edges() -> NDArray[np.int64]:
    return np.unique(np.round(np.geomspace(100.0, 7000.0, BANDS + 1) * 512 / WORK_RATE).astype(np.int64))


def _tones(sound: Mono) -> float:
    """How much of the time single frequencies go on: the sum of the five that stand out most, 0 to 5."""
    frames = np.lib.stride_tricks.sliding_window_view(np.pad(sound, (0, SIZE)), SIZE)[::HOP]
    spectrum = np.abs(scipy.fft.rfft(frames * np.hanning(SIZE).astype(np.float32), axis=1))
    first, last = (round(hz * SIZE / WORK_RATE) for hz in (LOWEST_HZ, HIGHEST_HZ))
    db = 20 * np.log10(spectrum[:, first:last] + 1e-7)
    stands = (db > scipy.ndimage.uniform_filter1d(db, AROUND_BINS, axis=1) + STANDS_OUT_DB).astype(np.float32)
    found = []
    for at in range(0, max(len(stands) - BLOCK // 2, 1), BLOCK // 2):
        active = stands[at : at + BLOCK].mean(axis=0)
        valleys = scipy.ndimage.minimum_filter1d(active, 9)
        peaks = (active - valleys) * (active == scipy.ndimage.maximum_filter1d(active, 5))
        found.append(np.sort(peaks)[-TONES:].sum())
    return float(np.mean(found))


def _held(voiced: NDArray[np.bool_], pitch_hz: NDArray[np.float32]) -> float:
    """The share of voiced moments in which the pitch stays within a quarter of a semitone for an eighth of a second."""
    if not voiced.any():
        return 0.0
    pitch = 12 * np.log2(np.maximum(pitch_hz.astype(np.float64), 1.0))
    half = round(HELD_S * PER_S / 2)
    size = 2 * half + 1
    spread = scipy.ndimage.maximum_filter1d(pitch, size) - scipy.ndimage.minimum_filter1d(pitch, size)
    whole = scipy.ndimage.minimum_filter1d(voiced.astype(np.int8), size) > 0
    return float((whole & (spread < 2 * HELD_ST)).sum() / voiced.sum())
