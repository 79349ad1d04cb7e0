"""What is found in the sample against what is true of it, and how long an hour of two people takes."""

import json
import tempfile
import time
from importlib.resources import files
from pathlib import Path

import numpy as np

from bench.silences import FAINT_DB, HEARD_DB, silence_counts, silences_of, sounds
from pampa.core.executor import Threads
from pampa.core.files.conform import conform, conformed_source
from pampa.core.finds.find import hear
from pampa.core.finds.placed import Lying, PlacedFind, find_placed
from pampa.core.sound import RATE, ArraySource
from pampa.core.sync.clocked import clocked
from pampa.demo.assemble import ANDERS_CLOCK_PPM, ANDERS_OFFSET_S, VOICES, _dry, assemble

PEOPLE = ("Marisol Vey", "Anders Quill")
KINDS = {"filler": ("filler",), "breath": ("breath",), "restart": ("repeat", "false_start"),
         "backchannel": ("backchannel",), "knock": ("cough",)}  # fmt: skip
ROOMS = (10 ** ((-69 + 7) / 20), 10 ** ((-54 + 10) / 20))
"""Noise of the attic and of the kitchen against the voices in them."""
BEGINS = (0, round(ANDERS_OFFSET_S * RATE))


def said_again() -> list[dict[str, object]]:
    """Whole lines that somebody says once more: all up to the second try may go."""
    lines = json.loads((files("pampa.demo") / "voices" / "lines.json").read_text())
    return [
        {"speaker": one["speaker"], "kind": "repeat", "start_s": one["start_s"], "end_s": other["start_s"]}
        for n, one in enumerate(lines) for other in lines[n + 1 : n + 3]
        if one["speaker"] == other["speaker"] and one["text"] == other["text"]
    ]  # fmt: skip


def scores(found: list[PlacedFind], events: list[dict[str, object]]) -> None:
    """Print precision and recall of every kind whose truth is known."""
    events = [*events, *said_again()]
    for kind, names in KINDS.items():
        true = [
            (PEOPLE.index(str(e["speaker"])), float(str(e["start_s"])), float(str(e["end_s"])))
            for e in events if e["kind"] in names and e["speaker"] in PEOPLE
        ]  # fmt: skip
        told = [
            (f.recording, *((edge + BEGINS[f.recording]) / RATE for edge in (f.start, f.stop)))
            for f in found if f.kind == kind
        ]  # fmt: skip
        right = sum(any(_meet(one, other) for other in true) for one in told)
        known = sum(any(_meet(one, other) for other in told) for one in true)
        print(f"{kind:<14} precision {right / max(len(told), 1):.2f}   recall {known / len(true):.2f}   of {len(true)}")


def silence_scores(found: list[PlacedFind], noise: tuple[float, ...]) -> None:
    """Print precision and recall of silences. noise : RMS of each room, where a voice has its dry level."""
    lines = json.loads((VOICES / "lines.json").read_text())
    voices = [_dry(lines, person) for person in PEOPLE]
    sure = np.any([sounds(voice, HEARD_DB, under) for voice, under in zip(voices, noise, strict=True)], axis=0)
    faint = sure | np.any([sounds(voice, FAINT_DB, 0.0) for voice in voices], axis=0)
    gaps = [
        tuple((edge + BEGINS[f.recording]) / RATE for edge in (f.start, f.stop)) for f in found if f.kind == "silence"
    ]
    right, told, known, true = silence_counts(gaps, silences_of(sure, faint))
    print(f"{'silence':<14} precision {right / max(told, 1):.2f}   recall {known / max(true, 1):.2f}   of {true}")


def _meet(one: tuple[int, float, float], other: tuple[int, float, float]) -> bool:
    return one[0] == other[0] and one[1] < other[2] and other[1] < one[2]


def main(minutes: int) -> None:
    executor = Threads(2)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        truth = assemble(folder)
        sources = []
        for person in ("marisol", "anders"):
            conform(folder / f"{person}_local.wav", folder / person)
            sources.append(conformed_source(folder / person))
        lying = [Lying(hear(source, executor), begins) for source, begins in zip(sources, BEGINS, strict=True)]
        lying[1] = Lying(lying[1].heard, BEGINS[1], -ANDERS_CLOCK_PPM)
        found = find_placed(lying)
        scores(found, truth.events)
        silence_scores(found, ROOMS)
        frames = minutes * 60 * RATE
        hours = [ArraySource(np.resize(clocked(s, 0.0).read(0, s.frames), (frames, s.channels))) for s in sources]
        began = time.perf_counter()
        heard = [Lying(hear(source, executor), 0) for source in hours]
        listened = time.perf_counter() - began
        find_placed(heard)
        print(f"two people, {minutes} min, 2 cores: {listened:.1f} s listening, "
              f"{time.perf_counter() - began - listened:.1f} s comparing")  # fmt: skip
