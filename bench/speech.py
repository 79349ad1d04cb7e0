"""Where somebody speaks, told by the detector in six kinds of recordings: `./pampa bench speech [--voices FOLDER]`.

Lines of clean speech with pauses between them, recorded close, in rooms, through hiss and by a recorder that gates.
What is true is told by the dry sound.
"""

from pathlib import Path

import numpy as np

from bench.levelling import lines
from pampa.core.loudness import measure_part
from pampa.core.sound import RATE
from pampa.core.speech.detector import where_spoken
from pampa.demo.assemble import VOICES
from pampa.demo.synthesis import band, coloured_noise, in_room, room

CONDITIONS = {
    "close": (0.12, 0.05, -72), "room": (0.4, 0.3, -62), "loud room": (0.3, 0.2, -45), "church": (1.2, 0.4, -60),
    "hiss": (0.1, 0.03, -36), "gated": (0.12, 0.05, -70),
}  # fmt: skip
"""Seconds of the room, its level against the voice, and noise in dBFS."""
SEEDS, LINES = 4, 14
WORD_DB, NOTHING_DB, FAR_CELLS = 24.0, 45.0, 31
"""So far under the loudest of the dry sound a word goes on; from where on it is a pause, this many cells around."""


def main(folder: Path | None) -> None:
    """Print, for each condition, what is told as talk of words and of pauses, in percent: of a folder or the sample."""
    folder = folder or VOICES
    voices = lines(folder)
    print(folder)
    for number, name in enumerate(CONDITIONS):
        told = [told_in(voices[sorted(voices)[seed % len(voices)]], name, [seed, number]) for seed in range(SEEDS)]
        words, pauses = 100 * np.mean(told, axis=0)
        print(f"  {name:<12} words {words:5.1f} %   pauses {pauses:4.1f} %", flush=True)


def told_in(voice: list[np.ndarray], condition: str, seed: list[int]) -> tuple[float, float]:
    """The shares of words and of pauses that are told as talk."""
    rng = np.random.default_rng(seed)
    seconds, level, noise_dbfs = CONDITIONS[condition]
    parts = [np.zeros(RATE)]
    for _ in range(LINES):
        line = voice[rng.integers(len(voice))][:, 0] * 10 ** (rng.uniform(-4, 4) / 20)
        parts += [line, np.zeros(round(rng.uniform(0.2, 3.0 if seed[0] % 2 else 1.0) * RATE))]
    dry = np.concatenate(parts)
    noise = band(coloured_noise(rng, dry.size, 0 if condition == "hiss" else 3), 50, 12_000, rate=RATE)
    sound = in_room(dry, room(rng, seconds, rate=RATE, level=level)) + 10 ** (noise_dbfs / 20) * noise
    if condition == "gated":
        sound[np.convolve(np.abs(dry), np.ones(4800) / 4800, "same") < 1e-5] = 0
    told, truth = where_spoken(energy(sound)), 10 * np.log10(np.maximum(energy(dry), 1e-14))
    top = np.percentile(truth[truth > -80], 95)
    far = np.convolve(truth > top - NOTHING_DB, np.ones(FAR_CELLS), "same") == 0
    return float(told[truth > top - WORD_DB].mean()), float(told[far].mean()) if far.any() else 0.0


def energy(sound: np.ndarray) -> np.ndarray:
    return measure_part(np.ascontiguousarray(sound[:, None], np.float32), RATE).energy
