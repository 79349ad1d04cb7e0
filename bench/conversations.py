"""Conversations put together from the sample's dry lines, recorded at both ends and through a call: truth is known."""

import json
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import soundfile
import soxr
from scipy.signal import oaconvolve

from pampa.core.sync.features import WORK_RATE
from pampa.demo.assemble import VOICES
from pampa.demo.synthesis import band

RATE = 16_000


@lru_cache
def lines(speaker):
    """All lines of a speaker at 16 kHz."""
    found = json.loads((VOICES / "lines.json").read_text())
    sounds = [soundfile.read(VOICES / line["file"]) for line in found if line["speaker"].startswith(speaker)]
    return [soxr.resample(sound, rate, RATE) for sound, rate in sounds]


def conversation(seconds, seed, *, share=0.5):
    """Two people who take turns; the second has `share` of the turns. No line is said twice at the same speed."""
    rng = np.random.default_rng(seed)
    sides = np.zeros((2, round(seconds * RATE)))
    at = round(rng.uniform(1, 3) * RATE)
    while at < sides.shape[1] - 15 * RATE:
        who = int(rng.random() < share)
        spoken = lines(("Marisol", "Anders")[who])
        line = spoken[rng.integers(len(spoken))] * rng.uniform(0.5, 1.0)
        line = soxr.resample(line, RATE, RATE * rng.uniform(0.88, 1.14), quality="MQ")
        sides[who, at : at + len(line)] += line[: sides.shape[1] - at]
        at += len(line) + round(rng.uniform(-0.3, 1.2) * RATE)
    return sides


@dataclass(frozen=True)
class Case:
    """What two people at two ends recorded, at WORK_RATE, and what is true about the second's recording."""

    reference: np.ndarray
    local: np.ndarray
    offset_s: float
    drift_ppm: float
    breaks: tuple[tuple[float, float], ...] = ()
    call_jump_s: float = 0.0


def double_ender(seconds=180, seed=1, *, offset_s=4.7, drift_ppm=38.0, delay_s=0.18, noise_db=-50, echo_s=0.0,
                 jump=None, stop=None, share=0.5, bleed=0.02, codec_hz=None):  # fmt: skip
    """The second person's local recording against the call. Positive drift: the local clock runs slow.

    jump : (at seconds, by seconds): from there on, the call is later by so much.
    stop : (at seconds of the local recording, seconds): there the recorder stopped for so long.
    codec_hz : a starved codec lets no more through than this, in steps of 20 ms that come and go.
    """
    rng = np.random.default_rng(seed + 1000)
    sides = conversation(seconds, seed, share=share)
    narrow = band(sides[1], 300, 3300, rate=RATE, order=4)
    if echo_s:
        t = np.arange(round(echo_s * RATE)) / RATE
        narrow = (
            narrow
            + 0.8 * oaconvolve(narrow, rng.standard_normal(t.size) * 10 ** (-3 * t / echo_s) * 0.05)[: narrow.size]
        )
    if codec_hz:
        narrow = band(narrow, None, codec_hz, rate=RATE, order=6)
        frames = narrow[: narrow.size // 320 * 320].reshape(-1, 320)
        frames *= rng.choice([1.0, 0.5, 0.1], (len(frames), 1), p=[0.8, 0.12, 0.08])
    squeezed = np.sign(narrow) * np.abs(narrow) ** 0.6
    call = np.roll(0.5 * squeezed, round(delay_s * RATE)) + 0.4 * sides[0]
    if jump:
        at, by = round(jump[0] * RATE), round(jump[1] * RATE)
        call[at:] = np.concatenate([np.zeros(by), call[at : len(call) - by]])
    local = sides[1] + bleed * sides[0]
    if offset_s > 0:
        local = local[round(offset_s * RATE) :]
    else:
        local = np.concatenate([np.zeros(round(-offset_s * RATE)), local])
    local = soxr.resample(local, RATE, RATE / (1 + drift_ppm * 1e-6), quality="VHQ")
    if stop:
        first, last = round(stop[0] * RATE), round(sum(stop) * RATE)
        local = np.concatenate([local[:first], local[last:]])
    level = 10 ** (noise_db / 20)
    return Case(
        at_work_rate(call + level * rng.standard_normal(call.size)),
        at_work_rate(local + level * rng.standard_normal(local.size)),
        offset_s + delay_s,
        drift_ppm,
        (stop,) if stop else (),
        jump[1] if jump else 0.0,
    )


def at_work_rate(sound):
    return soxr.resample(sound, RATE, WORK_RATE, quality="HQ").astype(np.float32)


def in_one_room(seconds=180, seed=1, *, offset_s=2.3, drift_ppm=12.0, apart_db=-14.0):
    """Two microphones that hear each other, no call: each has its own person, and the other a little later."""
    rng = np.random.default_rng(seed + 2000)
    one, other = conversation(seconds, seed)
    bleed = 10 ** (apart_db / 20)
    near = one + bleed * np.roll(other, round(0.004 * RATE))
    far = other + bleed * np.roll(one, round(0.004 * RATE))
    far = soxr.resample(far[round(offset_s * RATE) :], RATE, RATE / (1 + drift_ppm * 1e-6), quality="VHQ")
    noise = 10 ** (-55 / 20)
    return Case(
        at_work_rate(near + noise * rng.standard_normal(near.size)),
        at_work_rate(far + noise * rng.standard_normal(far.size)),
        offset_s,
        drift_ppm,
    )


def with_claps(seconds=180, seed=1, *, offset_s=3.4, drift_ppm=20.0, count=2):
    """Two people who do not hear each other, and who clap together at the start and at the end."""
    rng = np.random.default_rng(seed + 3000)
    sides = 0.5 * conversation(seconds, seed)
    decay = np.exp(-np.arange(round(0.08 * RATE)) / (0.012 * RATE))
    places = [12.0, 13.1, seconds - 14.0, seconds - 12.6][: 2 * count]
    for at in places:
        for side in sides:
            first = round(at * RATE)
            side[first - RATE : first + RATE] *= 0.02
            side[first : first + decay.size] += 0.8 * decay * rng.standard_normal(decay.size)
    local = soxr.resample(sides[1, round(offset_s * RATE) :], RATE, RATE / (1 + drift_ppm * 1e-6), quality="VHQ")
    noise = 10 ** (-60 / 20)
    return Case(
        at_work_rate(sides[0] + noise * rng.standard_normal(sides[0].size)),
        at_work_rate(local + noise * rng.standard_normal(local.size)),
        offset_s,
        drift_ppm,
    )
