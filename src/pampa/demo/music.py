"""The show's music: a theme of 45 s at 92 bpm with a start and an ending, a bed and a sting. Stereo, 44.1 kHz."""

import numpy as np
from numpy.typing import NDArray

from pampa.demo.synthesis import (
    RATE,
    band,
    eased,
    frames_of,
    in_room,
    levelled,
    mixed_in,
    note_hz,
    pad,
    plucked,
    room,
)  # fmt: skip

BPM = 92.0
BEAT = 60 / BPM
BAR = 4 * BEAT
CHORDS = (
    ("D2", ("D3", "A3", "F#4", "A4")), ("B1", ("B2", "F#3", "D4", "F#4")),
    ("G1", ("G2", "D3", "B3", "D4")), ("A1", ("A2", "E3", "C#4", "E4")),
)  # fmt: skip
MELODY = ((0, "F#5", 1.5), (1.5, "E5", 0.5), (2, "D5", 2), (4, "D5", 1), (5, "C#5", 1), (6, "B4", 2),
          (8, "B4", 1.5), (9.5, "D5", 0.5), (10, "G5", 2), (12, "E5", 1.5), (13.5, "F#5", 0.5),
          (14, "E5", 2))  # fmt: skip

Stereo = NDArray[np.float64]
"""Shape (frames, 2)."""


def theme(seed: int = 12) -> Stereo:
    """Sixteen bars and a last chord that rings out."""
    rng = np.random.default_rng(seed)
    out = np.zeros((frames_of(45.0), 2))
    for bar in range(16):
        bass, tones = CHORDS[bar % 4]
        at = bar * BAR
        _add(out, pad(note_hz(tones[0]), BAR + 0.6) + pad(note_hz(tones[2]), BAR + 0.6), at, 0.16, 0.0)
        _add(out, plucked(note_hz(bass), BAR * 0.9, bright=0.6), at, 0.55, 0.0)
        if bar >= 1:
            _arpeggio(out, tones, at, rng, level=0.22 if bar < 4 else 0.3)
        if bar >= 2:
            _pulse(out, at, rng)
    for repeat in range(3):
        for beat, name, length in MELODY:
            _add(
                out,
                plucked(note_hz(name), length * BEAT + 0.9, bright=0.8),
                (4 + 4 * repeat) * BAR + beat * BEAT,
                0.34,
                0.18,
            )
    end = 16 * BAR
    for index, name in enumerate(("D2", "D3", "A3", "D4", "F#4", "A4", "D5")):
        _add(out, plucked(note_hz(name), 45.0 - end, bright=0.75), end + 0.03 * index, 0.4, (index - 3) * 0.12)
    return _finished(out, rng, -4.0)


def bed(seed: int = 21, seconds: float = 30.0) -> Stereo:
    """Held chords with a quiet pulse, made to lie under a voice: nothing between 1 and 4 kHz speaks up."""
    rng = np.random.default_rng(seed)
    out = np.zeros((frames_of(seconds), 2))
    for bar in range(int(seconds / BAR) + 1):
        _, tones = CHORDS[(bar // 2) % 4]
        if bar % 2 == 0:
            for index, name in enumerate(tones[:3]):
                _add(out, pad(note_hz(name), 2 * BAR + 0.5), bar * BAR, 0.2, (index - 1) * 0.4)
        for beat in range(4):
            _add(
                out,
                plucked(note_hz(tones[beat % 3]), 1.2, bright=0.45),
                bar * BAR + beat * BEAT,
                0.14,
                0.3 - 0.2 * beat,
            )
    out *= eased(len(out), 0.6, 2.5)[:, None]
    return _finished(out, rng, -10.0)


def sting(seed: int = 33) -> Stereo:
    """Four rising notes and a chord: three seconds that say that something begins."""
    rng = np.random.default_rng(seed)
    out = np.zeros((frames_of(3.4), 2))
    for index, name in enumerate(("D4", "F#4", "A4", "D5")):
        _add(out, plucked(note_hz(name), 2.6, bright=0.8), index * BEAT / 4, 0.5, -0.3 + 0.2 * index)
    _add(out, plucked(note_hz("D2"), 2.6, bright=0.7), BEAT, 0.7, 0.0)
    _add(out, pad(note_hz("A3"), 2.2), BEAT, 0.25, 0.0)
    return _finished(out, rng, -5.0)


def _arpeggio(out: Stereo, tones: tuple[str, ...], at: float, rng: np.random.Generator, level: float) -> None:
    for eighth in range(8):
        name = tones[(0, 1, 2, 3, 2, 1, 3, 2)[eighth]]
        late = rng.normal(0, 0.004)
        _add(out, plucked(note_hz(name), 1.1, bright=0.7), max(at + eighth * BEAT / 2 + late, 0.0),
             level * (1.0 if eighth % 2 == 0 else 0.75), -0.35 + 0.1 * eighth)  # fmt: skip


def _pulse(out: Stereo, at: float, rng: np.random.Generator) -> None:
    """A soft drum on every beat and a shaker between."""
    t = np.arange(frames_of(0.22)) / RATE
    drum = np.sin(2 * np.pi * (52 * t + 3.2 * (1 - np.exp(-t * 38)))) * np.exp(-t * 17)
    for beat in range(4):
        _add(out, drum, at + beat * BEAT, 0.5 if beat % 2 == 0 else 0.32, 0.0)
        for half in (0.0, 0.5):
            shake = band(rng.standard_normal(frames_of(0.07)), 5000, 12000) * eased(frames_of(0.07), 0.012, 0.05)
            _add(out, shake, at + (beat + half) * BEAT, 0.035 if half else 0.02, 0.25)


def _add(out: Stereo, sound: NDArray[np.float64], at_s: float, gain: float, pan: float) -> None:
    """Add a mono sound at a place between left (-1) and right (1), with constant power."""
    angle = (pan + 1) * np.pi / 4
    at = frames_of(at_s)
    for side, share in enumerate((np.cos(angle), np.sin(angle))):
        mixed_in(out[:, side], sound, at, gain * share)


def _finished(out: Stereo, rng: np.random.Generator, peak_dbfs: float) -> Stereo:
    """A little of a hall around it, and its level."""
    for side in range(2):
        out[:, side] = in_room(out[:, side], room(rng, 1.3, level=0.22))
    last = frames_of(0.15)
    out[-last:] *= np.linspace(1, 0, last)[:, None]
    return levelled(np.tanh(out * 0.9), peak_dbfs)
