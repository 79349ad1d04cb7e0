"""A check-up that tries what it might propose: what each process takes from talk tells whether it is worth it.

The processes themselves hear best what they are for. Noise that a network takes away, against the talk that it
leaves, is a signal-to-noise ratio that holds where no floor can be read between the words; a room is heard where
taking it away makes talk softer; an s is sharp where softening finds much to take.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import scipy
from numpy.typing import NDArray

from pampa.core.checkup.examine import Checkup, examine
from pampa.core.checkup.frames import measure_frames
from pampa.core.checkup.speech import FRAMES_PER_S, Parts, parts_of
from pampa.core.checkup.trial import Trial
from pampa.core.executor import Executor
from pampa.core.mend.amounts import Amounts
from pampa.core.mend.clicks import find_clicks, repaired
from pampa.core.mend.processes import PROCESSES, Facts
from pampa.core.runs import runs_of
from pampa.core.sound import RATE, ArraySource, Excerpt, Source, segments, to_mono
from pampa.core.voice import sibilance
from pampa.core.voice.voice_file import voice_in

VERSION = 3
"""Raised whenever a recording would be judged otherwise, so that those examined before are examined anew."""
STRETCHES, STRETCH_S = 3, 20.0
SHORTEST_S = 1.0
TRIED = Amounts(drop_outs=100, clipping=100, clicks=100, plosives=100, noise=100, reverb=100)
CELL = RATE // 100
ACTIVE_UNDER_TOP_DB = 30.0
LOUDEST, STEADY = 0.8, 0.8
"""The fifth of cells that the loss of talk is read from, and the share of them that are no thumps and slams."""
FLAT_SIZE, FLAT_BINS, FLAT_ENVELOPE = 2048, slice(5, 170), 25
"""Frames of 43 ms, between 120 Hz and 4 kHz, against an envelope as wide as a vowel's formant."""
PLAIN_DB = 6.0
"""A click that stands so far over what is around it is none of a consonant."""
LEAST_OVER_NOISE_DB = 8.0
"""What is left that far under the noise is a remnant of it, and nobody who talks."""
STRUCK_DB, THUMP_CELLS = -6.0, 3
"""Of a thump, so much is taken against talk on average; of a deep voice it is 12 dB less and more."""
SHARP_DB, SOUNDING_DB = 5.0, 1.0
"""Softening takes so much from an s that is sharp: more than two deviations over what voices differ by."""
NOTHING = 1e-16


def checked_up(source: Source, *, clipped: NDArray[np.float64], sides_db: float | None = None,
               missing: Sequence[tuple[float, float]] = (), executor: Executor | None = None) -> Checkup:  # fmt: skip
    """The whole check-up of a conformed recording: examined, and Mend tried on stretches of it. As `examine` says."""
    frames = measure_frames(source, executor)
    checkup = examine(source, clipped=clipped, sides_db=sides_db, missing=missing, frames=frames, executor=executor)
    trials = [
        tried(Excerpt(source, start, length), hum=checkup.hum is not None, clipped=_within(clipped, start, length))
        for start, length in stretches(source.frames, parts_of(frames))
    ]
    return replace(checkup, trial=together(trials)) if trials else checkup


def stretches(frames: int, parts: Parts) -> list[tuple[int, int]]:
    """Where to try, as start and length in frames: all of a short recording; of a long one where most is said."""
    if frames < SHORTEST_S * RATE:
        return []
    length = round(STRETCH_S * RATE)
    if frames <= STRETCHES * length:
        return [(0, frames)]
    talk = np.concatenate([[0], np.cumsum(parts.active)])
    found = []
    for n in range(STRETCHES):
        first, last = frames * n // STRETCHES, frames * (n + 1) // STRETCHES - length
        starts = np.arange(first, last + 1, RATE)
        cells = np.minimum(np.stack([starts, starts + length]) * FRAMES_PER_S // RATE, talk.size - 1)
        said = talk[cells[1]] - talk[cells[0]]
        found.append((int(starts[np.argmax(said)]), length))
    return found


def tried(source: Source, *, hum: bool, clipped: NDArray[np.float64]) -> Trial:
    """Every process tried on a whole source, each on what those before it leave."""
    amounts = replace(TRIED, hum=100.0 if hum else 0.0)
    trial = Trial(source.frames / RATE)
    sound: Source = ArraySource(source.read(0, source.frames), source.rate)
    for process in PROCESSES:
        known = None
        if process.name == "clicks":
            clicks = find_clicks(sound)  # once: they are counted, and taken out
            trial = replace(trial, clicks=sum(click.over_db >= PLAIN_DB for click in clicks))
            known = repaired(sound, clicks) if clicks else None
        elif amounts.of(process.name):
            known = process.measure(sound, amounts, Facts(clipped))
        if known is None:
            continue
        after = _whole(process.apply(sound, known, amounts))
        if process.name == "plosives":
            trial = replace(trial, thumps=_thumps(sound, after))
        if process.name == "noise":
            trial = _without_noise(trial, sound, after)
        if process.name == "reverb":
            trial = _without_room(trial, sound, after)
        sound = after
    return _softened(trial, sound)


def together(trials: Sequence[Trial]) -> Trial:
    """Trials of one recording as one: powers on average, what is lost and clicks of all."""
    talks = [trial for trial in trials if trial.speech_dbfs is not None]
    return Trial(
        seconds=sum(trial.seconds for trial in trials),
        speech_dbfs=_mean_db([trial.speech_dbfs for trial in talks]),
        noise_dbfs=_mean_db([trial.noise_dbfs for trial in talks or trials]),
        flatness=round(float(np.mean([trial.flatness for trial in talks or trials])), 3),
        loss_db=max(trial.loss_db for trial in talks or trials),
        room_db=_mean([trial.room_db for trial in talks]),
        clicks=sum(trial.clicks for trial in trials),
        thumps=sum(trial.thumps for trial in trials),
        sharp=sum(trial.sharp for trial in trials),
        talk_s=round(sum(trial.talk_s for trial in trials), 1),
    )


def _thumps(before: Source, after: Source) -> int:
    """How many runs of cells lose as much as a thump."""
    talk = parts_of(measure_frames(before)).speech_dbfs
    if talk is None:
        return 0
    struck = _powers(before, after) > 10 ** ((talk + STRUCK_DB) / 10)
    return len(runs_of(struck, bridge=THUMP_CELLS))


def _without_noise(trial: Trial, before: Source, after: Source) -> Trial:
    whole, taken, left = _powers(before), _powers(before, after), _powers(after)
    if not left.any():
        return trial
    steady = np.sort(taken)[: max(int(STEADY * taken.size), 1)]
    noise = float(np.mean(steady))
    talk = parts_of(measure_frames(after)).speech_dbfs
    if talk is not None and talk < _db(noise) - LEAST_OVER_NOISE_DB:
        talk = None
    loudest = left >= np.quantile(left, LOUDEST)
    loud = float(whole[loudest].mean())
    loss = float(10 * np.log10((loud - min(noise, loud / 2) + NOTHING) / (left[loudest].mean() + NOTHING)))
    return replace(
        trial, speech_dbfs=_rounded(talk), noise_dbfs=_db(noise), flatness=_flatness(before, after),
        loss_db=round(max(loss, 0.0), 2),
    )  # fmt: skip


def _flatness(before: Source, after: Source) -> float:
    """How even the spectrum of what was taken is against its own envelope, 0 to 1, in most of its moments.

    Geometric over arithmetic mean of the power in each frame (Gray & Markel, A spectral-flatness measure, IEEE Trans.
    ASSP 22 (1974)): 0.56 for noise of any colour, next to nothing for what has a pitch.
    """
    taken = to_mono(before.read(0, before.frames) - after.read(0, after.frames)).astype(np.float64)
    frames = taken[: taken.size // FLAT_SIZE * FLAT_SIZE].reshape(-1, FLAT_SIZE) * np.hanning(FLAT_SIZE)
    power = np.abs(scipy.fft.rfft(frames, axis=1))[:, FLAT_BINS] ** 2 + NOTHING
    against = power / scipy.ndimage.uniform_filter1d(power, FLAT_ENVELOPE, axis=1)
    flat = np.exp(np.log(against).mean(axis=1)) / against.mean(axis=1)
    strength = power.sum(axis=1)
    loud = strength >= np.quantile(strength, 0.3) if strength.size else np.zeros(0, bool)
    return round(float(np.median(flat[loud])), 3) if loud.any() else 0.0


def _without_room(trial: Trial, before: Source, after: Source) -> Trial:
    if trial.speech_dbfs is None:
        return trial
    talk, left = _powers(before), _powers(after)
    active = talk > np.quantile(talk, 0.95) * 10 ** (-ACTIVE_UNDER_TOP_DB / 10)
    fallen = 10 * np.log10((talk[active] + NOTHING) / (left[active] + NOTHING))
    return replace(trial, room_db=round(float(np.median(fallen)), 2))


def _softened(trial: Trial, sound: Source) -> Trial:
    if trial.speech_dbfs is None:
        return trial
    threshold = sibilance.threshold_of(voice_in(sound).heard)
    _, taken = sibilance.softened(sound.read(0, sound.frames), threshold, 1.0)
    sharp = sum(bool(taken[start:stop].max() >= SHARP_DB) for start, stop in runs_of(taken > SOUNDING_DB))
    talk_s = float(parts_of(measure_frames(sound)).active.sum() / FRAMES_PER_S)
    return replace(trial, sharp=sharp, talk_s=round(talk_s, 1))


def _powers(source: Source, less: Source | None = None) -> NDArray[np.float64]:
    """Mean square of every 10 ms, of a source or of what it has more than another: shape (cells,)."""
    sound = source.read(0, source.frames)
    mono = to_mono(sound - less.read(0, source.frames) if less else sound).astype(np.float64)
    return np.asarray((mono[: mono.size // CELL * CELL].reshape(-1, CELL) ** 2).mean(axis=1))


def _whole(source: Source) -> ArraySource:
    """A source worked out once, since the next processes read it many times."""
    parts = [source.read(segment.start, segment.stop) for segment in segments(source.frames)]
    return ArraySource(np.concatenate(parts), source.rate)


def _within(clipped: NDArray[np.float64], start: int, frames: int) -> NDArray[np.float64]:
    """Those of the stretches in seconds that lie inside some frames, on their time."""
    inside = (clipped[:, 0] * RATE >= start) & (clipped[:, 1] * RATE < start + frames)
    return np.asarray(clipped[inside] - start / RATE)


def _mean_db(levels: Sequence[float | None]) -> float | None:
    known = [10 ** (level / 10) for level in levels if level is not None]
    return _db(float(np.mean(known))) if known else None


def _mean(values: Sequence[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return round(float(np.mean(known)), 2) if known else None


def _db(power: float) -> float:
    return round(float(10 * np.log10(max(power, NOTHING))), 1)


def _rounded(level: float | None) -> float | None:
    return None if level is None else round(level, 1)
