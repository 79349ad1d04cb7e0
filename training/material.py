"""Speech and noise to train on, all of it made here: the sample's lines, voices of free synthesisers, and noises.

The synthesisers flite and espeak-ng are Debian packages. Everything is seeded.
"""

import json
import subprocess
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy import signal

from pampa.core.speech.sounds import PHONES

RATE = 48_000
TALK_RATE = 16_000
VOICES = Path(__file__).parent.parent / "src/pampa/demo/voices"
FLITE = ("kal16", "rms", "awb")
ESPEAK = ("en-us+m1", "en-us+m3", "en-gb+m7", "en-us+f2", "en-gb+f4", "en-gb-scotland+f1", "en-us+m5")
Mono = NDArray[np.float64]


def speak(folder: Path) -> list[Path]:
    """Write the lines of the sample as every voice says them, at 48 kHz, each file once; returns the files."""
    folder.mkdir(parents=True, exist_ok=True)
    lines = json.loads((VOICES / "lines.json").read_text())
    for number, line in enumerate(lines):
        _keep(folder / f"{line['speaker'].split()[0]}-{number:03}.flac", VOICES / line["file"])
        for voice in FLITE:
            _said(folder / f"{voice}-{number:03}.flac", ["flite", "-voice", voice, "-t", line["text"], "-o"])
        # A formant synthesiser is less like people: fewer lines of each of its voices.
        voice = ESPEAK[number % len(ESPEAK)]
        _said(folder / f"{voice}-{number:03}.flac", ["espeak-ng", "-v", voice, line["text"], "-w"])
    return sorted(folder.glob("*.flac"))


def _said(path: Path, command: list[str]) -> None:
    if not path.exists():
        raw = path.with_suffix(".wav")
        subprocess.run([*command, str(raw)], check=True)
        _keep(path, raw)
        raw.unlink()


def _keep(path: Path, raw: Path) -> None:
    if not path.exists():
        sound, rate = soundfile.read(raw)
        soundfile.write(path, 0.5 * soxr.resample(sound, rate, RATE) / np.abs(sound).max(), RATE)


def talked(folder: Path, talks: Path) -> list[Path]:
    """Write what everybody of the talks of `training/talks.py` says, stretch by stretch; returns the files.

    Those talks are sounds at 16 kHz: nothing of them is above 8 kHz.
    """
    folder.mkdir(parents=True, exist_ok=True)
    for kept in sorted(talks.glob("*.npz")):
        with np.load(kept) as made:
            for who in ("one", "two"):
                for number, (start, stop) in enumerate(_stretches(made[f"phones_{who}"] != PHONES.index("sil"))):
                    sound = made[who][start * TALK_RATE // 100 : stop * TALK_RATE // 100].astype(np.float64)
                    path = folder / f"{kept.stem}{who}-{number:03}.flac"
                    soundfile.write(path, 0.5 * soxr.resample(sound, TALK_RATE, RATE) / np.abs(sound).max(), RATE)
    return sorted(folder.glob("*.flac"))


def _stretches(said: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Where somebody goes on talking for a second or more, in 10 ms: rests of up to 0.3 s are talked over."""
    at = np.flatnonzero(said)
    if not len(at):
        return []
    ends = np.flatnonzero(np.diff(at) > 30)
    starts, stops = at[np.r_[0, ends + 1]], at[np.r_[ends, len(at) - 1]] + 1
    return [(a, b) for a, b in zip(starts.tolist(), stops.tolist(), strict=True) if b - a >= 100]


def talk(rng: np.random.Generator, files: list[Path], seconds: float, *, dry: bool = False) -> Mono:
    """One person talking with pauses, faster or slower, higher or lower than they are, in some room or none."""
    person = files[rng.integers(len(files))].name.split("-")[0]
    own = [file for file in files if file.name.startswith(person + "-")]
    speed = rng.uniform(0.85, 1.2)
    out = np.zeros(int(seconds * RATE))
    at = int(rng.uniform(0.0, 1.2) * RATE)
    while at < len(out):
        sound, _ = soundfile.read(own[rng.integers(len(own))])
        sound = soxr.resample(sound, RATE, RATE / speed) * 10 ** (rng.uniform(-3, 3) / 20)
        count = min(len(sound), len(out) - at)
        out[at : at + count] += sound[:count]
        at += len(sound) + int(rng.uniform(0.1, 1.2) * RATE)
    if rng.random() < 0.35:
        out = signal.lfilter(*signal.butter(1, rng.uniform(2500, 9000), fs=RATE), out)
    if not dry and rng.random() < 0.5:
        out = heard_in(out, room(rng, rng.uniform(0.08, 0.5), rng.uniform(3, 15)))
    out = signal.sosfilt(signal.butter(2, rng.uniform(30, 110), "high", fs=RATE, output="sos"), out)
    tilt = 10 ** (rng.uniform(-6, 6) / 20)
    low = signal.sosfilt(signal.butter(1, 1500, fs=RATE, output="sos"), out)
    return low + tilt * (out - low)


def room(rng: np.random.Generator, seconds: float, direct_db: float) -> Mono:
    """The response of a room that dies away in `seconds`, sooner in high bands, so far under the direct sound."""
    time = np.arange(int(1.1 * seconds * RATE)) / RATE
    tail = np.zeros(time.size)
    for low, high, share in ((20, 500, 1.1), (500, 2500, 1.0), (2500, 20_000, rng.uniform(0.5, 0.9))):
        band = signal.butter(2, (low, high), "band", fs=RATE, output="sos")
        tail += signal.sosfilt(band, rng.standard_normal(time.size)) * np.exp(-6.91 * time / (seconds * share))
    tail[: int(rng.uniform(0.002, 0.01) * RATE)] = 0
    for _ in range(rng.integers(0, 8)):
        tail[int(rng.uniform(0.002, 0.025) * RATE)] += rng.choice([-1, 1]) * rng.uniform(1, 5)
    tail *= 10 ** (-direct_db / 20) / np.sqrt((tail**2).sum())
    tail[0] += 1
    return tail


def heard_in(sound: Mono, response: Mono) -> Mono:
    return signal.fftconvolve(sound, response)[: len(sound)]


def noise(rng: np.random.Generator, files: list[Path], frames: int) -> Mono:
    """Some noise of rooms, machines, amplifiers, mains, or other people; mean power 1."""
    kind = rng.choice(["room", "hiss", "fan", "people", "hum", "mixed"], p=[0.25, 0.2, 0.25, 0.15, 0.05, 0.1])
    if kind == "people":
        return people(rng, files, frames)
    if kind == "hum":
        sound = tones(rng, frames, rng.choice([50.0, 60.0]) + rng.uniform(-0.1, 0.1), 18) + 0.05 * shaped(rng, frames)
    elif kind == "hiss":
        sound = tilted(rng, frames, rng.uniform(-1, 2))
    else:
        sound = shaped(rng, frames)
        if kind == "fan" or rng.random() < 0.3:
            sound = sound + rng.uniform(0.05, 0.5) * tones(rng, frames, rng.uniform(60, 400), 5)
        if kind == "mixed":
            sound = sound / _rms(sound) + rng.uniform(0.1, 1) * _normal(noise(rng, files, frames))
    swing = 1 + rng.uniform(0, 0.2) * np.sin(
        2 * np.pi * rng.uniform(0.1, 2) * np.arange(frames) / RATE + rng.uniform(0, 6)
    )
    return _normal(sound * swing)


def people(rng: np.random.Generator, files: list[Path], frames: int) -> Mono:
    """Several others talking at once, farther away; mean power 1."""
    count = rng.integers(3, 10)
    sound = sum(talk(rng, files, frames / RATE)[:frames] * rng.uniform(0.5, 1.1) for _ in range(count))
    sound = heard_in(np.asarray(sound), room(rng, rng.uniform(0.2, 0.5), rng.uniform(-9, 3)))
    return _normal(signal.lfilter(*signal.butter(1, rng.uniform(2500, 6000), fs=RATE), sound))


def shaped(rng: np.random.Generator, frames: int) -> Mono:
    """Noise of a smooth spectrum at random, falling on the whole."""
    hz = np.fft.rfftfreq(frames, 1 / RATE)
    octaves = np.log2(np.maximum(hz, 20) / 20)
    knots = np.arange(0, 11)
    db = rng.uniform(-6, 0.5) * knots + np.cumsum(rng.normal(0, 2.5, knots.size))
    spectrum = 10 ** (np.interp(octaves, knots, db) / 20) * (hz > 10)
    return _normal(np.fft.irfft(np.fft.rfft(rng.standard_normal(frames)) * spectrum, frames))


def tilted(rng: np.random.Generator, frames: int, db_per_octave: float) -> Mono:
    hz = np.fft.rfftfreq(frames, 1 / RATE)
    spectrum = 10 ** (db_per_octave * np.log2(np.maximum(hz, 20) / 1000) / 20) * (hz > 10) * (hz < 20_000)
    return _normal(np.fft.irfft(np.fft.rfft(rng.standard_normal(frames)) * spectrum, frames))


def tones(rng: np.random.Generator, frames: int, hz: float, count: int) -> Mono:
    """A hum or whine: a fundamental that wavers a little, and its harmonics."""
    time = np.arange(frames) / RATE
    turn = 2 * np.pi * hz * time + rng.uniform(0, 1) * np.sin(2 * np.pi * rng.uniform(0.1, 0.7) * time)
    numbers = range(1, count + 1)
    return _normal(sum(rng.uniform(0.1, 1) / k * np.sin(k * turn + rng.uniform(0, 6.28)) for k in numbers))


def active_level(sound: Mono) -> float:
    """Root mean square of the 10 ms that are within 30 dB of the loudest."""
    rows = sound[: len(sound) // 480 * 480].reshape(-1, 480)
    power = (rows**2).mean(axis=1)
    return float(np.sqrt(power[power > np.percentile(power, 95) / 1000].mean()))


def _rms(sound: Mono) -> float:
    return float(np.sqrt((sound**2).mean()) + 1e-12)


def _normal(sound: Mono) -> Mono:
    return sound / _rms(np.asarray(sound))
