"""The dynamics of a voice beside general-purpose peers: compressor, steady tone, sibilance, single peaks.

What is true is known in each case, because it is put there: a sharp s is made by raising a band of clean speech where
it hisses, somebody leans in by a low shelf for half of the talk, and single syllables are raised.
"""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy import signal

from bench.levelling import Sound, filtered
from pampa.core.executor import Inline
from pampa.core.loudness import measure_part
from pampa.core.sound import RATE, ArraySource
from pampa.core.speech.phrases import phrases_of
from pampa.core.voice import compressor
from pampa.core.voice.heard import BANDS_HZ, heard_in
from pampa.core.voice.peaks import peaks_of
from pampa.core.voice.recipe import UNTREATED, Recipe
from pampa.core.voice.voice_file import Voice

CELL = RATE // 50
SHARP_BANDS_HZ = ((6000, 9000), (5000, 8000), (6500, 11_000))
SHARP_DB = 8.0
ROOM_DBFS = -66.0
RATIO = 2.5
PEAK_DB = (8.0, 12.0)
ONSET, VOWEL = 2, 15
"""Cells of 20 ms: a word sets in during the first two of its phrase, and its vowel is over after so many."""


def joined(lines: list[Sound], seed: int) -> Sound:
    """Lines with pauses between them and a quiet room."""
    rng = np.random.default_rng(seed)
    parts = [np.pad(line, ((0, round(rng.uniform(0.3, 0.9) * RATE)), (0, 0))) for line in lines]
    sound = np.concatenate([np.zeros((RATE // 2, 1), np.float32), *parts])
    return sound + rng.standard_normal(sound.shape).astype(np.float32) * np.float32(10 ** (ROOM_DBFS / 20))


def treated(sound: Sound, recipe: Recipe) -> Sound:
    """A voice in memory after its chain."""
    voice = Voice(ArraySource(sound), measure_part(sound, RATE).energy)
    return np.concatenate([part.sound for part in voice.treated(recipe, Inline())])


def hissing(sound: Sound) -> np.ndarray:
    """Where a moment of 5 ms of clean speech is an s: its highs outweigh what is under 3 kHz, for 40 ms and more."""

    def level(kind: str, hz: float) -> np.ndarray:
        band = signal.sosfiltfilt(signal.butter(4, hz, kind, fs=RATE, output="sos"), sound[:, 0])
        hops = band[: len(band) // 240 * 240].reshape(-1, 240)
        return 10 * np.log10((hops**2).mean(axis=1) + 1e-12)

    high, low = level("high", 4000), level("low", 3000)
    found = (high > low + 3) & (high > np.percentile(np.maximum(high, low), 95) - 28)
    return signal.medfilt(found.astype(float), 9) > 0.5


def sharpened(sound: Sound, band: tuple[int, int], db: float) -> Sound:
    """Clean speech with each s raised in a band."""
    mask = np.repeat(hissing(sound).astype(float), 240)
    mask = np.pad(mask, (0, len(sound) - mask.size))
    window = np.hanning(481)
    mask = np.convolve(mask, window / window.sum(), "same")
    raised = signal.sosfiltfilt(signal.butter(2, band, "band", fs=RATE, output="sos"), sound[:, 0] * mask)
    return sound + (raised * (10 ** (db / 20) - 1)).astype(np.float32)[:, None]


def magnitudes(sound: Sound) -> np.ndarray:
    return np.abs(signal.stft(sound[:, 0], RATE, nperseg=1024, noverlap=768)[2])


def sibilance(name: str, lines: list[Sound]) -> None:
    """Print by how many dB the error in magnitude drops, and how well clean speech is kept, for each peer."""
    clean = joined(lines, 1)
    peers: dict[str, Callable[[Sound], Sound]] = {
        "deesser, i=0.5": filtered("deesser", "i=0.5"),
        "Pampa": lambda sound: treated(sound, replace(UNTREATED, sibilance=100.0)),
    }
    truth = magnitudes(clean)
    for peer, work in peers.items():
        drops = []
        for band in SHARP_BANDS_HZ:
            sharp = sharpened(clean, band, SHARP_DB)
            before, after = (np.sum((magnitudes(x) - truth) ** 2) for x in (sharp, work(sharp)))
            drops.append(10 * np.log10(before / after))
        kept = 10 * np.log10(np.sum(truth**2) / (np.sum((magnitudes(work(clean)) - truth) ** 2) + 1e-20))
        told = f"drops {np.mean(drops):5.1f} dB (worst {min(drops):.1f}); clean kept to {min(kept, 60):.0f} dB"
        print(f"  {name:<12} {peer:<16} {told}")


def compressing(name: str, lines: list[Sound]) -> None:
    """Print what the compressor takes by default, and how onsets of words fare beside their vowels."""
    sound = joined(lines, 2)
    voice = Voice(ArraySource(sound), measure_part(sound, RATE).energy)
    recipe = replace(UNTREATED, ratio=RATIO)
    taken = np.concatenate([part.taken["compressor"] for part in voice.treated(recipe, Inline())])
    level = 10 * np.log10(np.maximum(voice.energy[: taken.size], 1e-12))
    loud, own, loudest = [], [], []
    before = 0
    for phrase in phrases_of(voice.energy):
        inside = slice(phrase.start, min(phrase.stop, taken.size))
        loud += taken[inside][level[inside] >= np.percentile(level[inside], 80)].tolist()
        after_pause, before = phrase.start > before, phrase.stop
        if not after_pause:
            continue  # a phrase that is parted where its level steps: nothing sets in
        onset = taken[phrase.start : phrase.start + ONSET].max()
        own.append(onset - taken[phrase.start + ONSET : phrase.start + VOWEL].max())
        loudest.append(onset - np.percentile(taken[inside], 90))
    print(
        f"  {name:<12} takes {np.median(loud):.1f} dB of the median loud syllable; onsets lose {max(own):+.1f} dB "
        f"against the vowels that they begin at most, {max(loudest):+.1f} dB against the loudest of their phrase"
    )


def static_curve() -> None:
    """Print how far steady tones are from what the ratio asks for."""
    errors = []
    for ratio in (1.5, 2.5, 4.0, 8.0):
        for over in (-12.0, 0.0, 6.0, 12.0, 20.0):
            amplitude = 10 ** ((-30 + over) / 20)
            tone = (amplitude * np.sin(2 * np.pi * 1000 * np.arange(4 * RATE) / RATE)).astype(np.float32)[:, None]
            out, _ = compressor.compressed(tone, -30.0, ratio)
            knee = compressor.KNEE_DB
            curve = 0 if 2 * over < -knee else (over + knee / 2) ** 2 / (2 * knee) if 2 * over <= knee else over
            got = 20 * np.log10(np.abs(tone[3 * RATE : -RATE // 2]).max() / np.abs(out[3 * RATE : -RATE // 2]).max())
            errors.append(abs(got - curve * (1 - 1 / ratio)))
    print(f"  static curve: {max(errors):.3f} dB off at most, at four ratios and five levels")


def steadying(name: str, lines: list[Sound]) -> None:
    """Print how far the tone moves when somebody leans in for half of the talk, before and after."""
    even = joined(lines, 3)
    near, half = even.copy(), len(even) // 2
    pole = np.exp(-2 * np.pi * 200 / RATE)
    low = signal.lfilter([1 - pole], [1, -pole], near, axis=0).astype(np.float32)
    near[half:] += low[half:] * np.float32(10 ** (6 / 20) - 1)

    def moved(sound: Sound) -> float:
        halves = [sound[:half], sound[half:]]
        spectra = [
            heard_in(ArraySource(x), measure_part(np.ascontiguousarray(x), RATE).energy).levels_db[0] for x in halves
        ]
        apart = (spectra[1] - spectra[0])[(BANDS_HZ > 90) & (BANDS_HZ < 8000)]
        return float(np.std(apart))

    held = treated(near, replace(UNTREATED, bands=100.0))
    print(f"  {name:<12} leaning in moves the tone by {moved(near):.1f} dB rms, {moved(held):.1f} held; ", end="")
    print(f"{moved(even):.1f} without leaning in")


def peaks(name: str, lines: list[Sound]) -> None:
    """Print how many raised syllables are found, and how many others."""
    sound = joined(lines, 4)
    rng = np.random.default_rng(5)
    energy = measure_part(sound, RATE).energy
    before = len(peaks_of(energy))
    places = []
    for phrase in phrases_of(energy)[2::8]:
        inside = energy[phrase.start : phrase.stop]
        at = phrase.start + int(np.argmax(inside))
        start, stop = (at - 4) * CELL, (at + 5) * CELL
        shape = 10 ** (np.hanning(stop - start) * rng.uniform(*PEAK_DB) / 20)
        sound[start:stop] *= shape[:, None].astype(np.float32)
        places.append(at / 50)
    found = peaks_of(measure_part(sound, RATE).energy)
    hit = sum(any(p.start_s - 0.05 <= at <= p.stop_s + 0.05 for p in found) for at in places)
    wrong = sum(not any(p.start_s - 0.05 <= at <= p.stop_s + 0.05 for at in places) for p in found)
    print(f"  {name:<12} single peaks: {hit} of {len(places)} found, {wrong} others; {before} in the lines as they are")


def table(voices: dict[str, list[Sound]]) -> None:
    """Print all of it for each voice."""
    print("compressor")
    static_curve()
    for work in (compressing, steadying, sibilance, peaks):
        print(work.__name__)
        for name, lines in sorted(voices.items()):
            work(name, lines[:12])
