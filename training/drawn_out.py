"""Fillers and humming as long as people say them: engines that speak a sentence in one go make an uh of 0.05 s.

Um and uh last 0.3 to 0.4 s where they are spoken by people, and hardly ever under 0.12; an mm-hm longer. Sound is
drawn out by overlap and add at places that are alike (Verhelst & Roelands, ICASSP 1993); before and after nothing
changes.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from training.engines import RATE, Said
from training.scripts import AGREE_SIGNS

Mono = NDArray[np.float32]
HOP, REACH = 160, 110
USUAL_S, HUMMED_S, SPREAD, SHORTEST_S, LONGEST_S, MOST = 0.33, 0.5, 0.4, 0.14, 0.75, 4.0
AS_SAID = 0.25
"""The share of those that are long enough which stay as they are."""


def with_long_fillers(rng: np.random.Generator, said: Said) -> Said:
    """The same with each filler, and each noise of agreement, as long as one may be."""
    for number, (kind, text, start, stop) in enumerate(said.runs):
        long = stop - start
        usual = HUMMED_S if text in AGREE_SIGNS else USUAL_S if kind == "filler" else None
        if usual is None or long <= 0.02 or (long > SHORTEST_S and rng.random() < AS_SAID):
            continue
        wanted = float(np.clip(usual * np.exp(rng.normal(0, SPREAD)), SHORTEST_S, LONGEST_S))
        if wanted > 1.1 * long:
            said = drawn_out(said, *said.runs[number][2:], min(wanted / long, MOST))
    return said


def drawn_out(said: Said, start: float, stop: float, times: float) -> Said:
    """The same with what lies between two seconds so many times as long."""

    def later(at: float) -> float:
        return at + (times - 1) * (min(max(at, start), stop) - start)

    sound = said.sound
    count = sound.size + round((stop - start) * (times - 1) * RATE)
    padded = np.pad(sound, (HOP + REACH, 3 * HOP + REACH))
    first, window = HOP + REACH, np.hanning(2 * HOP + 1)[:-1].astype(np.float32)
    out = np.zeros(count + 3 * HOP, np.float32)
    knots = np.array([0, later(start), later(stop), count / RATE]), np.array([0, start, stop, sound.size / RATE])
    at = -HOP
    for when in range(-HOP, count, HOP):
        if when > -HOP:
            aim = round(float(np.interp(when / RATE, *knots)) * RATE) if when >= 0 else when
            at = _alike(padded, at + HOP + first, min(aim, sound.size) + first) - first
        piece = padded[at + first : at + first + 2 * HOP] * window
        out[when + HOP : when + 3 * HOP] += piece
    return replace(
        said,
        sound=out[HOP : HOP + count],
        runs=[(kind, text, later(a), later(b)) for kind, text, a, b in said.runs],
        phones=[(phone, later(a), later(b)) for phone, a, b in said.phones],
    )


def _alike(sound: Mono, goes_on: int, aim: int) -> int:
    """The place near an aim whose sound is most like what would have gone on."""
    if abs(goes_on - aim) <= REACH // 4:
        return goes_on
    model = sound[goes_on : goes_on + 2 * HOP]
    around = sound[aim - REACH : aim + REACH + 2 * HOP]
    if model.size < 2 * HOP or around.size < 2 * HOP + 2 * REACH:
        return aim
    power = np.convolve(around**2, np.ones(2 * HOP, np.float32), "valid")
    likeness = np.correlate(around, model, "valid") / np.sqrt(power + 1e-9)
    return aim - REACH + int(likeness.argmax())
