"""Music under talk: cases made of lines and music whose truth is known, and how far what was made keeps to it."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bench.levelling import lines, loudness
from bench.made_music import tune
from pampa.core.loudness.measure import measure_energy
from pampa.core.sound import RATE, FloatArray

CELL = RATE // 50
SHORT_S, LONG_S = (0.15, 0.45), (2.5, 6.0)
KINDS = ("one", "ten apart", "breaths", "noise", "loud passage", "knocks")


@dataclass(frozen=True)
class Case:
    """Talk (one channel) and music (two) of one length; phrases and pauses in frames."""

    name: str
    talk: FloatArray
    music: FloatArray
    phrases: list[tuple[int, int]]
    short: list[tuple[int, int]]
    long: list[tuple[int, int]]


def case(kind: str, voices: dict[str, list[np.ndarray]], seed: int) -> Case:
    """One case, seeded."""
    rng = np.random.default_rng([seed, KINDS.index(kind)])
    names = sorted(voices)
    parts = [np.zeros(3 * RATE, np.float32)]
    at, phrases, short, long = len(parts[0]), [], [], []
    for n in range(14):
        name = names[(n + seed) % len(names) if kind == "ten apart" else seed % len(names)]
        line = voices[name][int(rng.integers(len(voices[name])))][:, 0]
        loud = np.flatnonzero(np.abs(line) > np.abs(line).max() * 0.02)
        line = line[max(loud[0] - 200, 0) : loud[-1] + 200] * np.float32(
            10 ** (-10 * (n % 2) * (kind == "ten apart") / 20)
        )
        phrases.append((at, at + len(line)))
        is_long = n % 3 == 2
        pause = round(rng.uniform(*(LONG_S if is_long else SHORT_S)) * RATE)
        (long if is_long else short).append((at + len(line), at + len(line) + pause))
        gap = np.zeros(pause, np.float32)
        if is_long and kind == "breaths":
            _put(gap, _breath(rng), pause // 2, 10 ** (-22 / 20) * np.abs(line).max())
        if is_long and kind == "knocks":
            _put(gap, _knock(rng), pause // 2, 0.5 * np.abs(line).max())
        parts += [line, gap]
        at += len(line) + pause
    talk = np.concatenate(parts)
    if kind == "noise":
        talk = talk + (10 ** (-48 / 20) * rng.standard_normal(talk.size)).astype(np.float32)
    manner = ("band", "arpeggio", "bed", "chords")[seed % 4]
    music = np.resize(tune(manner, seed, seconds=30).sound, (talk.size, 2)) * np.float32(10 ** (-2 / 20))
    if kind == "loud passage":
        third = talk.size // 3
        music[:third] *= np.float32(0.35)
        music[2 * third :] *= np.float32(0.5)
    return Case(kind, talk[:, None], music, phrases, short[:-1], [pause for pause in long if pause[1] < talk.size])


def _put(sound: np.ndarray, event: np.ndarray, at: int, peak: float) -> None:
    event = event[: len(sound) - at]
    sound[at : at + len(event)] += (event / np.abs(event).max() * peak).astype(np.float32)


def _breath(rng: np.random.Generator) -> np.ndarray:
    count = int(0.45 * RATE)
    spectrum = np.fft.rfft(rng.standard_normal(count))
    hz = np.fft.rfftfreq(count, 1 / RATE)
    return np.fft.irfft(spectrum * np.exp(-0.5 * ((hz - 2500) / 1500) ** 2), count) * np.hanning(count)


def _knock(rng: np.random.Generator) -> np.ndarray:
    t = np.arange(int(0.2 * RATE)) / RATE
    return rng.standard_normal(t.size) * np.exp(-t * 60) + np.sin(2 * np.pi * 180 * t) * np.exp(-t * 45)


@dataclass(frozen=True)
class Score:
    """How one case came out. distances : of each phrase, in LU. pumped, returned, late : counts; worst : a second's."""

    distances: list[float]
    worst: float
    pumped: int
    returned: int
    late: int
    set_off: int


def score(made: Case, gain: np.ndarray) -> Score:
    """gain : linear, one value for each frame, of the music as it lies under the talk."""
    ducked = made.music * gain[:, None].astype(np.float32)
    music, _ = (
        measure_energy(np.ascontiguousarray(sound), RATE) for sound in (ducked, np.repeat(made.talk, 2, axis=1))
    )
    db = 20 * np.log10(np.maximum(gain[::CELL], 1e-6))
    distances, worst = [], np.inf
    for start, stop in made.phrases:
        own = loudness(np.repeat(made.talk[start:stop], 2, axis=1))
        cells = slice(start // CELL, stop // CELL)
        distances.append(own - _lufs(music[cells]))
        for second in range(start // CELL, stop // CELL - 49, 10):
            worst = min(worst, own - _lufs(music[second : second + 50]))
    pumped = sum(_rise(db, start, stop) > 1.0 for start, stop in made.short)
    returned = sum(_came_back(db, start, stop) for start, stop in made.long)
    late = sum(db[start // CELL] > db[start // CELL : start // CELL + 10].min() + 1.0 for start, _ in made.phrases)
    set_off = sum(_dip(db, start, stop) > 1.0 for start, stop in made.long)
    return Score(distances, float(worst), pumped, returned, late, set_off)


def _rise(db: np.ndarray, start: int, stop: int) -> float:
    inside = db[start // CELL : stop // CELL + 1]
    return float(inside.max() - max(db[max(start // CELL - 2, 0)], db[min(stop // CELL + 2, db.size - 1)]))


def _came_back(db: np.ndarray, start: int, stop: int) -> bool:
    """Whether the music comes up by 3 dB, or most of the way where it had not gone down so far."""
    down = max(db[max(start // CELL - 2, 0)], db[min(stop // CELL + 2, db.size - 1)])
    return bool(down > -1.0 or _rise(db, start, stop) > min(3.0, -0.7 * down))


def _dip(db: np.ndarray, start: int, stop: int) -> float:
    """How far the gain falls and comes up again within a pause: something but talk set it off."""
    inside = db[start // CELL : stop // CELL + 1]
    top = int(np.argmax(inside))
    after, before = inside[top:], inside[: top + 1]
    return float(
        max((np.maximum.accumulate(after[::-1])[::-1] - after).max(), (np.maximum.accumulate(before) - before).max())
    )


def _lufs(energy: np.ndarray) -> float:
    return float(-0.691 + 10 * np.log10(max(energy.mean(), 1e-12)))


def run(
    ducked: Callable[[Case], np.ndarray], voices: dict[str, list[np.ndarray]], seeds: range, asked: float
) -> dict[str, object]:
    """All kinds over the seeds: the figures of the whole."""
    scores = []
    counts = np.zeros(2, int)
    for kind in KINDS:
        for seed in seeds:
            made = case(kind, voices, seed)
            scores.append(score(made, ducked(made)))
            counts += (len(made.short), len(made.long))
    errors = np.concatenate([np.array(each.distances) - asked for each in scores])
    return {
        "median off": round(float(np.median(errors)), 2), "median error": round(float(np.median(np.abs(errors))), 2),
        "worst second": round(min(each.worst for each in scores), 1),
        "pumped": f"{sum(each.pumped for each in scores)} of {counts[0]}",
        "returned": f"{sum(each.returned for each in scores)} of {counts[1]}",
        "late": sum(each.late for each in scores), "set off": sum(each.set_off for each in scores),
    }  # fmt: skip


__all__ = ["Case", "case", "lines", "run", "score"]
