"""Conversations put together from the sample's dry lines, recorded at both ends and through a call: truth is known."""

import json
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import soundfile
import soxr
from scipy.signal import butter, oaconvolve, sosfilt

from pampa.core.sync.features import WORK_RATE
from pampa.demo.assemble import VOICES

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


def double_ender(seconds=180, seed=1, *, offset_s=4.7, drift_ppm=38.0, delay_s=0.18, noise_db=-50, echo_s=0.0,
                 jump=None, share=0.5, bleed=0.02):  # fmt: skip
    """The second person's local recording against the call. Positive drift: the local clock runs slow.

    jump : (at seconds, by seconds): from there on, the call is later by so much.
    """
    rng = np.random.default_rng(seed + 1000)
    sides = conversation(seconds, seed, share=share)
    narrow = sosfilt(butter(4, [300, 3300], "bandpass", fs=RATE, output="sos"), sides[1])
    if echo_s:
        t = np.arange(round(echo_s * RATE)) / RATE
        narrow = (
            narrow
            + 0.8 * oaconvolve(narrow, rng.standard_normal(t.size) * 10 ** (-3 * t / echo_s) * 0.05)[: narrow.size]
        )
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
    level = 10 ** (noise_db / 20)
    return Case(
        at_work_rate(call + level * rng.standard_normal(call.size)),
        at_work_rate(local + level * rng.standard_normal(local.size)),
        offset_s + delay_s,
        drift_ppm,
    )


def at_work_rate(sound):
    return soxr.resample(sound, RATE, WORK_RATE, quality="HQ").astype(np.float32)
