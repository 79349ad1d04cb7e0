"""`pampa duck`: music that lies a distance under a file of talk."""

import json
import os
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

import numpy as np

from pampa.cli.writing import format_for, write
from pampa.core.deliver.limiter import Limited
from pampa.core.executor import Threads
from pampa.core.mix.distance import Under
from pampa.core.mix.under_file import Laid, laid_under
from pampa.core.sound import RATE, FloatArray, db_to_gain, segments
from pampa.one_file.reading import decoded

CEILING_DBTP = -1.0
LEAST_RATE = 32000
"""Talk of a lower rate is brought to 48 kHz, so that the music keeps its treble."""


def duck_file(talk: Path, music: Path, out: Path, under: Under, depth_db: float | None, *, as_json: bool) -> int:
    """Lay one file under another. Ends with 0; what cannot be done raises, and nothing is written."""
    executor = Threads(os.cpu_count() or 1)
    with ExitStack() as files:
        voice = files.enter_context(
            decoded(talk, rate=lambda rate, channels: rate if rate >= LEAST_RATE else RATE)
        )  # fmt: skip
        song = files.enter_context(decoded(music, rate=lambda rate, channels: voice.rate))
        fmt, rate = format_for(out, rate=voice.rate, channels=max(voice.channels, song.channels), sources=[talk, music])
        if rate != voice.rate:
            voice, song = (
                files.enter_context(decoded(path, rate=lambda was, channels: rate)) for path in (talk, music)
            )
        laid = laid_under(voice, song, under, depth_db=depth_db, executor=executor)
        write(out, _under_ceiling(laid), fmt, rate=rate, channels=laid.channels)
    lowest = float(laid.gain_db.min(initial=0.0))
    told = {"under_lu": _rounded(laid.under_lu), "lowered_most_db": round(-lowest, 1), "length_s": laid.frames / rate}
    if as_json:
        print(json.dumps({"file": str(out), **told}))
    elif laid.under_lu is None:
        print(f"{out.name}: nobody talks in {talk.name}, so the music stays as it is.")
    else:
        print(f"{out.name}: the music lies {laid.under_lu:.1f} LU under the talk, lowered by {-lowest:.1f} dB at most.")
    return 0


def _under_ceiling(laid: Laid) -> Iterator[FloatArray]:
    """The sum as it is where it fits under full scale, else with its peaks held."""
    peak = max((float(np.abs(laid.read(s.start, s.stop)).max(initial=0)) for s in segments(laid.frames, laid.rate)),
               default=0.0)  # fmt: skip
    source = Limited(laid, 1.0, db_to_gain(CEILING_DBTP)) if peak >= 1.0 else laid
    return (source.read(s.start, s.stop) for s in segments(laid.frames, laid.rate))


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 1)
