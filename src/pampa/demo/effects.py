"""Sounds of the port: fog signal, gulls, a rope, a launch's engine. Mono, 44.1 kHz."""

import numpy as np

from pampa.demo.synthesis import (
    RATE,
    Mono,
    band,
    coloured_noise,
    eased,
    frames_of,
    in_room,
    levelled,
    mixed_in,
    room,
)


def fog_signal(seed: int = 1) -> Mono:
    """One long low blast over water, and its echo from the quay."""
    rng = np.random.default_rng(seed)
    t = np.arange(frames_of(7.0)) / RATE
    phase = 2 * np.pi * 118 * t * (1 - 0.004 * np.clip(t - 3.2, 0, 1))
    horn = sum(np.sin(k * phase + k) / k**1.1 for k in range(1, 14))
    blast = band(horn * eased(t.size, 0.35, 0.5) * (t < 4.0), 60, 1400)
    blast[frames_of(3.6) : frames_of(4.0)] *= np.linspace(1, 0, frames_of(4.0) - frames_of(3.6))
    out = in_room(blast, room(rng, 2.6, level=0.6))
    mixed_in(out, band(blast, None, 500) * 0.25, frames_of(0.9))
    return levelled(out, -8.0)


def gulls(seed: int = 2) -> Mono:
    """Three gulls somewhere above the harbour wall."""
    rng = np.random.default_rng(seed)
    out = np.zeros(frames_of(8.0))
    for start in (0.3, 1.1, 1.7, 3.4, 3.9, 4.3, 4.65, 6.2):
        length = rng.uniform(0.28, 0.5)
        t = np.arange(frames_of(length)) / RATE
        bend = np.sin(np.pi * np.clip(t / length, 0, 1)) ** 0.6
        hz = rng.uniform(900, 1150) + 650 * bend
        phase = 2 * np.pi * np.cumsum(hz) / RATE
        cry = sum(np.sin(k * phase) * level for k, level in ((1, 0.5), (2, 1.0), (3, 0.55), (4, 0.3)))
        cry *= eased(t.size, 0.03, 0.12) * (1 + 0.25 * np.sin(2 * np.pi * 34 * t))
        mixed_in(out, cry, frames_of(start), rng.uniform(0.3, 1.0))
    out = in_room(out, room(rng, 1.8, level=0.5))
    out += 0.02 * coloured_noise(rng, out.size, 3.0)
    return levelled(out * eased(out.size, 0.4, 1.0), -12.0)


def rope(seed: int = 3) -> Mono:
    """A wet rope that takes the strain: stick and slip, ever faster."""
    rng = np.random.default_rng(seed)
    out = np.zeros(frames_of(3.0))
    at = 0.15
    while at < 2.6:
        t = np.arange(frames_of(0.03)) / RATE
        ring = np.sin(2 * np.pi * rng.uniform(260, 420) * t) + 0.5 * np.sin(2 * np.pi * rng.uniform(700, 1100) * t)
        mixed_in(out, ring * np.exp(-t * 160) + 0.2 * rng.standard_normal(t.size) * np.exp(-t * 300), frames_of(at),
                 rng.uniform(0.4, 1.0) * np.sin(np.pi * at / 2.8))  # fmt: skip
        at += rng.uniform(0.012, 0.05) * (1.6 - at / 2.6)
    return levelled(in_room(band(out, 150, 5000), room(rng, 0.5, level=0.3)), -12.0)


def engine(seed: int = 4) -> Mono:
    """The pilot boat's diesel at slow ahead, as heard on deck."""
    rng = np.random.default_rng(seed)
    frames = frames_of(10.0)
    t = np.arange(frames) / RATE
    speed = 13.5 + 0.25 * np.sin(2 * np.pi * 0.18 * t)
    firing = np.maximum(np.sin(2 * np.pi * np.cumsum(speed) / RATE), 0) ** 6
    body = sum(np.sin(2 * np.pi * np.cumsum(speed) / RATE * k + k * k) / k for k in (2, 3, 4, 6, 8, 12))
    knock = band(firing * rng.standard_normal(frames), 180, 1600)
    wash = band(coloured_noise(rng, frames, 4.0), 100, 4000) * (0.7 + 0.3 * np.sin(2 * np.pi * 0.11 * t))
    out = 0.5 * body + 1.2 * knock + 0.35 * wash
    return levelled(band(out, 35, None) * eased(frames, 1.2, 1.8), -10.0)
