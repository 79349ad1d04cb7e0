"""Finds on further conversations: the talk of the sample with other voices, in other rooms, at other levels.

A voice becomes another by being played faster or slower: its pitch, its throat and its pace change together, and the
truth moves with it. Rooms, noise, leaks, levels and clicks are made with a seed.
"""

import json
from dataclasses import dataclass
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray

from bench.finds import said_again
from bench.silences import FAINT_DB, HEARD_DB, Silence, silence_counts, silences_of, sounds
from pampa.core.executor import Threads
from pampa.core.finds.find import hear
from pampa.core.finds.placed import Lying, PlacedFind, find_placed
from pampa.core.sound import RATE, ArraySource
from pampa.demo.assemble import ANDERS, MARISOL, VOICES, _dry, _events, _onsets
from pampa.demo.synthesis import band, coloured_noise, in_room, mixed_in, room

PEOPLE = (MARISOL, ANDERS)
KINDS = {"filler": ("filler",), "breath": ("breath",), "restart": ("repeat", "false_start", "again"),
         "backchannel": ("backchannel",), "knock": ("cough",), "click": ("click",)}  # fmt: skip
CLICKS = 20


@dataclass(frozen=True)
class Condition:
    """How a conversation was recorded. Levels in dB of full scale, or of the voice."""

    name: str
    pace: float = 1.0
    echo_s: float = 0.12
    echo: float = 0.08
    noise_dbfs: float = -70.0
    leak_db: float = -60.0
    levels_db: tuple[float, float] = (-7.0, -9.0)


CONDITIONS = (
    Condition("close and quiet"),
    Condition("higher voices", pace=1.12),
    Condition("lower voices", pace=0.9),
    Condition("two in one room", echo_s=0.3, echo=0.25, noise_dbfs=-62, leak_db=-18),
    Condition("one far too soft", levels_db=(-7.0, -26.0)),
    Condition("a fan beside them", noise_dbfs=-52, echo_s=0.25, echo=0.2),
)


def recorded(condition: Condition, seed: int) -> tuple[list[ArraySource], list[dict[str, Any]], list[Silence]]:
    """Both recordings, what is true of them, and when nobody is heard."""
    rng = np.random.default_rng([seed, 77])
    lines = json.loads((VOICES / "lines.json").read_text())
    events = [*_events(lines), *({**each, "kind": "again"} for each in said_again())]
    events = [
        {**e, "start_s": e["start_s"] / condition.pace, "end_s": e["end_s"] / condition.pace}
        for e in events if e["speaker"] in PEOPLE
    ]  # fmt: skip
    voices = [soxr.resample(_dry(lines, person), RATE * condition.pace, RATE) for person in PEOPLE]
    noise = [10 ** ((condition.noise_dbfs - level) / 20) for level in condition.levels_db]
    sure = np.any([sounds(voice, HEARD_DB, under) for voice, under in zip(voices, noise, strict=True)], axis=0)
    faint = sure | np.any([sounds(voice, FAINT_DB, 0.0) for voice in voices], axis=0)
    sources = []
    for n, own in enumerate(voices):
        out = in_room(own, room(rng, condition.echo_s, rate=RATE, level=condition.echo))
        mixed_in(out, band(voices[1 - n], 150, 8000, rate=RATE), round(0.004 * RATE), 10 ** (condition.leak_db / 20))
        out *= 10 ** (condition.levels_db[n] / 20)
        for at in _onsets(own, rng, CLICKS):
            place = max(at - round(rng.uniform(0.05, 0.2) * RATE), 0)
            size = round(0.0025 * RATE)
            level = rng.uniform(0.05, 0.15) * 10 ** (condition.levels_db[n] / 20)
            mixed_in(out, rng.standard_normal(size) * np.hanning(size), place, level)
            events.append(
                {"speaker": PEOPLE[n], "kind": "click", "start_s": place / RATE, "end_s": place / RATE + 0.0025}
            )
        out += 10 ** (condition.noise_dbfs / 20) * band(coloured_noise(rng, own.size, 3), 50, 12_000, rate=RATE)
        sources.append(ArraySource(out.astype(np.float32)[:, None], RATE))
    return sources, events, silences_of(sure, faint)


def counts(found: list[PlacedFind], events: list[dict[str, Any]], silences: list[Silence]) -> dict[str, list[int]]:
    """For each kind: right among what was told, told, known among what is true, true."""
    out = {}
    for kind, names in KINDS.items():
        true = [(PEOPLE.index(e["speaker"]), e["start_s"], e["end_s"]) for e in events if e["kind"] in names]
        told = [(f.recording, f.start / RATE, f.stop / RATE) for f in found if f.kind == kind]
        right = sum(any(_meet(one, other) for other in true) for one in told)
        known = sum(any(_meet(one, other) for other in told) for one in true)
        out[kind] = [right, len(told), known, len(true)]
    gaps = [(f.start / RATE, f.stop / RATE) for f in found if f.kind == "silence"]
    out["silence"] = silence_counts(gaps, silences)
    return out


def _meet(one: tuple[int, float, float], other: tuple[int, float, float]) -> bool:
    return one[0] == other[0] and one[1] < other[2] + 0.003 and other[1] < one[2] + 0.003


def main() -> None:
    executor = Threads(2)
    total: dict[str, NDArray[np.int64]] = {}
    for seed, condition in enumerate(CONDITIONS):
        sources, events, silences = recorded(condition, seed)
        found = find_placed([Lying(hear(source, executor), 0) for source in sources])
        told = {kind: np.array(each) for kind, each in counts(found, events, silences).items()}
        for kind, each in told.items():
            total[kind] = total.get(kind, np.zeros(4, np.int64)) + each
        print(f"{condition.name:<18}" + "".join(f"{kind} {_score(each)}  " for kind, each in told.items()))
    print("all of them, precision and recall:")
    for kind, each in total.items():
        print(f"{kind:<14}{_score(each)}   of {each[3]}")


def _score(each: NDArray[np.int64]) -> str:
    return f"{each[0] / max(each[1], 1):.2f}/{each[2] / max(each[3], 1):.2f}"
