"""Good talk spoilt in known ways, in rooms and by noises of two kinds: one to tune on, one to be looked at once."""

import io
import json
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import product
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray
from scipy.signal import butter, oaconvolve, sosfiltfilt

from pampa.core.sound import RATE

Mono = NDArray[np.float64]
SPEECH_DB, ROOM_DB = -26.0, -76.0
EARLY = RATE // 50


@dataclass(frozen=True, eq=False)
class Spoilt:
    """kind : what was done. sound : as it comes in. clean : what it should be. hand : amounts a person would give."""

    kind: str
    sound: Mono
    clean: Mono
    hand: dict[str, float]


def talk_of(folder: Path, *, least: int = 3, longest_s: float = 22.0) -> Iterator[Mono]:
    """Every speaker's clean lines one after another with pauses, at -26 dBFS where it is loud, in a quiet room."""
    lines = json.loads((folder / "lines.json").read_text())
    for name in sorted({line["speaker"] for line in lines}):
        parts = [np.zeros(round(0.8 * RATE))]
        own = [line for line in lines if line["speaker"] == name and not line["editorial"]]
        for line in own if len(own) >= least else [line for line in lines if line["speaker"] == name]:
            sound, rate = soundfile.read(folder / line["file"])
            for part in line["segments"]:
                if part["kind"] in ("breath", "click", "cough"):
                    sound[round(part["start_s"] * rate) : round(part["end_s"] * rate)] = 0
            parts += [soxr.resample(sound, rate, RATE), np.zeros(round(0.4 * RATE))]
            if sum(part.size for part in parts) > longest_s * RATE:
                break
        speech = np.concatenate(parts)
        speech *= 10 ** (SPEECH_DB / 20) / np.sqrt((speech[np.abs(speech) > 0.01] ** 2).mean())
        yield speech + 10 ** (ROOM_DB / 20) * np.random.default_rng(1).standard_normal(speech.size)


def spoilt(speech: Mono, seed: int, *, other: bool) -> Iterator[Spoilt]:
    """Each fault on one stretch of talk. other : rooms, noises, thumps and codecs of the second kind."""
    rng = np.random.default_rng([seed, int(other)])
    yield Spoilt("good", speech, speech, {})
    for over in (0, 10, 20):
        yield Spoilt("noise", speech + at(over, fan(rng, speech.size, other)), speech, {"noise": 100})
        yield Spoilt("noise", speech + at(over, hiss(rng, speech.size, other)), speech, {"noise": 100})
        yield Spoilt("hum", speech + at(over, hum(rng, speech.size)), speech, {"hum": 100})
    for seconds in (0.3, 0.5, 0.8):
        answer = (images if other else tail)(rng, seconds)
        clean = oaconvolve(speech, answer[:EARLY])[: speech.size]
        yield Spoilt("room", oaconvolve(speech, answer)[: speech.size], clean, {"reverb": 100})
    yield Spoilt("clicks", clicked(rng, speech, other), speech, {"clicks": 100})
    yield Spoilt("clipping", np.clip(speech * 4, -0.4, 0.4) / 4, speech, {"clipping": 100})
    yield Spoilt("thumps", struck(rng, speech, other), speech, {"plosives": 100})
    yield Spoilt("sharp s", sharp(speech, 1.8 if other else 1.4), speech, {"sibilance": 100})
    narrow = sosfiltfilt(butter(6, (300, 3400), "band", fs=RATE, output="sos"), speech)
    yield Spoilt("call", through_call(narrow + at(18, hiss(rng, speech.size, other)), other), narrow, {"noise": 100})
    for seconds in (1.5, 3.0):
        answer = tail(rng, seconds)
        clean = oaconvolve(speech, answer[:EARLY])[: speech.size]
        yield Spoilt("church", oaconvolve(speech, answer)[: speech.size], clean, {"reverb": 100})


def at(over_db: float, noise: Mono) -> Mono:
    """Noise whose power lies so many dB under the talk."""
    return noise * 10 ** ((SPEECH_DB - over_db) / 20) / np.sqrt((noise**2).mean())


def coloured(rng: np.random.Generator, frames: int, per_octave_db: float) -> Mono:
    spectrum = np.fft.rfft(rng.standard_normal(frames))
    hz = np.fft.rfftfreq(frames, 1 / RATE)
    return np.asarray(np.fft.irfft(spectrum * np.maximum(hz, 40) ** (per_octave_db / 6.02), frames))


def fan(rng: np.random.Generator, frames: int, other: bool) -> Mono:
    t = np.arange(frames) / RATE
    air = coloured(rng, frames, rng.uniform(-5, -2) if other else -4)
    blades = sum(rng.uniform(0.1, 0.4) / k * np.sin(2 * np.pi * k * rng.uniform(80, 200) * t) for k in range(1, 6))
    return np.asarray((air / air.std() + 0.3 * blades) * (1 + 0.1 * np.sin(2 * np.pi * rng.uniform(0.2, 1) * t)))


def hiss(rng: np.random.Generator, frames: int, other: bool) -> Mono:
    return coloured(rng, frames, rng.uniform(-1, 3) if other else 0.5)


def hum(rng: np.random.Generator, frames: int) -> Mono:
    t, hz = np.arange(frames) / RATE, rng.choice([50, 60]) + rng.uniform(-0.05, 0.05)
    return np.asarray(sum(rng.uniform(0.3, 1) / k * np.sin(2 * np.pi * k * hz * t + k) for k in range(1, 15)))


def tail(rng: np.random.Generator, seconds: float) -> Mono:
    """A room as noise that dies away behind the direct sound."""
    t = np.arange(round(seconds * RATE)) / RATE
    answer = rng.standard_normal(t.size) * np.exp(-6.91 * t / seconds)
    answer[: RATE // 300] = 0
    answer *= 10 ** (-rng.uniform(0, 6) / 20) / np.sqrt((answer**2).sum())
    answer[0] = 1
    return np.asarray(answer)


def images(rng: np.random.Generator, seconds: float) -> Mono:
    """A room as a box with mirrors for walls (Allen & Berkley, JASA 65 (1979)), direct sound first."""
    size = rng.uniform((2.6, 2.2, 2.3), (7, 6, 3.2))  # metres
    voice = rng.uniform(0.3, 0.7, 3) * size
    microphone = np.clip(voice + rng.uniform(0.2, 0.5, 3) * rng.choice([-1, 1], 3), 0.1, size - 0.1)
    surface = 2 * (size[0] * size[1] + size[0] * size[2] + size[1] * size[2])
    kept = np.sqrt(max(1 - 0.161 * size.prod() / (surface * seconds), 0.02))
    answer = np.zeros(round(seconds * RATE))
    for cell in product(range(-10, 11), repeat=3):
        for mirrored in product((0, 1), repeat=3):
            place = (1 - 2 * np.array(mirrored)) * voice + 2 * np.array(cell) * size
            away = float(np.linalg.norm(place - microphone))
            frame = round(away / 343 * RATE)
            if frame < answer.size:
                answer[frame] += kept ** np.abs(2 * np.array(cell) - mirrored).sum() / away
    first = int(np.argmax(answer > 0))
    return np.asarray(np.pad(answer[first:] / answer[first], (0, first)))


def clicked(rng: np.random.Generator, speech: Mono, other: bool) -> Mono:
    out = speech.copy()
    for place in np.cumsum(rng.exponential(1.2, 40) + 0.2):
        first, size = round(place * RATE), round(rng.uniform(0.0015, 0.005) * RATE)
        if first + size < out.size:
            t = np.arange(size) / RATE
            ring = np.sin(2 * np.pi * rng.uniform(1500, 6000) * t) * np.exp(-t / 0.0008)
            sound = rng.standard_normal(size) * np.hanning(size) if other else ring
            out[first : first + size] += sound / np.abs(sound).max() * rng.uniform(0.04, 0.12)
    return out


def struck(rng: np.random.Generator, speech: Mono, other: bool) -> Mono:
    out = speech.copy()
    for place in np.arange(1.0, speech.size / RATE - 0.3, 2.3):
        t = np.arange(round(0.13 * RATE)) / RATE
        hz = rng.uniform(30, 75) if other else 60 - 250 * t
        ends = np.minimum(np.minimum(t, t[-1] - t) * 100, 1)
        thump = np.sin(2 * np.pi * hz * t) * np.exp(-t * rng.uniform(20, 40)) * ends
        out[round(place * RATE) : round(place * RATE) + t.size] += thump * rng.uniform(0.15, 0.4)
    return out


def sharp(speech: Mono, times: float) -> Mono:
    """Every s louder: what lies between 5 and 10 kHz, wherever that outweighs the voice."""
    high, low = (
        sosfiltfilt(butter(4, band, "band", fs=RATE, output="sos"), speech) for band in ((5000, 10_000), (200, 3000))
    )
    cells = speech.size // 480
    power = [(band[: cells * 480].reshape(-1, 480) ** 2).mean(axis=1) for band in (high, low)]
    hissing = np.convolve(np.repeat((power[0] > power[1]) * 1.0, 480), np.hanning(480) / 240, "same")
    return speech + times * high * np.pad(hissing, (0, speech.size - hissing.size))


def through_call(sound: Mono, other: bool) -> Mono:
    """A telephone's codec: G.711 in steps by the logarithm, or GSM 06.10."""
    narrow = soxr.resample(sound, RATE, 8000)
    file = io.BytesIO()
    soundfile.write(file, np.clip(narrow, -1, 1), 8000, format="WAV", subtype="GSM610" if other else "ULAW")
    file.seek(0)
    out = soxr.resample(soundfile.read(file)[0][: narrow.size], 8000, RATE)
    return np.asarray(np.pad(out, (0, max(sound.size - out.size, 0)))[: sound.size])
