"""The sound of a piece that was fitted to a length: its stretches joined, and its middle a little faster or slower."""

import numpy as np

from pampa.core.mix.stretch import HOP, stretch
from pampa.core.music.fit import Way
from pampa.core.sound import ArraySource, FloatArray, Source, to_mono

FADE_S, SLOW_FADE_S = 0.03, 0.25
"""A jump crosses over right before its beat, so that what is struck stays whole; without beats there is time."""
SEARCHED_S = 0.008
"""How far the place where a jump lands may be moved, so that both waves agree."""
ALIKE = 0.5


def fitted(source: Source, way: Way, frames: int, *, steady: bool = True) -> FloatArray:
    """The piece as `way` plays it, shape (frames, channels). steady : whether it has beats."""
    fade = round((FADE_S if steady else SLOW_FADE_S) * source.rate)
    joined = _joined(source, way, fade)
    if len(way.stretches) == 1 and abs(len(joined) - frames) <= 1:
        return source.read(0, frames)
    head, tail = (round(seconds * source.rate) for seconds in way.kept_s)
    return _with_middle(joined, head, tail, frames, round(FADE_S * source.rate))


def _joined(source: Source, way: Way, fade: int) -> FloatArray:
    """All stretches, one after another."""
    edges = [(round(start * source.rate), round(stop * source.rate)) for start, stop in way.stretches]
    parts: list[FloatArray] = []
    shift = 0
    for n, (start, stop) in enumerate(edges):
        start, last = start + shift, n == len(edges) - 1
        length = min(fade, stop - start)
        if last:
            parts.append(source.read(start, source.frames if stop >= source.frames - 1 else stop))
            continue
        to = edges[n + 1][0]
        shift = _agreeing(source, stop, to, length)
        parts.append(source.read(start, stop - length))
        going, coming = source.read(stop - length, stop), source.read(to + shift - length, to + shift)
        parts.append(_crossed(going, coming))
    return np.concatenate(parts)


def _agreeing(source: Source, leaves: int, lands: int, length: int) -> int:
    """By how many frames a jump lands later, so that its wave fits the one it leaves best."""
    reach = min(round(SEARCHED_S * source.rate), max(lands - length, 0))
    going = to_mono(source.read(leaves - length, leaves))
    field = to_mono(source.read(lands - length - reach, lands + reach))
    if not reach or not going.any():
        return 0
    likeness = np.correlate(field, going, "valid")
    total = np.concatenate([[0.0], np.cumsum(field.astype(np.float64) ** 2)])
    energy = total[length:] - total[:-length]
    return int(np.argmax(likeness / np.sqrt(energy + 1e-9))) - reach


def _crossed(going: FloatArray, coming: FloatArray) -> FloatArray:
    """One sound into the other: even in amplitude where they are alike, in power where they are not."""
    share = (np.arange(len(going), dtype=np.float32)[:, None] + 0.5) / max(len(going), 1)
    a, b = to_mono(going), to_mono(coming)
    size = float(np.linalg.norm(a) * np.linalg.norm(b))
    alike = size > 0 and float(a @ b) / size > ALIKE
    rising = np.sin(share * np.float32(np.pi / 2))
    falling = np.cos(share * np.float32(np.pi / 2))
    return going * (falling**2 if alike else falling) + coming * (rising**2 if alike else rising)


def _with_middle(sound: FloatArray, head: int, tail: int, frames: int, fade: int) -> FloatArray:
    """Of `frames` frames: the first `head` and the last `tail` as they are, what lies between stretched to fit."""
    middle, wanted = len(sound) - head - tail, frames - head - tail
    if middle == wanted:
        return sound
    fade = min(fade, head, tail, max(middle, 0))
    made = _stretched(sound, head, middle, wanted)
    out = np.concatenate([sound[:head], made, sound[len(sound) - tail :]])
    at = len(sound) - tail
    going, coming = out[head + wanted - fade : head + wanted], sound[at - fade : at]
    out[head + wanted - fade : head + wanted] = _crossed(going, coming)
    return out


def _stretched(sound: FloatArray, start: int, middle: int, wanted: int) -> FloatArray:
    """`middle` frames from `start` in `wanted` frames, with their pitch."""
    if wanted <= 0:
        return sound[:0]
    hops = -(-wanted // HOP) + 1
    made, _, _ = stretch(ArraySource(sound), start=start, hops=hops, speed=middle / wanted, tail=start - HOP)
    return made[:wanted]
