"""`pampa beats` and `pampa fit`: where music beats, and made to last as long as asked."""

import json
import os
from pathlib import Path

import numpy as np

from pampa.cli.writing import format_for, write
from pampa.core.deliver.formats import Format
from pampa.core.executor import Threads
from pampa.core.music.bars import bar_starts, bars_of
from pampa.core.music.beats import Beats, beats_of
from pampa.core.music.fit import Way, way_of_length
from pampa.core.music.fitted import fitted
from pampa.core.music.onsets import Onsets, onsets_of
from pampa.core.sound import RATE
from pampa.one_file.reading import decoded

Bars = tuple[int, int] | None


def tell_beats(path: Path, *, as_json: bool) -> int:
    """Print tempo, beats and bars of one file; without a beat they are none."""
    _, beats, bars = _heard(path)
    if as_json:
        told = {"bpm": None if beats.bpm is None else round(beats.bpm, 2)}
        for name, seconds in (("beats_s", beats.beats_s), ("bars_s", bar_starts(beats, bars))):
            told[name] = [round(float(each), 3) for each in seconds]  # type: ignore[assignment]
        print(json.dumps({**told, "beats_in_bar": bars[0] if bars else None}))
    elif beats.bpm is None:
        print(f"{path.name}: no steady beat is heard.")
    else:
        in_bars = f", bars of {bars[0]} from {bar_starts(beats, bars)[0]:.2f} s on" if bars else ""
        print(f"{path.name}: {beats.bpm:.1f} beats a minute, {beats.beats_s.size} beats{in_bars}.")
    return 0


def fit_file(path: Path, out: Path, length_s: float, *, as_json: bool) -> int:
    """Make music last as long as asked. Ends with 0; what is not possible raises, and says what is."""
    onsets, beats, bars = _heard(path)
    chosen: list[Format] = []

    def rate_of(rate: int, channels: int) -> int:
        fmt, rate = format_for(out, rate=rate, channels=channels, sources=[path])
        chosen.append(fmt)
        return rate

    with decoded(path, rate=rate_of) as music:
        way = way_of_length(onsets, beats.beats_s, bars and bars[0], music.frames / music.rate, length_s)
        sound = fitted(music, way, round(length_s * music.rate), steady=beats.beats_s.size > 0)
        pieces = np.array_split(sound, max(len(sound) // RATE, 1))
        write(out, pieces, chosen[0], rate=music.rate, channels=music.channels)
    if as_json:
        print(json.dumps({"file": str(out), "length_s": round(len(sound) / music.rate, 4), **_told(way)}))
    else:
        print(f"{out.name}: {length_s:.2f} s, {_sentence(way)}.")
    return 0


def _heard(path: Path) -> tuple[Onsets, Beats, Bars]:
    with decoded(path, rate=lambda rate, channels: RATE) as music:
        onsets = onsets_of(music, Threads(os.cpu_count() or 1))
    beats = beats_of(onsets)
    return onsets, beats, bars_of(onsets, beats)


def _told(way: Way) -> dict[str, object]:
    jumps = [{"from_s": round(a, 3), "to_s": round(b, 3)} for a, b in way.jumps]
    return {"jumps": jumps, "middle_faster_percent": round(way.percent, 2), "worst_jump": round(way.worst, 2)}


def _sentence(way: Way) -> str:
    jumps = [f"{a:.1f} to {b:.1f} s" for a, b in way.jumps]
    told = f"jumps from {', '.join(jumps[:3])}" if jumps else "played through"
    if len(jumps) > 3:
        told += f" and {len(jumps) - 3} times more"
    if not way.percent:
        return told
    return f"{told}, its middle {abs(way.percent):.1f} % {'faster' if way.percent > 0 else 'slower'}"
