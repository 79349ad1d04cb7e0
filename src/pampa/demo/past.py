"""Earlier episodes of the sample show, of which only is kept what everybody sounded like: heard in made recordings."""

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
import scipy
import soundfile
import soxr

from pampa.core.loudness import measure_source
from pampa.core.sound import ArraySource
from pampa.core.speech.level import COMMON_LEVEL_LUFS
from pampa.core.voice.heard import heard_in
from pampa.core.voice.likeness import Likeness, likeness_of
from pampa.demo.synthesis import Mono, coloured_noise, in_room, room

RATE = 48_000
SEED = 1207
EXCERPT_S = 60
MARISOL, ANDERS = "Marisol Vey", "Anders Quill"


@dataclass(frozen=True)
class Taken:
    """How a voice was recorded and set.

    level_lu : over the common level. tilt_db : what each octave has more of than the one below. ring_s, room_db : of
    the room.
    """

    person: str
    level_lu: float = 0.0
    tilt_db: float = 0.0
    ring_s: float = 0.16
    room_db: float = -66.0


PAST = (
    (6, "Springs and Neaps", (Taken(MARISOL), Taken(ANDERS, -0.6, -0.4, 0.3, -60))),
    (7, "The Lock Keeper's Year", (Taken(MARISOL, 0.4, 0.2),)),
    (8, "Night Buoys", (Taken(MARISOL, -0.2, -0.3),)),
    (9, "Low Water", (Taken(MARISOL, -4.5, -1.6, 0.9, -50), Taken(ANDERS, 0.2, 0.3, 0.25, -62))),
    (10, "What the Gauge Says", (Taken(MARISOL, 0.1, 0.4),)),
)
"""Number, title and who is in it. In episode 9 the host sat far from a microphone in a hall."""


def write_past(folder: Path, lines: list[dict[str, Any]], voices: Path) -> None:
    """Keep, beside the sample's recordings, each earlier episode's number, title and people with their likenesses."""
    kept = [
        {"number": number, "title": title,
         "people": {each.person: asdict(_likeness(each, number, lines, voices)) for each in people}}
        for number, title, people in PAST
    ]  # fmt: skip
    (folder / "past.json").write_text(json.dumps(kept))


def _likeness(taken: Taken, number: int, lines: list[dict[str, Any]], voices: Path) -> Likeness:
    rng = np.random.default_rng([SEED, 9, number, taken.person == ANDERS])
    own = [line for line in lines if line["speaker"] == taken.person]
    sound = _tilted(_excerpt(own[number % 5 :], voices), taken.tilt_db)
    sound = in_room(sound, room(rng, taken.ring_s, rate=RATE, level=0.15 if taken.ring_s < 0.5 else 0.4))
    sound = sound + 10 ** (taken.room_db / 20) * coloured_noise(rng, sound.size, 3.0)
    source = ArraySource(sound[:, None].astype(np.float32))
    energy = measure_source(source).energy
    heard = heard_in(source, energy)
    plain = likeness_of(heard, energy, 0.0, 0.0)
    assert plain.speech_lufs is not None
    return likeness_of(heard, energy, COMMON_LEVEL_LUFS + taken.level_lu - plain.speech_lufs, taken.level_lu)


def _excerpt(lines: list[dict[str, Any]], voices: Path) -> Mono:
    parts: list[Mono] = []
    for line in lines:
        sound, rate = soundfile.read(voices / line["file"])
        parts += [soxr.resample(sound, rate, RATE), np.zeros(RATE // 2)]
        if sum(part.size for part in parts) > EXCERPT_S * RATE:
            break
    return np.concatenate(parts)


def _tilted(sound: Mono, tilt_db: float) -> Mono:
    size = scipy.fft.next_fast_len(sound.size, real=True)
    hz = np.maximum(scipy.fft.rfftfreq(size, 1 / RATE), 60)
    spectrum = scipy.fft.rfft(sound, size) * 10 ** (tilt_db * np.log2(hz / 1000) / 20)
    tilted: Mono = scipy.fft.irfft(spectrum, size)[: sound.size]
    return tilted
